"""How much there is to draw in a picture: what it weighs as a plain JPEG in a few widths."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

_WIDTHS = (160, 480, 1440)
_QUALITY = 75
_ALMOST = 0.8
"""A picture hardly wider than the last width says nothing new."""

Detail = tuple[tuple[int, int], ...]
"""Pairs of width in pixels and bytes, by rising width."""


def detail_of(array: NDArray[np.uint8]) -> Detail:
    """The bytes of a picture (height x width x 3, sRGB) as a JPEG of one quality, reduced to a few widths.

    Bytes at a quality tell how busy a picture is, and how that falls with its width.
    """
    height, width = array.shape[:2]
    sides = [w for w in _WIDTHS if w < width]
    if not sides or (sides[-1] < width * _ALMOST and width <= _WIDTHS[-1]):
        sides.append(width)
    found: list[tuple[int, int]] = []
    small = array
    # Each is reduced from the one before it: means of means are the same, and much less is read.
    for side in reversed(sides):
        if side < width:
            size = side, max(1, round(height * side / width))
            small = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.uint8)
        options = [cv2.IMWRITE_JPEG_QUALITY, _QUALITY, cv2.IMWRITE_JPEG_OPTIMIZE, 1]
        done, data = cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), options)
        if done:
            found.append((side, len(data)))
    return tuple(reversed(found))
