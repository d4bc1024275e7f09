"""What kind of damage a spot shows: told by its pixels, in the order in which people notice."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Damage = Literal["colour shifted", "moved", "blocks", "texture lost", "ringing", "changed"]
_COLOUR, _MOVED, _BLOCKS = 3.0, 0.75, 0.85
"""A shift of colour in CIE76, of place in pixels, and steps between blocks over the picture's own: from here on they
are what one sees first. The planted damage of tests/core/test_damage_kinds.py decides."""
_LOST, _RINGS = 0.55, 1.35
"""Fine detail that is left, as a share of the original's."""
_PLAIN = 2.0
"""Below this variance there is no detail to lose."""
_LEAST_SIDE = 16
"""Smaller spots tell nothing but that they changed."""
_BLOCK_SIDES = range(4, 17)
"""Sides of the blocks that codecs work in (JPEG 8, ITU-T T.81; WebP 4 and 16, RFC 6386) and what lies between."""
_FEWEST_LINES = 3
_PATCH = 16
"""Pixels that a colour is meant over, so that fine noise of colour does not count."""
_UNSEEN, _COLOUR_WEIGHT = 2.0, 1 / 60
"""CIE76: below it a patch of colour looks the same (common practice, no source); what one more adds to the map."""


def kind_of(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> Damage:
    """The first kind that fits; both are the same part, height x width x 3, sRGB."""
    was, now = _grey(before), _grey(after)
    if min(was.shape) < _LEAST_SIDE:
        return "colour shifted" if colour_shift(before, after) >= _COLOUR else "changed"
    detail_was, detail_now = _detail(was), _detail(now)
    has_detail = detail_was > _PLAIN
    if has_detail and detail_now > _LOST * detail_was and _moved(was, now) >= _MOVED:
        return "moved"
    if _blocks(was, now) >= _BLOCKS:
        return "blocks"
    if colour_shift(before, after) >= _COLOUR:
        return "colour shifted"
    if has_detail and detail_now < _LOST * detail_was:
        return "texture lost"
    return "ringing" if detail_now > _RINGS * max(detail_was, _PLAIN) else "changed"


def colour_shift(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> float:
    """The distance of the mean colours in CIE Lab (CIE76)."""
    means = [_lab(one).mean(axis=(0, 1)) for one in (before, after)]
    return float(np.linalg.norm(means[0] - means[1]))


def colour_map(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> NDArray[np.float32]:
    """How much the colour of each pixel's surroundings differs: height x width, 0 for nothing that is seen.

    In the measure of `damage_map`, which sees the structure of the luminance alone.
    """
    height, width = before.shape[:2]
    small = max(1, width // _PATCH), max(1, height // _PATCH)
    patches = [
        _lab(np.asarray(cv2.resize(one, small, interpolation=cv2.INTER_AREA), np.uint8)) for one in (before, after)
    ]
    apart = np.linalg.norm(patches[0] - patches[1], axis=2)
    seen = np.maximum(apart - _UNSEEN, 0.0).astype(np.float32) * _COLOUR_WEIGHT
    return np.asarray(cv2.resize(seen, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def _lab(array: NDArray[np.uint8]) -> NDArray[np.float32]:
    return np.asarray(cv2.cvtColor(array.astype(np.float32) / 255, cv2.COLOR_RGB2LAB), np.float32)


def _grey(array: NDArray[np.uint8]) -> NDArray[np.float32]:
    return cv2.cvtColor(np.ascontiguousarray(array), cv2.COLOR_RGB2GRAY).astype(np.float32)


def _detail(grey: NDArray[np.float32]) -> float:
    """How much fine detail there is: the variance of the Laplacian."""
    return float(cv2.Laplacian(grey, cv2.CV_32F).var())


def _moved(was: NDArray[np.float32], now: NDArray[np.float32]) -> float:
    """By how many pixels the content lies elsewhere, by phase correlation; 0 where that is not clear."""
    window = cv2.createHanningWindow((was.shape[1], was.shape[0]), cv2.CV_32F)
    (x, y), sure = cv2.phaseCorrelate(was, now, window)
    return float(np.hypot(x, y)) if sure > 0.5 else 0.0


def _blocks(was: NDArray[np.float32], now: NDArray[np.float32]) -> float:
    """How far steps between blocks stand out, over the mean step of the original; the sum of both directions.

    Blocks may be of any side and begin anywhere: a part may have been pasted. The original's own steps don't count.
    """
    steps = [
        (np.abs(np.diff(was, axis=axis)).mean(1 - axis), np.abs(np.diff(now, axis=axis)).mean(1 - axis))
        for axis in (0, 1)
    ]
    return max(sum(_lines(before, after, side) for before, after in steps) for side in _BLOCK_SIDES)


def _lines(before: NDArray[np.float32], after: NDArray[np.float32], side: int) -> float:
    """How far every `side`-th step stands out: both of itself and against what it was. Medians: one edge is no grid."""
    count = len(after) // side
    if count < _FEWEST_LINES:
        return 0.0
    of_itself = _standing_out(after, side, count)
    new = _standing_out(after - before, side, count)
    return float(np.minimum(of_itself, new).max()) / (float(before.mean()) + 1.0)


def _standing_out(steps: NDArray[np.float32], side: int, count: int) -> NDArray[np.float32]:
    """The median step at each place of a block, over the median of all."""
    at_places = np.median(steps[: count * side].reshape(count, side), axis=0)
    return np.asarray(at_places - np.median(steps), np.float32)
