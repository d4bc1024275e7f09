"""What pages load, as rows: the same for what was measured, estimated, or told by a HAR file."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.store import tables as t


def weight_row(seen: t.PageScreen, tier: Tier, loaded: Sequence[Loaded]) -> t.PageWeight:
    """The weight of a page on a screen (a row that has its id) in one tier."""
    return t.PageWeight(
        page_screen_id=seen.id, measurement_id=seen.measurement_id, screen=seen.screen, tier=tier,
        opening=weight_at_opening(loaded), scrolled=sum(one.bytes for one in loaded), requests=len(loaded),
        loaded=[{"path": one.path, "bytes": one.bytes, "opening": one.opening} for one in loaded],
    )  # fmt: skip


def weight_at_opening(loaded: Iterable[Loaded]) -> int:
    """Bytes of what is loaded before any scrolling."""
    return sum(one.bytes for one in loaded if one.opening)
