"""When one file of a modern tier already shows that the others are not worth making."""

from __future__ import annotations

from math import floor, inf

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.words import kb

_NO_GAIN = 1.1
"""A modern file that is by so much larger than an older tier's is no gain at other widths either (photographs)."""
_LEAST_OF_SHARE = 0.25
"""Of the share that a tier must save over all rungs, what its widest file saves at least."""
_SURE_OF_SHARE = 2.0
"""A tier whose widest file saves so many times what all must save is worth its files at the narrower rungs too."""
_THOROUGH_NEEDS = 0.35
"""Of a quick encode's bytes, the share that a thorough one needs at least for the same look (drawings: 0.36 seen)."""
_BUSY, _NOISY = 0.6, 1.4
"""Bits a pixel of a quick file from which on thorough encoders save no two thirds of it, and only little."""
FAR_ABOVE = 4.0
"""A quick encode that scores so many points over the goal may weigh far more than what meets it."""


def ceiling_of_narrower(least: int, drawn: bool) -> float:
    """The bytes from which on a file of a narrower rung shows its tier to be no gain; `least` of the older tiers'.

    Photographs gain about the same at all widths; drawings do not, and nothing is told (infinite).
    """
    return inf if drawn else _NO_GAIN * least


def ceiling_of_widest(least: int, fallback: int, rules: Rules, is_only: bool) -> float:
    """The same of the widest rung, as tiers are kept (`worth`); `is_only`: there is no other rung."""
    must_save = max(rules.tier_share * fallback, rules.tier_bytes)
    if fallback - least >= must_save * (1.0 if is_only else _SURE_OF_SHARE):
        # The tier that has the least stays, unless a lighter one takes its place.
        return least
    # At narrower rungs it may save a larger share.
    share = rules.tier_share * (1.0 if is_only else _LEAST_OF_SHARE)
    return floor(fallback - max(share * fallback, rules.tier_bytes)) + 1


def may_be_thoroughly(quick: int, least: int) -> bool:
    """Whether a thorough encode may have `least` bytes or fewer, where a quick one that looks the same has `quick`."""
    return quick * _THOROUGH_NEEDS <= least


def least_of_photograph(quick: float, pixels: int, shares: tuple[float, float]) -> float:
    """The bytes that a thorough encode of a large photograph needs at least, where a quick one of the same look has
    `quick`; `shares` as in `Making.quick_shares`.
    """
    busy, noisy = shares
    bits = 8 * quick / pixels
    return quick * (noisy if bits >= _NOISY else busy if bits >= _BUSY else _THOROUGH_NEEDS)


def no_gain_words(format_: FormatName, least: Encoded, size: float, how: str) -> str:
    """Why a tier is given up whose file has `size` bytes, told by `how`, where an older tier's has `least`."""
    name, other = FORMATS[format_].label, FORMATS[least.format].label
    return f"{name} given up at {least.width:,} px: {kb(round(size))}{how} against {kb(least.bytes)} as {other}."
