"""The score of a large picture by squares of it: a glance that tells about the same from fewer pixels."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.quality.ssimulacra2 import prepare, score

_SQUARE, _SQUARES = 192, (5, 3)
"""Pixels across of a square, and how many stand beside and above each other (upright pictures: the other way round)."""
_FLATTERED = 0.9
"""By so many points squares score above the whole, give or take 0.7 (docs/decisions/0021)."""

Array = NDArray[np.uint8]


def has_squares(array: Array) -> bool:
    """Whether a picture (height x width x channels, uint8) is so large that squares of it are fewer pixels."""
    height, width = array.shape[:2]
    across, down = _beside(array)
    return bool(width >= across * _SQUARE and height >= down * _SQUARE)


class Squares:
    """Squares of a picture that has them, evenly spread, to be compared with those of others of its size."""

    def __init__(self, picture: Array) -> None:
        self._prepared = prepare(_squares_of(picture))

    def score(self, other: Array) -> float:
        """About the score that the whole of the other picture has."""
        return score(self._prepared, _squares_of(other)) - _FLATTERED


def _beside(array: Array) -> tuple[int, int]:
    height, width = array.shape[:2]
    return _SQUARES if width >= height else (_SQUARES[1], _SQUARES[0])


def _squares_of(array: Array) -> Array:
    """Put together as one picture."""
    height, width = array.shape[:2]
    across, down = _beside(array)
    lefts, tops = _spread(width, across), _spread(height, down)
    return np.vstack([np.hstack([array[y : y + _SQUARE, x : x + _SQUARE] for x in lefts]) for y in tops])


def _spread(length: int, count: int) -> list[int]:
    """Where squares begin that each stand in the middle of their part of a side."""
    return [round(length * (n + 0.5) / count - _SQUARE / 2) for n in range(count)]
