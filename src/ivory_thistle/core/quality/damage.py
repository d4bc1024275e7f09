"""Where a rendition differs from its original: a map, and the worst spots as boxes."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.quality.ssimulacra2 import RADIUS, Plane, Prepared, blurred, similarity_loss, strips_of

_LUMA = 1
_MAP_SCALES = (0, 1, 2, 3)
_SPOT_SHARE = 0.12
_LEAST_SPOT, _MOST_SPOT = 32, 256


@dataclass(frozen=True, slots=True)
class Spot:
    """A box in picture coordinates (pixels) and how much differs in it (mean of the map, 0 for nothing)."""

    x: int
    y: int
    width: int
    height: int
    damage: float


def damage_map(original: Prepared, array: NDArray[np.uint8], finest: int = 0) -> Plane:
    """How much each pixel's surroundings differ: height x width, 0 for not at all.

    The loss of structural similarity of the luminance, meant over the four largest scales from `finest` on (0 is the
    whole size, 1 half of it, which takes a third of the time); with alpha the worse of the two grounds.
    """
    worst: Plane | None = None
    for ground, found in original.grounds.items():
        there = [s for s in _MAP_SCALES if (s, _LUMA) in found.planes]
        scales = [s for s in there if s >= finest] or there
        losses: dict[int, list[Plane]] = {}
        # In small pictures, some scales tell nothing of the luminance.
        wanted = [(_LUMA,) if s in scales else () for s in range(max(scales, default=-1) + 1)]
        for scale, number, rows, planes in strips_of(array, ground, wanted):
            plane = planes[_LUMA]
            loss = similarity_loss(found.planes[scale, _LUMA][number], plane, rows, blurred(plane, rows))
            losses.setdefault(scale, []).append(loss[:, RADIUS:-RADIUS])
        total: Plane = np.zeros((original.height, original.width), np.float32)
        for strips in losses.values():
            whole, size = np.vstack(strips), (original.width, original.height)
            total += cv2.resize(whole, size, interpolation=cv2.INTER_LINEAR) / len(scales)
        worst = total if worst is None else np.maximum(worst, total)
    assert worst is not None
    return worst


def worst_spots(damage: Plane, count: int = 4) -> list[Spot]:
    """The boxes of most damage, the worst first, well apart from one another; fewer where a picture has no more."""
    height, width = damage.shape
    side = int(min(max(_SPOT_SHARE * min(width, height), _LEAST_SPOT), _MOST_SPOT, width, height))
    means = cv2.blur(damage, (side, side), borderType=cv2.BORDER_REPLICATE)
    # Only where a whole box fits.
    half, rest = side // 2, side - side // 2
    open_ = np.full_like(means, -1.0)
    open_[half : height - rest + 1, half : width - rest + 1] = means[half : height - rest + 1, half : width - rest + 1]
    found: list[Spot] = []
    while len(found) < count:
        _, most, _, (x, y) = cv2.minMaxLoc(open_)
        if most <= 0:
            break
        found.append(Spot(x - half, y - half, side, side, float(most)))
        # The coarser scales spread damage: what lies right beside a spot is most likely its halo.
        apart = side + side // 2
        open_[max(0, y - apart) : y + apart, max(0, x - apart) : x + apart] = -1.0
    return found
