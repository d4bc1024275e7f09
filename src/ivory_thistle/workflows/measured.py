"""What measurements saw of a site's pages, as the boxes and weights that the core takes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ivory_thistle.core.findings.pages import PageWeighed
from ivory_thistle.core.formats.tiers import measured_tier
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.intake.browser import PageMeasurement
from ivory_thistle.store import tables as t

_SEEN = ("kind", "x", "y", "width", "height", "first_screen", "lazy", "fit", "element", "alt", "around")
"""What a box tells of itself: the same names when it is measured, stored, and judged."""


def newest_measured(session: Session, capture_id: int) -> tuple[list[Slot], list[PageWeighed]]:
    """The boxes and weights (of the measured tier) of the newest measurement that has any."""
    row = session.execute(
        select(t.Measurement)
        .join(t.PageScreen, t.PageScreen.measurement_id == t.Measurement.id)
        .where(t.Measurement.capture_id == capture_id)
        .order_by(t.Measurement.id.desc())
        .limit(1)
    ).scalar()
    if not row:
        return [], []
    screens = {s["name"]: Screen(**s) for s in row.screens}
    real = not row.estimated
    weights = session.execute(
        select(t.PageScreen, t.PageWeight, t.Page.path)
        .join(t.PageWeight, t.PageWeight.page_screen_id == t.PageScreen.id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .where(t.PageScreen.measurement_id == row.id, t.PageWeight.tier == measured_tier())
    ).all()
    weighed = [
        PageWeighed(
            path, screens[seen.screen], w.opening, w.scrolled, w.requests, seen.lcp_path, seen.layout_shift,
            tuple(seen.shifting), real, tuple(one["path"] for one in w.loaded),
        )
        for seen, w, path in weights if seen.screen in screens
    ]  # fmt: skip
    boxes = session.execute(
        select(t.Slot, t.PageScreen.screen, t.Page.path, t.Image.path)
        .join(t.PageScreen, t.PageScreen.id == t.Slot.page_screen_id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .join(t.Image, t.Image.id == t.Slot.image_id)
        .where(t.PageScreen.measurement_id == row.id)
    ).all()
    slots = [
        Slot(page=page, screen=screens[screen], path=path, measured=real, **{name: getattr(s, name) for name in _SEEN})
        for s, screen, page, path in boxes if screen in screens
    ]  # fmt: skip
    return slots, weighed


def measured_pages(session: Session, capture_id: int) -> frozenset[str]:
    """The pages that the newest measurement saw on every one of its screens, each without a problem."""
    row = session.scalar(
        select(t.Measurement)
        .where(t.Measurement.capture_id == capture_id, ~t.Measurement.estimated)
        .order_by(t.Measurement.id.desc())
        .limit(1)
    )
    if not row:
        return frozenset()
    seen = session.execute(
        select(t.Page.path)
        .join(t.PageScreen, t.PageScreen.page_id == t.Page.id)
        .where(t.PageScreen.measurement_id == row.id, t.PageScreen.problem == "")
        .group_by(t.Page.path)
        .having(func.count() == len(row.screens))
    )
    return frozenset(seen.scalars())


def measured_slots(measured: Iterable[tuple[PageMeasurement, object]], screens: Iterable[Screen]) -> Iterator[Slot]:
    """The boxes that measurements found, each with its weights, for pictures of the site itself."""
    by_name = {s.name: s for s in screens}
    for m, _ in measured:
        for p in m.placements:
            if p.path and p.width > 0:
                seen = {name: getattr(p, name) for name in _SEEN}
                yield Slot(page=m.page, screen=by_name[m.screen], path=p.path, measured=m.measured, **seen)
