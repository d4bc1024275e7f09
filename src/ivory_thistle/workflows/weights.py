"""What pages load, as rows: the same for what was measured, estimated, or told by a HAR file."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.store import tables as t


def weight_row(seen: t.PageScreen, tier: Tier, loaded: Sequence[Loaded]) -> t.PageWeight:
    """The weight of a page on a screen (a row that has its id) in one tier."""
    return t.PageWeight(
        page_screen_id=seen.id, measurement_id=seen.measurement_id, screen=seen.screen, tier=tier,
        opening=weight_at_opening(loaded), scrolled=sum(one.bytes for one in loaded), requests=len(loaded),
        loaded=[{"path": one.path, "bytes": one.bytes, "opening": one.opening} for one in loaded],
    )  # fmt: skip


def stored_weights(session: Session, capture_id: int) -> PageWeights:
    """What the newest measurement saw pages load, by page, screen and tier; of an estimate, nothing."""
    newest = session.scalar(
        select(t.Measurement)
        .where(t.Measurement.capture_id == capture_id, ~t.Measurement.estimated)
        .order_by(t.Measurement.id.desc())
        .limit(1)
    )
    rows = session.execute(
        select(t.Page.path, t.PageWeight)
        .join(t.PageScreen, t.PageScreen.id == t.PageWeight.page_screen_id)
        .join(t.Page, t.Page.id == t.PageScreen.page_id)
        .where(t.PageWeight.measurement_id == (newest.id if newest else 0), t.PageScreen.problem == "")
    )
    return {
        (path, row.screen, row.tier): tuple(
            Loaded(f"/{one['path']}", one["path"], one["bytes"], one["opening"]) for one in row.loaded
        )
        for path, row in rows
    }


def weight_at_opening(loaded: Iterable[Loaded]) -> int:
    """Bytes of what is loaded before any scrolling."""
    return sum(one.bytes for one in loaded if one.opening)
