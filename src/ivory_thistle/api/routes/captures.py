"""A capture: its pages, images, placements and faults."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict, replace
from typing import Annotated, Literal

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
    run_out,
    segments,
)
from ivory_thistle.api.guard import PICTURE_POLICY
from ivory_thistle.api.selections import selected
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.api.stopping import add_stop_and_continue
from ivory_thistle.core.formats.table import FORMATS, UNKNOWN, sniff_format
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.rules import FIDELITIES, Fidelity, Rules
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.at_hand import stored_at_hand
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.runs import start_run
from ivory_thistle.workflows.settings import site_policy

router = APIRouter(prefix="/captures/{capture_id}", tags=["captures"])
Limit = Annotated[int, Query(ge=1, le=500)]
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
            broken_count=len(p.broken), state=budget_state(p.image_bytes, policy.allowed(p.path).bytes),
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
    placements = session.scalars(
        select(t.Placement).where(t.Placement.page_id == page_id).order_by(t.Placement.id)
    ).all()
    ids = {p.image_id for p in placements if p.image_id}
    images = session.scalars(select(t.Image).where(t.Image.id.in_(ids)).order_by(t.Image.bytes.desc())).all()
    return schemas.PageDetail(
        id=page.id, path=page.path, title=page.title, bytes=page.bytes,
        image_bytes=page.image_bytes, data_bytes=page.data_bytes,
        state=budget_state(page.image_bytes, policy.allowed(page.path).bytes), broken=page.broken,
        remote=page.remote, **held_against(policy, page.path),
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
    )
    paths = session.scalars(
        select(t.CaptureFile.path).where(t.CaptureFile.image_id == image_id).order_by(t.CaptureFile.path)
    )
    run = newest_run(session, capture_id)
    task = session.scalar(select(t.Task).where(t.Task.run_id == run.id, t.Task.image_id == image_id)) if run else None
    made = (
        session.scalars(select(t.Rendition).where(t.Rendition.task_id == task.id).order_by(t.Rendition.id))
        if task
        else ()
    )
    facts = asdict(ImageFacts(**image.facts))
    look = image.look or {}
    return schemas.ImageDetail(
        **image_row(image, site_policy(site)).model_dump(),
        **{k: facts[k] for k in _SHOWN_FACTS},
        alpha_used=look.get("alpha_used"),
        kind_why=look.get("why", ""),
        features=look.get("features", {}),
        role_why=image.role_why,
        role_by_hand=image.role_by_hand,
        paths=list(paths),
        placements=placements_out(placements),
        renditions=[schemas.RenditionOut.model_validate(r) for r in made],
        words=[w for w in ([task.reason] if task and task.reason else []) + (task.words if task else []) if w],
    )  # fmt: skip


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


@router.get("/forecast")
def get_forecast(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.Forecast:
    """What a treatment would touch."""
    capture_of(session, capture_id)
    return services.counts.get(capture_id, "forecast", lambda: _forecast(capture_id, session, services))


def _forecast(capture_id: int, session: Session, services: Services) -> schemas.Forecast:
    at_hand, rules = stored_at_hand(session, capture_id, services.blobs), Rules()
    plans = plan(at_hand, rules)
    reasons = Counter(_kind_of_reason(p.reason) for p in plans if p.reason)
    unused = sum(i.unused for i in at_hand.site.images)
    if unused:
        reasons["No page uses it."] = unused
    return schemas.Forecast(
        rules=_rules_out(rules),
        images=sum(bool(p.steps) for p in plans),
        bytes=sum(p.image.facts.bytes for p in plans if p.steps),
        renditions=sum((1 if p.image.facts.is_vector else len(TIERS)) * len(p.steps) for p in plans),
        left_alone=[schemas.LeftAlone(reason=r, count=n) for r, n in reasons.most_common()],
    )


def _rules_out(rules: Rules) -> schemas.RulesOut:
    qualities = {tier: rules.quality_for(tier) for tier in TIERS}
    return schemas.RulesOut.model_validate(rules.as_dict() | {"qualities": qualities})


def _kind_of_reason(reason: str) -> str:
    """A reason without what differs from image to image, for counting."""
    return reason.split(" (")[0].rstrip(".") + "." if " (" in reason else reason


@router.post("/runs", status_code=201)
def add_run(
    capture_id: int,
    session: SessionDep,
    services: ServicesDep,
    chosen: schemas.Selection | None = None,
    fidelity: Fidelity | Literal["fixed"] | None = None,
    metadata: MetadataPolicy = "none",
    keep_p3: bool = False,
    sharpen: bool = False,
    svg_scripts: bool = False,
    background_widths: bool = False,
    demand_check: bool = False,
    form: HandoverForm = HandoverForm.MARKUP,
) -> schemas.Run:
    """Starts a treatment of the whole site or of chosen images; one that is going on already is returned instead.

    With a fidelity every lossy file keeps that look; without one each keeps what its role asks for. "fixed" searches
    nothing and takes one quality for all. The others are as in the rules of a treatment.
    """
    capture_of(session, capture_id)
    going = newest_run(session, capture_id)
    if going and going.state.is_going:
        return run_out(session, going)
    score = FIDELITIES[fidelity] if fidelity and fidelity != "fixed" else None
    rules = replace(
        Rules.at_fidelity(score) if score else Rules(fixed=fidelity == "fixed"),
        metadata=metadata, keep_p3=keep_p3, sharpen=sharpen, svg_scripts=svg_scripts,
        background_widths=background_widths, demand_check=demand_check, form=form,
    )  # fmt: skip
    ids = None
    if chosen is not None:
        ids = frozenset(session.scalars(selected(capture_id, chosen).with_only_columns(t.Image.id)).all())
    run = start_run(session, capture_id, rules, services.blobs, ids)
    session.flush()
    out = run_out(session, run)
    session.commit()
    services.jobs.wake()
    return out


@router.get("/runs")
def list_runs(capture_id: int, session: SessionDep) -> list[schemas.Run]:
    """Runs of the capture, the newest first."""
    capture_of(session, capture_id)
    rows = session.scalars(select(t.Run).where(t.Run.capture_id == capture_id).order_by(t.Run.id.desc()).limit(50))
    return [run_out(session, r) for r in rows]
