"""What the files of one picture tell of those that are still to be made: where their searches begin."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log

import numpy as np

from ivory_thistle.core.formats.tiers import GAINS_AT, TIERS, Tier
from ivory_thistle.core.search import Hint, Scale

_CARRIES_OVER = 0.75
"""Of what a picture was harder (or easier) for one format than the typical one, so much it is for the next."""

_GAIN_CARRIES_OVER = 0.4
"""Of what a thorough encode of one rung gained more (or less) than a typical one, so much it gains at another width."""

_AGREE = 6.0
"""Rungs whose settings lie no further apart than this tell what lies between them without a probe."""


@dataclass(frozen=True, slots=True)
class _Known:
    """What a search of one rung came to: by how many settings the picture is off the typical one there."""

    width: int
    goal: int
    off: float
    gain: float
    fine: bool


class Learnt:
    """What the files so far tell of the next. `chroma`: the tiers that do better with finer chroma (or without)."""

    def __init__(self, drawn: bool = False) -> None:
        """`drawn`: the picture is a drawing."""
        self._drawn = drawn
        self.chroma: dict[Tier, bool] = {}
        self._known: dict[Tier, list[_Known]] = {}

    def hint_for(self, tier: Tier, width: int, goal: int, is_fine: bool) -> Hint:
        """Where the tier's search begins at a width. What quick encodes gain is not known yet of another chroma."""
        known = self._known.get(tier)
        if not known:
            return self._first_hint(tier, goal, is_fine)
        found, typical = _between(known, width), gain_of(tier, goal, is_fine, self._drawn)
        start = scale_of(tier).setting(goal) + found.off
        gain = found.gain if len(known) > 1 else typical + _GAIN_CARRIES_OVER * (found.gain - typical)
        alike = all(one.fine == is_fine for one in known)
        agree = max(abs(one.off - found.off) for one in known) <= _AGREE
        # How the settings of this picture follow from another goal is less sure than from another width.
        asked_before = any(one.goal == goal for one in known)
        # A thorough file that costs little more than a probe tells more than one.
        sure = alike and len(known) > 1 and ((agree and asked_before) or not TIERS[tier].making.probes)
        return Hint(start, gain if alike else typical, sure=sure)

    def _first_hint(self, tier: Tier, goal: int, is_fine: bool) -> Hint:
        """Where a search begins that is the first of its format for this picture: as hard as it was for the others."""
        scale = scale_of(tier)
        harder = [known[-1].off / scale_of(other).step(goal) for other, known in self._known.items()]
        difficulty = _CARRIES_OVER * sum(harder) / len(harder) if harder else 0.0
        return Hint(scale.setting(goal) + difficulty * scale.step(goal), gain_of(tier, goal, is_fine, self._drawn))

    def take(self, tier: Tier, width: int, goal: int, hint: Hint | None, is_fine: bool) -> None:
        """Keeps what a file told (None: nothing was searched)."""
        if hint:
            off = hint.start - scale_of(tier).setting(goal)
            self._known.setdefault(tier, []).append(_Known(width, goal, off, hint.gain, is_fine))


def _between(known: Sequence[_Known], width: int) -> _Known:
    """What holds at a width, by the two nearest to it: on a line over the logarithm of the width, never beyond."""
    first, *others = sorted(known, key=lambda one: abs(log(one.width / width)))
    if not others or others[0].width == first.width:
        return first
    last = others[0]
    share = min(max(log(width / first.width) / log(last.width / first.width), 0.0), 1.0)
    off, gain = last.off - first.off, last.gain - first.gain
    return replace(first, off=first.off + share * off, gain=first.gain + share * gain)


def scale_of(tier: Tier) -> Scale:
    """How a tier's encoder acts on a typical picture."""
    return TIERS[tier].making.scale


def gain_of(tier: Tier, goal: int, is_fine: bool, drawn: bool = False) -> float:
    """By how many points a tier's thorough encoder scores above the quick one on a typical picture."""
    making = TIERS[tier].making
    more = (making.fine_gain if is_fine else 0.0) + (making.drawn_gain if drawn else 0.0)
    return float(np.interp(goal, GAINS_AT, making.gains)) + more
