"""SSIMULACRA 2, computed only where it counts.

The published algorithm and weights (libjxl, tools/ssimulacra2.cc, BSD-3-Clause): structural
similarity and edge differences of XYB planes at six scales. Of its 108 weights, those that can't move the score by a
hundredth of a point are left out, and with them most planes of the largest scale. Everything of the original's side is
prepared once. Float32 throughout; within 0.5 points of the reference package (tests/core/test_quality.py).

Pictures are sRGB with 8 bits. A picture with alpha is judged over a dark and a light ground, and the worse one counts.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_SCALES = 6
_LEAST_SIDE = 8
_C2 = np.float32(0.0009)
RADIUS = 5
_SIGMA = 1.5
_STRIP = 100_000
"""Pixels of a strip, about: its float32 planes stay in the cache."""
_NEGLIGIBLE = 0.003
"""A weight below this times the largest means met (about 1) changes the score by less than a hundredth."""
GROUNDS = (0.1, 0.9)

# Absorbance of the opsin model (libjxl, lib/jxl/opsin_params.h).
_MATRIX = np.array(
    [
        [0.30, 1.0 - 0.078 - 0.30, 0.078],
        [0.23, 1.0 - 0.078 - 0.23, 0.078],
        [0.24342268924547819, 0.20476744424496821, 1.0 - 0.24342268924547819 - 0.20476744424496821],
    ],
    dtype=np.float32,
)
_BIAS = 0.0037930732552754493
_BIAS_ROOT = np.float32(np.cbrt(_BIAS))

# In the order channel (X, Y, B), scale, norm (mean, fourth), and what is measured (similarity, ringing, blur).
_WEIGHTS = (
    0.0, 0.0007376606707406586, 0.0, 0.0, 0.0007793481682867309, 0.0, 0.0, 0.0004371155730107379, 0.0,
    1.1041726426657346, 0.00066284834129271, 0.00015231632783718752, 0.0, 0.0016406437456599754, 0.0,
    1.8422455520539298, 11.441172603757666, 0.0, 0.0007989109436015163, 0.000176816438078653, 0.0,
    1.8787594979546387, 10.94906990605142, 0.0, 0.0007289346991508072, 0.9677937080626833, 0.0,
    0.00014003424285435884, 0.9981766977854967, 0.00031949755934435053, 0.0004550992113792063, 0.0, 0.0,
    0.0013648766163243398, 0.0, 0.0,
    0.0, 0.0, 0.0, 7.466890328078848, 0.0, 17.445833984131262, 0.0006235601634041466, 0.0, 0.0,
    6.683678146179332, 0.00037724407979611296, 1.027889937768264, 225.20515300849274, 0.0, 0.0,
    19.213238186143016, 0.0011401524586618361, 0.001237755635509985, 176.39317598450694, 0.0, 0.0,
    24.43300999870476, 0.28520802612117757, 0.0004485436923833408, 0.0, 0.0, 0.0,
    34.77906344483772, 44.835625328877896, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0,
    0.0, 0.0008680556573291698, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0005313191874358747, 0.0,
    0.00016533814161379112, 0.0, 0.0, 0.0, 0.0, 0.0,
    0.0004179171803251336, 0.0017290828234722833, 0.0, 0.0020827005846636437, 0.0, 0.0,
    8.826982764996862, 23.19243343998926, 0.0, 95.1080498811086, 0.9863978034400682, 0.9834382792465353,
    0.0012286405048278493, 171.2667255897307, 0.9807858872435379, 0.0, 0.0, 0.0,
    0.0005130064588990679, 0.0, 0.00010854057858411537,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Wanted:
    """The weights of one plane: similarity, ringing and blur, each for the mean and for the fourth norm."""

    similarity: tuple[float, float]
    ringing: tuple[float, float]
    blur: tuple[float, float]

    @property
    def any(self) -> bool:
        """False for a plane that need not be computed."""
        return any((*self.similarity, *self.ringing, *self.blur))


@lru_cache(_SCALES + 1)
def _wanted(scales: int) -> Mapping[tuple[int, int], _Wanted]:
    """Weights by scale and channel. With fewer scales the published list is read on without gaps."""
    found, at = {}, 0
    for channel in range(3):
        for scale in range(scales):
            six = [w if w >= _NEGLIGIBLE else 0.0 for w in _WEIGHTS[at : at + 6]]
            found[scale, channel] = _Wanted((six[0], six[3]), (six[1], six[4]), (six[2], six[5]))
            at += 6
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """A strip of one plane of the original, `rows` of it without the context that blurring needs.

    `plane` has that context and `RADIUS` columns of zeros on both sides; the others have the columns only: the local
    `mean`, the local mean of squares less the squared mean, and `detail`: one plus the distance from the mean.
    """

    rows: slice
    plane: Plane
    mean: Plane
    variance: Plane
    detail: Plane


@dataclass(frozen=True, slots=True, eq=False)
class Ground:
    """The original over one ground: the strips of each plane, by scale and channel."""

    planes: Mapping[tuple[int, int], Sequence[Side]]
    scales: int


@dataclass(frozen=True, slots=True, eq=False)
class Prepared:
    """An original's side of the score: `width` x `height`, with alpha over both grounds."""

    width: int
    height: int
    grounds: Mapping[float | None, Ground]


_LINEAR = np.array(
    [v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in (n / 255 for n in range(256))],
    dtype=np.float32,
)


def _linear(array: NDArray[np.uint8], ground: float | None) -> Plane:
    """Linear light, height x width x 3; an alpha channel is laid over a grey (0 to 1, sRGB), as browsers do."""
    if array.ndim == 2:
        array = array[:, :, None]
    colour = array[:, :, :3] if array.shape[2] >= 3 else np.repeat(array[:, :, :1], 3, axis=2)
    if ground is not None and array.shape[2] in (2, 4):
        alpha = array[:, :, -1:].astype(np.float32) / 255
        mixed = colour.astype(np.float32) * alpha + (1 - alpha) * (ground * 255)
        values = mixed / 255
        return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return np.asarray(cv2.LUT(np.ascontiguousarray(colour), _LINEAR), np.float32)


def _halved(linear: Plane) -> Plane:
    """Half the size by means of 2 x 2; a last odd row or column by means of what there is."""
    height, width = linear.shape[:2]
    if height % 2 or width % 2:
        linear = np.asarray(cv2.copyMakeBorder(linear, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE), np.float32)
    return np.asarray(cv2.resize(linear, (linear.shape[1] // 2, linear.shape[0] // 2), interpolation=cv2.INTER_AREA))


def _planes(linear: Plane, channels: tuple[int, ...]) -> dict[int, Plane]:
    """The XYB planes asked for, made positive as the metric wants them, between columns of zeros."""
    roots = []
    for row in (0, 1, 2) if 2 in channels else (0, 1):
        # An affine map: the model's bias is its last column.
        mixed = cv2.transform(linear, np.append(_MATRIX[row], np.float32(_BIAS))[None])
        roots.append(cv2.pow(mixed, 1 / 3))
    found: dict[int, Plane] = {}
    if 0 in channels:
        found[0] = _padded(cv2.addWeighted(roots[0], 7.0, roots[1], -7.0, 0.42))
    if 1 in channels:
        found[1] = _padded(cv2.addWeighted(roots[0], 0.5, roots[1], 0.5, 0.01 - float(_BIAS_ROOT)))
    if 2 in channels:
        y = cv2.addWeighted(roots[0], 0.5, roots[1], 0.5, 0.0)
        found[2] = _padded(cv2.addWeighted(roots[2], 1.0, y, -1.0, 0.55))
    return found


def _padded(plane: Any) -> Plane:
    """Zeros beyond the left and right edge, as the reference's blur sees them."""
    return np.asarray(cv2.copyMakeBorder(plane, 0, 0, RADIUS, RADIUS, cv2.BORDER_CONSTANT, value=0.0), np.float32)


_KERNEL = cv2.getGaussianKernel(2 * RADIUS + 1, _SIGMA, cv2.CV_32F)


def blurred(plane: Plane, rows: slice) -> Plane:
    """Gaussian blur of those rows; mirrored beyond the upper and lower edge, as the reference does."""
    return np.asarray(cv2.sepFilter2D(plane, cv2.CV_32F, _KERNEL, _KERNEL, borderType=cv2.BORDER_REFLECT)[rows])


def _scales_of(width: int, height: int) -> int:
    """How many scales are at least 8 pixels on both sides."""
    scales = 0
    while scales < _SCALES and min(width, height) >= _LEAST_SIDE:
        width, height, scales = (width + 1) // 2, (height + 1) // 2, scales + 1
    return scales


def _channels(scale: int, scales: int) -> tuple[int, ...]:
    return tuple(c for c in range(3) if _wanted(scales)[scale, c].any)


def strips_of(
    array: NDArray[np.uint8], ground: float | None, channels: Sequence[tuple[int, ...]]
) -> Iterator[tuple[int, int, slice, dict[int, Plane]]]:
    """A picture's planes by scale, in strips that fit the processor's cache: about twice as fast as whole planes.

    `channels` are those wanted at each scale. Gives the scale, the number of the strip, its rows without context, and
    its planes.
    """
    height, width = array.shape[:2]
    light: Plane | None = None
    for scale, wanted in enumerate(channels):
        smaller = np.empty(((height + 1) // 2, (width + 1) // 2, 3), np.float32)
        step = max(RADIUS * 2, _STRIP // width // 2 * 2)
        for number, top in enumerate(range(0, height, step)):
            end = min(height, top + step)
            above, below = min(RADIUS, top), min(RADIUS, height - end)
            part = slice(top - above, end + below)
            linear = _linear(array[part], ground) if light is None else light[part]
            rows = slice(above, above + end - top)
            if wanted:
                yield scale, number, rows, _planes(linear, wanted)
            smaller[top // 2 : (end + 1) // 2] = _halved(linear[rows])
        light, (height, width) = smaller, smaller.shape[:2]


def prepare(array: NDArray[np.uint8]) -> Prepared:
    """The original's side, prepared once: height x width x 1 to 4, sRGB, alpha not premultiplied."""
    height, width = array.shape[:2]
    has_alpha = array.ndim == 3 and array.shape[2] in (2, 4) and bool((array[:, :, -1] < 255).any())
    grounds: dict[float | None, Ground] = {}
    scales = _scales_of(width, height)
    for ground in GROUNDS if has_alpha else (None,):
        planes: dict[tuple[int, int], list[Side]] = {}
        for scale, _, rows, found in strips_of(array, ground, [_channels(s, scales) for s in range(scales)]):
            for channel, plane in found.items():
                mean = blurred(plane, rows)
                variance = blurred(plane * plane, rows) - mean * mean
                detail = np.asarray(1 + cv2.absdiff(plane[rows], mean), np.float32)
                planes.setdefault((scale, channel), []).append(Side(rows, plane, mean, variance, detail))
        grounds[ground] = Ground(planes, scales)
    return Prepared(width, height, grounds)


def score(original: Prepared, array: NDArray[np.uint8]) -> float:
    """The score of a rendition of the same size: 100 for no difference, 90 as good as none, 50 medium.

    Raises ValueError for another size. Pictures below 8 x 8 pixels have no scale to be judged at and score 100.
    """
    if array.shape[:2] != (original.height, original.width):
        raise ValueError(f"the original is {original.width} x {original.height}, the rendition {array.shape[1::-1]}")
    return min(_score_over(found, array, ground) for ground, found in original.grounds.items())


def _score_over(original: Ground, array: NDArray[np.uint8], ground: float | None) -> float:
    scales = original.scales
    sums: dict[tuple[int, int], NDArray[np.float64]] = {}
    for scale, number, rows, planes in strips_of(array, ground, [_channels(s, scales) for s in range(scales)]):
        for channel, plane in planes.items():
            side = original.planes[scale, channel][number]
            found = _differences(side, plane, rows, _wanted(scales)[scale, channel])
            sums[scale, channel] = sums.get((scale, channel), 0.0) + found
    total = 0.0
    for (scale, channel), values in sums.items():
        wanted = _wanted(scales)[scale, channel]
        pixels = _ceiling(array.shape[0], scale) * _ceiling(array.shape[1], scale)
        for (mean, fourth), weights in zip(
            values / pixels, (wanted.similarity, wanted.ringing, wanted.blur), strict=True
        ):
            total += weights[0] * float(mean) + weights[1] * float(fourth) ** 0.25
    return _from_difference(total)


def _ceiling(length: int, scale: int) -> int:
    """A length halved so many times, rounded up each time."""
    return -(-length // (1 << scale))


def _differences(side: Side, plane: Plane, rows: slice, wanted: _Wanted) -> NDArray[np.float64]:
    """Of one strip the sums of similarity loss, ringing and blur (rows), and of their fourth powers (columns)."""
    sums = np.zeros((3, 2))
    mean = blurred(plane, rows)
    if any(wanted.similarity):
        sums[0] = _summed(similarity_loss(side, plane, rows, mean), wanted.similarity)
    if any(wanted.ringing) or any(wanted.blur):
        ratio = cv2.absdiff(plane[rows], mean)
        np.add(ratio, 1, out=ratio)
        np.divide(ratio, side.detail, out=ratio)
        np.subtract(ratio, 1, out=ratio)
        if any(wanted.ringing):
            sums[1] = _summed(np.maximum(ratio, 0), wanted.ringing)
        if any(wanted.blur):
            sums[2] = _summed(np.maximum(-ratio, 0), wanted.blur)
    return sums


def similarity_loss(side: Side, plane: Plane, rows: slice, mean: Plane) -> Plane:
    """One minus the structural similarity at every pixel of a strip, at least 0 (with the columns of zeros)."""
    both = blurred(side.plane * plane, rows)
    both -= side.mean * mean
    both *= 2
    both += _C2
    variance = blurred(plane * plane, rows)
    variance -= mean * mean
    variance += side.variance
    variance += _C2
    both /= variance
    apart = side.mean - mean
    apart *= apart
    np.subtract(1, apart, out=apart)
    both *= apart
    np.subtract(1, both, out=both)
    return np.maximum(both, 0, out=both)


def _summed(values: Plane, weights: tuple[float, float]) -> tuple[float, float]:
    """The sum of a strip and of its fourth powers, gathered in double precision, as far as they count."""
    values = values[:, RADIUS:-RADIUS]
    # Squared norm of the squares: the sum of fourth powers.
    fourth = float(cv2.norm(values * values, cv2.NORM_L2SQR)) if weights[1] else 0.0
    return (float(cv2.sumElems(values)[0]) if weights[0] else 0.0), fourth


def _from_difference(total: float) -> float:
    total *= 0.9562382616834844
    total = 2.326765642916932 * total - 0.020884521182843837 * total**2 + 6.248496625763138e-05 * total**3
    return 100.0 - 10.0 * total**0.6276336467831387 if total > 0 else 100.0
