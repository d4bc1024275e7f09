"""A capture: its pages, images, placements and faults."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query, Response
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.errors import not_found
from ivory_thistle.api.figures import (
    budget_state,
    held_against,
    image_row,
    newest_run,
    placements_out,
    segments,
)
from ivory_thistle.api.guard import PICTURE_POLICY
from ivory_thistle.api.services import ServicesDep, SessionDep
from ivory_thistle.api.stopping import add_stop_and_continue
from ivory_thistle.core.formats.table import FORMATS, UNKNOWN, sniff_format
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.site import Image
from ivory_thistle.core.treatment.rules import Decided
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.settings import site_policy, site_rules
from ivory_thistle.workflows.storing import role_of

router = APIRouter(prefix="/captures/{capture_id}", tags=["captures"])
Limit = Annotated[int, Query(ge=1, le=500)]
_MOST_PLACEMENTS = 2_000
_SHOWN_FACTS = (
    "frames", "has_alpha", "bit_depth", "colour", "profile_bytes", "metadata_bytes", "orientation",
    "metadata", "copyright", "profile", "progressive", "subsampling", "quality", "palette", "lossless",
)  # fmt: skip


def capture_of(session: Session, capture_id: int) -> tuple[t.Capture, t.Site]:
    """The capture and its site, or a 404."""
    capture = session.get(t.Capture, capture_id)
    if not capture:
        raise not_found("capture")
    return capture, session.get_one(t.Site, capture.site_id)


@router.get("")
def get_capture(capture_id: int, session: SessionDep) -> schemas.Capture:
    """One capture."""
    return schemas.Capture.model_validate(capture_of(session, capture_id)[0])


def _row(capture_id: int, session: SessionDep) -> t.Capture:
    return capture_of(session, capture_id)[0]


add_stop_and_continue(
    router, "capture", _row, lambda session, row: schemas.Capture.model_validate(row), schemas.Capture
)


@router.get("/pages")
def list_pages(capture_id: int, session: SessionDep, after: str | None = None, limit: Limit = 100) -> schemas.PageList:
    """Pages, the heaviest first (so those furthest over the budget come first)."""
    _, site = capture_of(session, capture_id)
    query = cursors.after(
        select(t.Page).where(t.Page.capture_id == capture_id), t.Page.image_bytes, t.Page.id, True, after
    )
    pages = session.scalars(query.limit(limit + 1)).all()
    heaviest = session.scalar(select(func.max(t.Page.image_bytes)).where(t.Page.capture_id == capture_id))
    shown, policy = pages[:limit], site_policy(site)
    parts = segments(session, [p.id for p in shown])
    items = [
        schemas.PageRow(
            id=p.id, path=p.path, title=p.title, image_count=p.image_count, image_bytes=p.image_bytes,
            broken_count=p.broken_count, state=budget_state(p.image_bytes, policy.allowed(p.path).bytes),
            segments=parts[p.id], **held_against(policy, p.path),
        )
        for p in shown
    ]  # fmt: skip
    following = cursors.encode(shown[-1].image_bytes, shown[-1].id) if len(pages) > limit else None
    return schemas.PageList(items=items, next=following, heaviest=heaviest or 0)


@router.get("/pages/{page_id}")
def get_page(capture_id: int, page_id: int, session: SessionDep) -> schemas.PageDetail:
    """A page with its images and placements."""
    _, site = capture_of(session, capture_id)
    page = session.get(t.Page, page_id)
    if not page or page.capture_id != capture_id:
        raise not_found("page")
    policy = site_policy(site)
    of_page = t.Placement.page_id == page_id
    placements = session.scalars(select(t.Placement).where(of_page).order_by(t.Placement.id).limit(_MOST_PLACEMENTS))
    placement_count = session.scalar(select(func.count()).where(of_page)) or 0
    ids = select(t.Placement.image_id).where(of_page, t.Placement.image_id.is_not(None)).distinct()
    images = session.scalars(select(t.Image).where(t.Image.id.in_(ids)).order_by(t.Image.bytes.desc())).all()
    return schemas.PageDetail(
        id=page.id, path=page.path, title=page.title, bytes=page.bytes,
        image_bytes=page.image_bytes, data_bytes=page.data_bytes,
        state=budget_state(page.image_bytes, policy.allowed(page.path).bytes), broken=page.broken,
        broken_count=page.broken_count, remote=page.remote, remote_count=page.remote_count,
        placement_count=placement_count, **held_against(policy, page.path),
        images=[image_row(i, site_policy(site)) for i in images],
        placements=placements_out((p, page.path) for p in placements),
    )  # fmt: skip


def _image(session: Session, capture_id: int, image_id: int) -> t.Image:
    image = session.get(t.Image, image_id)
    if not image or image.capture_id != capture_id:
        raise not_found("image")
    return image


@router.get("/images/{image_id}")
def get_image(capture_id: int, image_id: int, session: SessionDep) -> schemas.ImageDetail:
    """An image with its facts, placements and renditions."""
    _, site = capture_of(session, capture_id)
    image = _image(session, capture_id, image_id)
    placements = session.execute(
        select(t.Placement, t.Page.path)
        .join(t.Page, t.Page.id == t.Placement.page_id)
        .where(t.Placement.image_id == image_id)
        .order_by(t.Page.path, t.Placement.id)
    ).all()
    paths = session.scalars(
        select(t.CaptureFile.path).where(t.CaptureFile.image_id == image_id).order_by(t.CaptureFile.path)
    ).all()
    run = newest_run(session, capture_id)
    task = session.scalar(select(t.Task).where(t.Task.run_id == run.id, t.Task.image_id == image_id)) if run else None
    made = (
        session.scalars(select(t.Rendition).where(t.Rendition.task_id == task.id).order_by(t.Rendition.id))
        if task
        else ()
    )
    facts = asdict(ImageFacts(**image.facts))
    look = image.look or {}
    decided = _decided(site, image, list(paths), [page for _, page in placements])
    return schemas.ImageDetail(
        **image_row(image, site_policy(site)).model_dump(),
        **{k: facts[k] for k in _SHOWN_FACTS},
        sha256=image.sha256,
        alpha_used=look.get("alpha_used"),
        kind_why=look.get("why", ""),
        features=look.get("features", {}),
        role_why=image.role_why,
        role_by_hand=image.role_by_hand,
        paths=list(paths),
        placements=placements_out(placements),
        sketched=bool(task and task.sketched),
        renditions=[schemas.RenditionOut.model_validate(r) for r in made],
        words=[w for w in ([task.reason] if task and task.reason else []) + (task.words if task else []) if w],
        decided=list(decided.words),
        focus=list(decided.rules.focus) if decided.rules.focus else None,
    )  # fmt: skip


def _decided(site: t.Site, image: t.Image, paths: list[str], pages: list[str]) -> Decided:
    """What the site's rules decide of an image."""
    look = Look(**image.look) if image.look else None
    whole = Image(ImageFacts(**image.facts), tuple(paths), tuple(dict.fromkeys(pages)), look=look)
    return site_rules(site).for_image(whole, role_of(image.role))


def picture(data: bytes) -> Response:
    """A picture from a capture, by its sniffed type and without scripting."""
    kind = sniff_format(data[:4096]) or UNKNOWN
    headers = {
        "content-security-policy": PICTURE_POLICY,
        "cache-control": "private, max-age=31536000, immutable",
    }
    return Response(data, media_type=FORMATS[kind].mime, headers=headers)


@router.get("/images/{image_id}/thumbnail", response_class=Response)
def get_thumbnail(capture_id: int, image_id: int, session: SessionDep, services: ServicesDep) -> Response:
    """A small picture for lists."""
    image = _image(session, capture_id, image_id)
    digest = image.thumbnail or (image.sha256 if FORMATS[image.format].vector else None)
    if not digest:
        raise not_found("thumbnail")
    return picture(services.blobs.get(digest))


@router.get("/images/{image_id}/file", response_class=Response)
def get_image_file(capture_id: int, image_id: int, session: SessionDep, services: ServicesDep) -> Response:
    """The original's bytes."""
    return picture(services.blobs.get(_image(session, capture_id, image_id).sha256))


@router.get("/images/{image_id}/renditions/{rendition_id}", response_class=Response)
def get_rendition_file(
    capture_id: int, image_id: int, rendition_id: int, session: SessionDep, services: ServicesDep
) -> Response:
    """A rendition's bytes."""
    _image(session, capture_id, image_id)
    digest = session.scalar(
        select(t.Rendition.sha256)
        .join(t.Task, t.Task.id == t.Rendition.task_id)
        .where(t.Rendition.id == rendition_id, t.Task.image_id == image_id)
    )
    if not digest:
        raise not_found("rendition")
    return picture(services.blobs.get(digest))


@router.get("/faults")
def list_faults(capture_id: int, session: SessionDep) -> list[schemas.FaultOut]:
    """What is wrong in the site's files."""
    capture_of(session, capture_id)
    rows = session.scalars(select(t.Fault).where(t.Fault.capture_id == capture_id).order_by(t.Fault.id).limit(1000))
    return [schemas.FaultOut.model_validate(f) for f in rows]
