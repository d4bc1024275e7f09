"""What a picture loses when its colour is kept at half the size, as 4:2:0 does."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from ivory_thistle.core.images.pixels import Pixels

_SEEN, _STRONG = 6, 24


@dataclass(frozen=True, slots=True)
class ChromaLoss:
    """Shares (0 to 1) of the pixels whose colour is off by more than 6 and by more than 24 of 256 levels.

    Fine coloured texture has many of the former; lettering and edges of strong colour have the latter.
    """

    seen: float
    strong: float


def chroma_loss(pixels: Pixels) -> ChromaLoss:
    """The loss of halving Cb and Cr by means of 2 x 2 and spreading them linearly again."""
    if pixels.array.shape[2] < 3:
        return ChromaLoss(0.0, 0.0)
    ycc = cv2.cvtColor(np.ascontiguousarray(pixels.array[:, :, :3]), cv2.COLOR_RGB2YCrCb)
    half = ((pixels.width + 1) // 2, (pixels.height + 1) // 2)
    off = np.zeros((pixels.height, pixels.width), np.uint8)
    for plane in (cv2.extractChannel(ycc, 1), cv2.extractChannel(ycc, 2)):
        small = cv2.resize(plane, half, interpolation=cv2.INTER_AREA)
        again = cv2.resize(small, (pixels.width, pixels.height), interpolation=cv2.INTER_LINEAR)
        off = np.maximum(off, cv2.absdiff(plane, again))
    shares = (float(np.count_nonzero(off > levels)) / off.size for levels in (_SEEN, _STRONG))
    return ChromaLoss(*shares)
