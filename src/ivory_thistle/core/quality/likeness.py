"""Whether two pictures of one page look alike: as a whole, and where they differ most."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.quality.damage import Spot, damage_map, worst_spots
from ivory_thistle.core.quality.ssimulacra2 import prepare, score

LEAST_SCORE = 40.0
"""Files of the lean fidelity keep 50; boxes that are off by a part of a pixel cost a little more."""
LEAST_AT_WORST = -20.0
"""A spot below shows something else, or the same at another place, not just more loss."""
_REACH, _BAND = 2, 32
"""Boxes may be off by a CSS px: bands of so many rows are held against those up to so many px above and below."""
_AROUND = 32
"""Pixels around the worst spot that are judged with it."""
_SMALLEST = 16
_LARGE = 1_000_000
"""Pixels that the whole is judged in, at most: a larger page is judged reduced, which is sure enough for a whole."""
_COLUMNS = 4
"""About every so many columns are looked at to find where rows are."""

Picture = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Likeness:
    """Scores of the whole and of its worst spot (100 where both are equal), and where that is, in pixels."""

    score: float
    worst: float
    spot: Spot | None = None

    @property
    def words(self) -> str:
        """What is wrong; empty where the pictures are alike."""
        if self.score < LEAST_SCORE:
            return f"The page looks different: a score of {self.score:.0f}, where {LEAST_SCORE:.0f} are wanted."
        if self.spot and self.worst < LEAST_AT_WORST:
            spot = self.spot
            where = f"{spot.width} x {spot.height} px at {spot.x:,}, {spot.y:,}"
            return f"The page looks different in one place ({where}): a score of {self.worst:.0f} there."
        return ""


def likeness(before: Picture, after: Picture) -> Likeness:
    """Holds two pictures (height x width x 3, sRGB) against each other; of unlike sizes, what both cover.

    Only the rows between the first and the last that differ are judged, each as near as it is found in the other.
    """
    height, width = (min(a, b) for a, b in zip(before.shape[:2], after.shape[:2], strict=True))
    before, after = before[:height, :width], aligned(before[:height, :width], after[:height, :width])
    rows = np.flatnonzero(cv2.absdiff(before, after).reshape(height, -1).max(axis=1))
    if not rows.size:
        return Likeness(100.0, 100.0)
    top, bottom = max(0, int(rows[0]) - _AROUND), min(height, int(rows[-1]) + 1 + _AROUND)
    before, after = _large_enough(before[top:bottom]), _large_enough(after[top:bottom])
    step = ceil(sqrt(before.shape[0] * width / _LARGE))
    small = [_reduced(picture, step) for picture in (before, after)]
    prepared = prepare(small[0])
    spots = worst_spots(damage_map(prepared, small[1], finest=1), 1)
    whole = score(prepared, small[1])
    if not spots:
        return Likeness(whole, whole)
    found = spots[0]
    spot = Spot(found.x * step, found.y * step, found.width * step, found.height * step, found.damage)
    y, x = max(0, spot.y - _AROUND), max(0, spot.x - _AROUND)
    part = np.s_[y : spot.y + spot.height + _AROUND, x : spot.x + spot.width + _AROUND]
    worst = score(prepare(np.ascontiguousarray(before[part])), np.ascontiguousarray(after[part]))
    return Likeness(whole, worst, Spot(spot.x, spot.y + top, spot.width, spot.height, spot.damage))


def aligned(before: Picture, after: Picture) -> Picture:
    """`after` with each band of rows taken from where it is most like `before`, a few pixels above or below."""
    height, width = before.shape[:2]
    few = (ceil(width / _COLUMNS), height)
    old, new = (np.asarray(cv2.resize(p, few, interpolation=cv2.INTER_NEAREST), np.uint8) for p in (before, after))
    apart = np.add.reduceat(_row_sums(old, new), np.arange(0, height, _BAND))
    offsets = np.zeros(len(apart), np.int64)
    # Most bands of a page are equal already.
    unlike = np.flatnonzero(apart)
    rows = np.flatnonzero(np.repeat(apart > 0, _BAND)[:height])
    starts, best = np.searchsorted(rows, unlike * _BAND), apart[unlike]
    for offset in sorted(range(-_REACH, _REACH + 1), key=abs)[1:] if unlike.size else ():
        each = _row_sums(old[rows], new[np.clip(rows + offset, 0, height - 1)])
        bands = np.add.reduceat(each, starts)
        offsets[unlike[bands < best]] = offset
        best = np.minimum(best, bands)
    if not offsets.any():
        return after
    rows = np.clip(np.arange(height) + np.repeat(offsets, _BAND)[:height], 0, height - 1)
    return np.ascontiguousarray(after[rows])


def _row_sums(before: Picture, after: Picture) -> NDArray[np.int64]:
    """How much each row differs."""
    return np.asarray(cv2.absdiff(before, after).reshape(before.shape[0], -1).sum(axis=1, dtype=np.int64))


def _reduced(picture: Picture, step: int) -> Picture:
    if step <= 1:
        return picture
    size = (max(1, picture.shape[1] // step), max(1, picture.shape[0] // step))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


def _large_enough(picture: Picture) -> Picture:
    """A few rows alone can't be judged: the last is repeated."""
    missing = [(0, max(0, _SMALLEST - side)) for side in picture.shape[:2]]
    return np.ascontiguousarray(np.pad(picture, (*missing, (0, 0)), mode="edge"))
