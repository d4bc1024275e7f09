"""Audience tiers: visitors by what their browser shows, and how the files for each are made. One row a tier."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from ivory_thistle.core.formats.encoder import Encoder, Settings
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.search.scale import Scale

if TYPE_CHECKING:
    from ivory_thistle.core.images.animation import Animation

Tier = str
"""The name of a tier, e.g. "avif"."""

BASELINE: Tier = "baseline"
"""Browsers that show no modern format. What is made for them replaces the original in its own place."""

GAINS_AT = (50, 65, 75, 80, 85, 90)
"""The scores that `Making.gains` are told for."""


@dataclass(frozen=True, slots=True)
class Look:
    """What decides about colour: `exacting` fidelity, fine coloured `texture`, and whether qualities are `fixed`."""

    exacting: bool
    texture: bool
    fixed: bool


@dataclass(frozen=True, slots=True)
class Making:
    """How a tier's lossy files are made and searched.

    `scale` is a typical picture's, of the thorough encoder at half chroma and 8 bits; `limits` are the qualities that a
    search may take, `twins` those that give the same file as the setting one lower. `gains` tells by how many points
    the thorough encoder scores above the quick one, at `GAINS_AT`, `fine_gain` by how many more with finer chroma, and
    `drawn_gain` on drawings. `fixed` is the quality where nothing is searched, `fixed_drawn` the least for drawings.

    `settings` of a quality, with finer chroma or not, and smoother gradients or not; `fine_from_start` whether a look
    asks for finer chroma at once. Beyond `half_chroma_up_to`, whole chroma may need fewer bytes for the same score.
    `probes`: a quick encode is so much cheaper than a thorough one that it is worth a try wherever the ends of a ladder
    leave a doubt; else it is tried at these ends alone. `tolerance` are the points of score above the goal that end a
    search: the cheaper an encode, the fewer. `quick_shares` are the parts of a quick file's bytes that a thorough one
    of the same look takes at least, of busy and of noisy large photographs (docs/decisions/0021).

    `drawn` are the ways for drawings, lossless first and then by falling quality, each with the format's name; none:
    they are made like all else.
    """

    encoder: Encoder
    scale: Scale
    limits: tuple[int, int]
    gains: tuple[float, ...]
    fixed: int
    settings: Callable[[int, bool, bool], Settings]
    fine_from_start: Callable[[Look], bool]
    fixed_drawn: int = 0
    half_chroma_up_to: int = 100
    fine_gain: float = 0.0
    drawn_gain: float = 0.0
    twins: frozenset[int] = frozenset()
    probes: bool = True
    tolerance: float = 2.5
    quick_shares: tuple[float, float] = (0.35, 0.35)
    drawn: tuple[tuple[FormatName, Settings], ...] = ()


@dataclass(frozen=True, slots=True)
class Moving:
    """How a tier's animations are written: at a quality, or without loss (None) where it can.

    `ends`: the format can tell that an animation ends.
    """

    write: Callable[[Animation, int | None], bytes]
    lossless: bool = False
    ends: bool = True


@dataclass(frozen=True, slots=True)
class TierRow:
    """A tier: its browsers show all that older ones show, and files of `format`.

    `words` name its visitors in a sentence. The larger `order`, the more modern. `in_chromium`: the Chromium that
    measures shows it too.
    """

    name: Tier
    words: str
    format: FormatName
    order: int
    making: Making
    moving: Moving | None = None
    in_chromium: bool = True


TIERS: dict[Tier, TierRow] = {}
"""Every tier by its name, the most modern first."""


def register_tier(row: TierRow) -> None:
    """Adds a tier in its place, or replaces the row of its name."""
    rows = sorted([*(r for r in TIERS.values() if r.name != row.name), row], key=lambda r: -r.order)
    TIERS.clear()
    TIERS.update((r.name, r) for r in rows)


def ways_for(
    tier: Tier, drawn: bool, has_alpha: bool, fallback: FormatName | None
) -> tuple[tuple[FormatName, Settings], ...]:
    """A tier's ways for a drawing, or for transparency that its own format can't keep; none: it is searched.

    `fallback` is the format that is asked for fallbacks (None: as suits the picture).
    """
    making = TIERS[tier].making
    kept_whole = fallback != TIERS[tier].format if tier == BASELINE and fallback else drawn
    return making.drawn if kept_whole or (has_alpha and not making.encoder.can.alpha) else ()


def modern_tiers() -> tuple[Tier, ...]:
    """All but the baseline, the most modern first."""
    return tuple(name for name in TIERS if name != BASELINE)


def and_older(tier: Tier) -> tuple[Tier, ...]:
    """The tier and all older ones, the most modern first."""
    return _from(tier, tuple(TIERS))


@lru_cache(256)
def _from(tier: Tier, known: tuple[Tier, ...]) -> tuple[Tier, ...]:
    return known[known.index(tier) :]


def measured_tier() -> Tier:
    """The tier that the Chromium which measures belongs to."""
    return next(name for name, row in TIERS.items() if row.in_chromium)


def is_modern(name: FormatName) -> bool:
    """Whether a format is what makes a tier of its own."""
    return any(TIERS[tier].format == name for tier in modern_tiers())


def shown_by(tier: Tier) -> frozenset[str]:
    """The media types that a tier's browsers show."""
    newer = {TIERS[name].format for name in and_older(tier) if name != BASELINE}
    rows = (row for row in FORMATS.values() if row.shown_by_all or row.name in newer)
    return frozenset(mime for row in rows for mime in row.mimes)


def shown_by_chromium() -> frozenset[str]:
    """The media types that Debian's Chromium shows: JPEG XL too."""
    return shown_by(measured_tier()) | {"image/jxl"}
