"""The library: images listed, filtered, counted by facet, and given roles."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from sqlalchemy import and_, func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.errors import ProblemError
from ivory_thistle.api.figures import image_row
from ivory_thistle.api.routes.captures import Limit, capture_of
from ivory_thistle.api.selections import codes_of, filtered, having, selected
from ivory_thistle.api.services import ServicesDep, SessionDep, audit_again
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.auditing import choose_roles, role_choices
from ivory_thistle.workflows.settings import site_policy

router = APIRouter(prefix="/captures/{capture_id}", tags=["library"])
ImageSort = Literal["bytes", "pixels", "pages", "path"]
_SORTS: dict[str, tuple[Any, str]] = {
    "bytes": (t.Image.bytes, "ix_image_bytes"),
    "pixels": (t.Image.pixels, "ix_image_pixels"),
    "pages": (t.Image.page_count, "ix_image_page_count"),
    "path": (t.Image.sort_name, "ix_image_sort_name"),
}
_FEW = 5_000
_MOST_FOLDERS = 100


@router.get("/images")
def list_images(
    capture_id: int,
    session: SessionDep,
    wanted: Annotated[schemas.ImageFilter, Query()],
    services: ServicesDep,
    sort: Annotated[ImageSort, Query()] = "bytes",
    descending: Annotated[bool, Query()] = True,
    after: Annotated[str | None, Query()] = None,
    limit: Limit = 200,
) -> schemas.ImageList:
    """The library: sorted and filtered images."""
    _, site = capture_of(session, capture_id)
    found = _searched(session, services, capture_id, wanted.search)
    base = filtered(capture_id, wanted, found, _is_common(session, services, capture_id, codes_of(wanted)))
    total, total_bytes = _total(session, services, capture_id, wanted, base)
    column, index = _SORTS[sort]
    # Walking an index in order stops early while many fit; where few do, they are found first and then sorted.
    if total <= _FEW:
        index = "ix_image_copies" if wanted.show == "copies" else ""
    hinted = base.with_hint(t.Image, f"FORCE INDEX ({index})", "mariadb") if index else base
    images = session.scalars(cursors.after(hinted, column, t.Image.id, descending, after).limit(limit + 1)).all()
    shown = images[:limit]
    following = cursors.encode(getattr(shown[-1], column.key), shown[-1].id) if len(images) > limit else None
    policy, codes = site_policy(site), _codes(session, [i.id for i in shown])
    items = [image_row(i, policy, codes[i.id]) for i in shown]
    return schemas.ImageList(items=items, next=following, total=total, total_bytes=total_bytes)


def _is_common(session: Session, services: ServicesDep, capture_id: int, codes: Sequence[str]) -> bool:
    """Whether more than a few images have a finding of these codes."""
    if not codes:
        return False
    number = select(func.count()).select_from(having(capture_id, codes).subquery())
    return services.counts.get(capture_id, f"having {sorted(codes)}", lambda: session.scalar(number) or 0) > _FEW


def _searched(session: Session, services: ServicesDep, capture_id: int, search: str) -> list[int] | None:
    """The images whose paths hold a text, from the capture's paths kept in memory; None without one, or for many.

    Many are found sooner by walking the sorted index until enough fit.
    """
    if not search:
        return None

    def load() -> list[tuple[int, str]]:
        rows = session.execute(select(t.Image.id, t.Image.path).where(t.Image.capture_id == capture_id))
        return [(key, path.lower()) for key, path in rows]

    wanted = search.lower()
    found = [key for key, path in services.counts.get(capture_id, "paths", load) if wanted in path]
    return found if len(found) <= _FEW else None


def _total(
    session: Session, services: ServicesDep, capture_id: int, wanted: schemas.ImageFilter, base: Any
) -> tuple[int, int]:
    """Number and bytes of what a filter lets through; counted once as long as the audit stays the same."""

    def count() -> tuple[int, int]:
        counted = base.with_only_columns(func.count(), func.coalesce(func.sum(t.Image.bytes * t.Image.copies), 0))
        number, size = session.execute(counted).one()
        return number, int(size)

    return services.counts.get(capture_id, f"total {wanted.model_dump_json()}", count)


def _codes(session: Session, ids: Sequence[int]) -> dict[int, list[str]]:
    found: dict[int, list[str]] = defaultdict(list)
    rows = session.execute(
        select(t.Finding.image_id, t.Finding.code)
        .where(t.Finding.image_id.in_(ids))
        .distinct()
        .order_by(t.Finding.code)
    )
    for image_id, code in rows:
        if image_id:
            found[image_id].append(code)
    return found


@router.get("/facets")
def list_facets(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.Facets:
    """Formats, kinds, roles, folders and findings of the library with their counts."""
    capture_of(session, capture_id)

    def by(column: Any) -> list[schemas.Facet]:
        rows = session.execute(
            select(column, func.count()).where(t.Image.capture_id == capture_id, column != "").group_by(column)
        )
        found = sorted(rows, key=lambda r: (-r[1], r[0]))[:_MOST_FOLDERS]
        return [schemas.Facet(value=value, count=count) for value, count in found]

    def count() -> schemas.Facets:
        codes = session.execute(
            select(t.Finding.code, func.count(t.Finding.image_id.distinct()))
            .where(t.Finding.capture_id == capture_id, t.Finding.image_id.is_not(None))
            .group_by(t.Finding.code)
        )
        return schemas.Facets(
            format=by(t.Image.format), kind=by(t.Image.kind), role=by(t.Image.role), folder=by(t.Image.folder),
            finding=[schemas.Facet(value=v, count=n) for v, n in sorted(codes, key=lambda r: -r[1])],
        )  # fmt: skip

    return services.counts.get(capture_id, "facets", count)


@router.get("/near-duplicates/{image_id}")
def list_alike(capture_id: int, image_id: int, session: SessionDep) -> list[schemas.ImageRow]:
    """Images that the audit found to look like one, and what it looks like itself."""
    _, site = capture_of(session, capture_id)
    image = session.get(t.Image, image_id)
    path = image.path if image and image.capture_id == capture_id else ""
    near = and_(t.Finding.capture_id == capture_id, t.Finding.code == "near-duplicate")
    first = session.scalar(select(t.Finding.evidence["like"].as_string()).where(near, t.Finding.image_id == image_id))
    head = first or path
    others = session.scalars(select(t.Finding.image_id).where(near, t.Finding.evidence["like"].as_string() == head))
    ids = {i for i in others if i}
    rows = session.scalars(
        select(t.Image)
        .where(t.Image.capture_id == capture_id, t.Image.id.in_(ids) | (t.Image.path == head))
        .order_by(t.Image.pixels.desc())
    )
    policy = site_policy(site)
    return [image_row(i, policy) for i in rows if i.id != image_id] if ids else []


@router.post("/roles")
def change_roles(
    capture_id: int, change: schemas.RoleChange, session: SessionDep, services: ServicesDep
) -> schemas.RolesBefore:
    """Gives a role by hand to images or to a pattern; it holds for later captures too. `before` takes it back."""
    capture, _ = capture_of(session, capture_id)
    if (change.pattern is None) == (change.selection is None):
        raise ProblemError(422, "unclear", "Unclear", "Name either a pattern or a selection.")
    if change.pattern is not None:
        patterns: Sequence[str] = [change.pattern]
    else:
        assert change.selection is not None
        patterns = session.scalars(selected(capture_id, change.selection).with_only_columns(t.Image.path)).all()
    before = choose_roles(session, capture.site_id, dict.fromkeys(patterns, change.role))
    audit_again(session, services, capture.site_id)
    past = [schemas.PastChoice.model_validate({"pattern": p, "role": role}) for p, role in before.items()]
    return schemas.RolesBefore(changed=len(past), before=past)


@router.put("/roles")
def restore_roles(
    capture_id: int, choices: list[schemas.PastChoice], session: SessionDep, services: ServicesDep
) -> schemas.RolesBefore:
    """Puts choices back as they were."""
    capture, _ = capture_of(session, capture_id)
    choose_roles(session, capture.site_id, {c.pattern: c.role for c in choices})
    audit_again(session, services, capture.site_id)
    return schemas.RolesBefore(changed=len(choices), before=[])


@router.get("/roles")
def list_roles(capture_id: int, session: SessionDep) -> list[schemas.RoleChoice]:
    """The roles given by hand."""
    capture, _ = capture_of(session, capture_id)
    return [schemas.RoleChoice.model_validate(c) for c in role_choices(session, capture.site_id)]
