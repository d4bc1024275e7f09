"""Measurements: pages as a browser loads them, per screen; boxes, screenshots, slots of an image."""

from __future__ import annotations

from typing import Any, Literal

import pyvips
from fastapi import APIRouter, Response
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.errors import not_found
from ivory_thistle.api.figures import budget_state, held_against, images_by_path, pages_over
from ivory_thistle.api.routes.captures import Limit, capture_of, picture
from ivory_thistle.api.services import ServicesDep, SessionDep
from ivory_thistle.api.stopping import add_stop_and_continue
from ivory_thistle.core.formats.tiers import measured_tier
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.measuring import start_measurement
from ivory_thistle.workflows.settings import site_connections, site_policy

of_capture = APIRouter(prefix="/captures/{capture_id}", tags=["measurements"])
router = APIRouter(prefix="/measurements/{measurement_id}", tags=["measurements"])


def measurement_of(session: Session, measurement_id: int) -> t.Measurement:
    """The measurement, or a 404."""
    measurement = session.get(t.Measurement, measurement_id)
    if not measurement:
        raise not_found("measurement")
    return measurement


def measurement_out(session: Session, row: t.Measurement) -> schemas.Measurement:
    """A measurement with its progress."""
    done, problems = session.execute(
        select(func.count(), func.count(func.nullif(t.PageScreen.problem, ""))).where(
            t.PageScreen.measurement_id == row.id
        )
    ).one()
    seconds = (t.now() - row.started_at).total_seconds() if row.started_at else 0.0
    left = seconds * (row.total - done) / done if row.state.is_under_way and done else None
    return schemas.Measurement(
        id=row.id, capture_id=row.capture_id, state=row.state, error=row.error,
        screens=[schemas.Screen.model_validate(s) for s in row.screens], estimated=row.estimated,
        total=row.total, done=done, problems=problems, seconds_left=left, created_at=row.created_at,
        finished_at=row.finished_at,
    )  # fmt: skip


@of_capture.get("/measurement")
def newest_measurement(capture_id: int, session: SessionDep) -> schemas.Measurement | None:
    """The capture's newest measurement, if there is one."""
    capture_of(session, capture_id)
    row = session.scalar(
        select(t.Measurement).where(t.Measurement.capture_id == capture_id).order_by(t.Measurement.id.desc()).limit(1)
    )
    return measurement_out(session, row) if row else None


@of_capture.post("/measurements", status_code=201)
def add_measurement(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.Measurement:
    """Starts measuring every page; one that is going on already is returned instead."""
    going = newest_measurement(capture_id, session)
    if going and going.going:
        return going
    out = measurement_out(session, start_measurement(session, capture_id))
    session.commit()
    services.jobs.wake()
    return out


def _row(measurement_id: int, session: SessionDep) -> t.Measurement:
    return measurement_of(session, measurement_id)


add_stop_and_continue(router, "measurement", _row, measurement_out, schemas.Measurement)


@router.get("/screens/{screen}/pages")
def list_measured_pages(
    measurement_id: int,
    screen: str,
    session: SessionDep,
    tier: schemas.TierName | None = None,
    part: Literal["opening", "scrolled"] = "scrolled",
    after: str | None = None,
    limit: Limit = 200,
) -> schemas.MeasuredPages:
    """Pages on one screen in one tier, those that load most in that part of a visit first."""
    measurement = measurement_of(session, measurement_id)
    _, site = capture_of(session, measurement.capture_id)
    size = t.PageWeight.opening if part == "opening" else t.PageWeight.scrolled
    among = (
        t.PageWeight.measurement_id == measurement_id,
        t.PageWeight.screen == screen,
        t.PageWeight.tier == (tier or measured_tier()),
    )
    query = (
        select(t.PageWeight, t.PageScreen, t.Page)
        .join(t.PageScreen, t.PageScreen.id == t.PageWeight.page_screen_id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .where(*among)
    )
    rows = session.execute(cursors.after(query, size, t.PageWeight.id, True, after).limit(limit + 1)).all()
    images = images_by_path(session, measurement.capture_id)
    shown = rows[:limit]
    heaviest = session.scalar(select(func.max(size)).where(*among))
    weights = session.execute(
        select(t.Page.path, size)
        .join(t.PageScreen, t.PageScreen.id == t.PageWeight.page_screen_id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .where(*among)
    )
    over = pages_over(site_policy(site), weights, screen)
    last = shown[-1][0] if shown else None
    following = cursors.encode(getattr(last, part), last.id) if last and len(rows) > limit else None
    items = [schemas.MeasuredPage(**_measured(weight, seen, page, site, images)) for weight, seen, page in shown]
    return schemas.MeasuredPages(items=items, next=following, heaviest=heaviest or 0, over=over)


def _measured(
    weight: t.PageWeight, seen: t.PageScreen, page: t.Page, site: t.Site, images: dict[str, int]
) -> dict[str, Any]:
    loaded = sorted(weight.loaded, key=lambda r: -r["bytes"])
    lines, policy = site_connections(site), site_policy(site)
    allowed = policy.allowed(page.path, seen.screen).bytes
    return {
        "page_id": page.id, "path": page.path, "title": page.title, "screen": seen.screen, "opening": weight.opening,
        "scrolled": weight.scrolled, "requests": weight.requests, "lcp_path": seen.lcp_path,
        "lcp_element": seen.lcp_element, "layout_shift": seen.layout_shift, "shifting": seen.shifting,
        "errors": seen.errors, "problem": seen.problem,
        "state_opening": budget_state(weight.opening, allowed),
        "state_scrolled": budget_state(weight.scrolled, allowed),
        **held_against(policy, page.path, seen.screen),
        "seconds_opening": [line.seconds(weight.opening) for line in lines],
        "seconds_scrolled": [line.seconds(weight.scrolled) for line in lines],
        "loaded": [schemas.LoadedImage(image_id=images.get(r["path"]), **r) for r in loaded],
    }  # fmt: skip


def _page_screen(session: Session, measurement_id: int, screen: str, page_id: int) -> t.PageScreen:
    seen = session.scalar(
        select(t.PageScreen).where(
            t.PageScreen.measurement_id == measurement_id,
            t.PageScreen.page_id == page_id,
            t.PageScreen.screen == screen,
        )
    )
    if not seen:
        raise not_found("measured page")
    return seen


@router.get("/screens/{screen}/pages/{page_id}")
def get_measured_page(
    measurement_id: int,
    screen: str,
    page_id: int,
    session: SessionDep,
    services: ServicesDep,
    tier: schemas.TierName | None = None,
) -> schemas.MeasuredPageDetail:
    """A page on one screen with every box that shows a picture."""
    measurement = measurement_of(session, measurement_id)
    _, site = capture_of(session, measurement.capture_id)
    seen = _page_screen(session, measurement_id, screen, page_id)
    page = session.get_one(t.Page, page_id)
    width = height = 0
    if seen.screenshot:
        shot = pyvips.Image.new_from_buffer(services.blobs.get(seen.screenshot), "")
        scale = _scale(shot.width, next(s for s in measurement.screens if s["name"] == screen))
        width, height = round(shot.width / scale), round(shot.height / scale)
    rows = session.execute(
        select(t.Slot, t.Image.path, t.Image.bytes)
        .outerjoin(t.Image, t.Image.id == t.Slot.image_id)
        .where(t.Slot.page_screen_id == seen.id)
        .order_by(t.Slot.y, t.Slot.x, t.Slot.id)
    )
    slots = [
        schemas.SlotOut(
            id=s.id, image_id=s.image_id, path=path or "", kind=s.kind, x=s.x, y=s.y, width=s.width, height=s.height,
            lazy=s.lazy, bytes=size or 0,
        )
        for s, path, size in rows
    ]  # fmt: skip
    weight = session.scalar(
        select(t.PageWeight).where(
            t.PageWeight.page_screen_id == seen.id, t.PageWeight.tier == (tier or measured_tier())
        )
    )
    if not weight:
        raise not_found("weight in this tier")
    shown = _measured(weight, seen, page, site, images_by_path(session, measurement.capture_id))
    return schemas.MeasuredPageDetail(**shown, width=width, height=height, slots=slots)


def _scale(width: int, screen: dict[str, Any]) -> float:
    """Pixels of a page's picture for one CSS px: earlier measurements took them in device pixels."""
    dense = round(float(screen["width"]) * float(screen["density"]))
    return float(screen["density"]) if width >= dense else 1.0


@router.get("/screens/{screen}/pages/{page_id}/screenshot", response_class=Response)
def get_screenshot(
    measurement_id: int, screen: str, page_id: int, session: SessionDep, services: ServicesDep
) -> Response:
    """The whole page on that screen, as a JPEG."""
    seen = _page_screen(session, measurement_id, screen, page_id)
    if not seen.screenshot:
        raise not_found("screenshot")
    return picture(services.blobs.get(seen.screenshot))


@of_capture.get("/images/{image_id}/slots")
def list_image_slots(capture_id: int, image_id: int, session: SessionDep) -> list[schemas.ImageSlot]:
    """Every box in which an image was shown, by the newest measurement."""
    newest = newest_measurement(capture_id, session)
    if not newest:
        return []
    screens = {s.name: Screen(**s.model_dump()) for s in newest.screens}
    image = session.get(t.Image, image_id)
    ratio = image.height / image.width if image and image.width else 0.0
    rows = session.execute(
        select(t.Slot, t.PageScreen.screen, t.Page.id, t.Page.path)
        .join(t.PageScreen, t.PageScreen.id == t.Slot.page_screen_id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .where(t.PageScreen.measurement_id == newest.id, t.Slot.image_id == image_id, t.Slot.width > 0)
        .order_by(t.Slot.width.desc())
        .limit(500)
    )
    found = []
    for row, screen, page_id, path in rows:
        shown_on = screens.get(screen) or Screen(screen, 0, 0)
        slot = Slot(
            page=path, screen=shown_on, path="", kind=row.kind, x=row.x, y=row.y, width=row.width, height=row.height,
            fit=row.fit,
        )  # fmt: skip
        needed = slot.needed_width(ratio)
        found.append(
            schemas.ImageSlot(
                screen=screen, density=shown_on.density, page_id=page_id, page_path=path, width=row.width,
                height=row.height, fit=row.fit, kind=row.kind, needed_width=needed, needed_height=needed * ratio,
                measured=not newest.estimated,
            )
        )  # fmt: skip
    return found
