"""`sizes` fitted to boxes that were measured at many widths of the screen: few conditions, and never too small.

A layout makes widths of pieces that are straight lines: a share of the screen, less what stands beside. The fit finds
the longest pieces from the left, each a length that holds at every width that was measured.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Sample = tuple[int, float]
"""A width of the screen and the width that a picture is drawn at there, both in CSS px; 0 where it is not shown."""

_SLACKS = (0.005, 0.02, 0.05, 0.1, 0.2, 0.4)
"""By how much of a box a length may be too large; the first that needs no more than `_MOST_PIECES` is taken."""
_LEAST_SLACK = 1.1
_MOST_PIECES = 6
_SHARE_DIGITS = 2
"""Shares are told to a hundredth of a vw, which is a quarter of a pixel on a screen of 2,560."""
_STEEPEST = 200.0
"""The largest share of the screen, in vw: a box that grows faster is no layout but a change between two."""
_ROUNDED = 0.02
"""CSS px that boxes are rounded by when they are measured; browsers lay out in steps of 1/64 px."""


@dataclass(frozen=True, slots=True)
class _Line:
    """`share` vw and `plus` px, with the signs as they are."""

    share: float
    plus: int

    @property
    def text(self) -> str:
        """As a CSS length."""
        if not self.share:
            return f"{self.plus}px"
        share = f"{self.share:g}vw"
        if not self.plus:
            return share
        return f"calc({share} {'+' if self.plus > 0 else '-'} {abs(self.plus)}px)"


def widest_of(boxes: Iterable[Sequence[Sample]]) -> tuple[Sample, ...]:
    """The widths of several boxes that load the same file, as those of one; all were measured at the same screens."""
    columns = zip(*boxes, strict=True)
    return tuple((column[0][0], max(width for _, width in column)) for column in columns)


def fit_rungs(samples: Sequence[Sample], rungs: Sequence[int], density: float) -> tuple[tuple[int, int], ...]:
    """Up to which measured width of the screen each rung but the widest is enough, by rising widths.

    A rung (pixels) is enough where it gives `density` pixels to each CSS px that is drawn, at that width and at all
    narrower ones; between two measured widths a box may grow with the screen. Rungs that are enough at no measured
    width are left out.
    """
    found: list[tuple[int, int]] = []
    ordered = sorted(samples)
    for rung in sorted(rungs)[:-1]:
        upto = 0
        for (before, narrower), (screen, drawn) in pairwise([ordered[0], *ordered]):
            if max(drawn, narrower * screen / before) * density > rung:
                break
            upto = screen
        if upto and (not found or upto > found[-1][0]):
            found.append((upto, rung))
    return tuple(found)


@lru_cache(4096)
def fit_sizes(samples: tuple[Sample, ...]) -> str:
    """The value of `sizes` for boxes by rising width of the screen; empty where nothing is ever shown.

    At no measured width is it smaller than the box. Between two measured widths, it goes by the wider screen.
    """
    if not any(width for _, width in samples):
        return ""
    screens = np.array([screen for screen, _ in samples], dtype=float)
    boxes = np.array([width for _, width in samples], dtype=float)
    pieces: list[tuple[int, _Line]] = []
    for slack in _SLACKS:
        pieces = list(_pieces(screens, boxes, slack))
        if len(pieces) <= _MOST_PIECES:
            break
    else:
        pieces = [(len(samples) - 1, _Line(0, math.ceil(boxes.max())))]
    conditions = [f"(max-width: {samples[last][0]}px) {line.text}" for last, line in pieces[:-1]]
    return ", ".join([*conditions, pieces[-1][1].text])


def _pieces(screens: NDArray[np.float64], boxes: NDArray[np.float64], slack: float) -> Iterator[tuple[int, _Line]]:
    """The last sample of each piece with its line, from the left."""
    first, total = 0, len(screens)
    while first < total:
        last, line = first, _line(screens[first:], boxes[first:], 1, slack, None)
        misses = 0
        for end in range(first + 2, total + 1):
            longer = _line(screens[first:], boxes[first:], end - first, slack, line)
            if longer is None:
                misses += 1
                if misses > 1:
                    break
                continue
            misses, last, line = 0, end - 1, longer
        assert line is not None, "one sample always has a line"
        yield last, line
        first = last + 1


def _line(
    screens: NDArray[np.float64], boxes: NDArray[np.float64], count: int, slack: float, known: _Line | None
) -> _Line | None:
    """The simplest line over the first samples: a length in px, a share of the screen, or both; None for none."""
    shown = boxes[:count] > 0
    x, low = screens[:count][shown], boxes[:count][shown]
    if not len(x):
        return known or _Line(0, 0)
    high = low + np.maximum(_LEAST_SLACK, low * slack)
    slope = (low[-1] - low[0]) / (x[-1] - x[0]) if len(x) > 1 else 0.0
    shares = [0.0, round(slope * 100, _SHARE_DIGITS), _rounded_up(float((low / x).max()))]
    for share in [*shares, *([known.share] if known else [])]:
        rest = low - x * share / 100
        plus = math.ceil(float(rest.max()) - _ROUNDED)
        if 0 <= share <= _STEEPEST and ((x * share / 100 + plus) <= high).all():
            return _Line(share, plus)
    return None


def _rounded_up(share: float) -> float:
    """A share of the screen in vw, at the next step."""
    steps = 10**_SHARE_DIGITS
    return float(math.ceil(share * 100 * steps - _ROUNDED) / steps)
