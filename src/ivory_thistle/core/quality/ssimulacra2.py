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

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

_SCALES = 6
_LEAST_SIDE = 8
_C2 = np.float32(0.0009)
_RADIUS = 5
_SIGMA = 1.5
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
class _Side:
    """One plane of the original: itself, its local mean, and its local mean of squares less the squared mean."""

    plane: Plane
    mean: Plane
    variance: Plane


@dataclass(frozen=True, slots=True, eq=False)
class _Ground:
    """The original over one ground."""

    planes: Mapping[tuple[int, int], _Side]
    scales: int


@dataclass(frozen=True, slots=True, eq=False)
class Prepared:
    """An original's side of the score: `width` x `height`, with alpha over both grounds."""

    width: int
    height: int
    grounds: Mapping[float | None, _Ground]


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
    return np.ascontiguousarray(_LINEAR[colour])


def _halved(linear: Plane) -> Plane:
    """Half the size by means of 2 x 2; a last odd row or column by means of what there is."""
    height, width = linear.shape[:2]
    if height % 2 or width % 2:
        linear = np.asarray(cv2.copyMakeBorder(linear, 0, height % 2, 0, width % 2, cv2.BORDER_REPLICATE), np.float32)
    return np.asarray(cv2.resize(linear, (linear.shape[1] // 2, linear.shape[0] // 2), interpolation=cv2.INTER_AREA))


def _planes(linear: Plane, channels: tuple[int, ...]) -> dict[int, Plane]:
    """The XYB planes asked for, made positive as the metric wants them."""
    needed = (0, 1, 2) if 2 in channels else (0, 1)
    roots = {}
    for row in needed:
        mixed = cv2.transform(linear, _MATRIX[row : row + 1])
        root: Plane = np.asarray(cv2.pow(np.maximum(mixed + np.float32(_BIAS), 0), 1 / 3), np.float32)
        roots[row] = root - _BIAS_ROOT
    y = (roots[0] + roots[1]) * np.float32(0.5)
    found: dict[int, Plane] = {}
    if 0 in channels:
        found[0] = (roots[0] - roots[1]) * np.float32(7.0) + np.float32(0.42)
    if 1 in channels:
        found[1] = y + np.float32(0.01)
    if 2 in channels:
        found[2] = roots[2] - y + np.float32(0.55)
    return found


_KERNEL = cv2.getGaussianKernel(2 * _RADIUS + 1, _SIGMA, cv2.CV_32F)


def _blurred(plane: Plane) -> Plane:
    """Gaussian blur; zeros beyond the left and right edge, mirrored beyond the others, as the reference does."""
    padded = cv2.copyMakeBorder(plane, 0, 0, _RADIUS, _RADIUS, cv2.BORDER_CONSTANT, value=0.0)
    blurred = cv2.sepFilter2D(padded, cv2.CV_32F, _KERNEL, _KERNEL, borderType=cv2.BORDER_REFLECT)
    return np.asarray(blurred[:, _RADIUS:-_RADIUS])


def _scales_of(width: int, height: int) -> int:
    """How many scales are at least 8 pixels on both sides."""
    scales = 0
    while scales < _SCALES and min(width, height) >= _LEAST_SIDE:
        width, height, scales = (width + 1) // 2, (height + 1) // 2, scales + 1
    return scales


def _channels(scale: int, scales: int) -> tuple[int, ...]:
    return tuple(c for c in range(3) if _wanted(scales)[scale, c].any)


def prepare(array: NDArray[np.uint8]) -> Prepared:
    """The original's side, prepared once: height x width x 1 to 4, sRGB, alpha not premultiplied."""
    height, width = array.shape[:2]
    has_alpha = array.ndim == 3 and array.shape[2] in (2, 4) and bool((array[:, :, -1] < 255).any())
    grounds: dict[float | None, _Ground] = {}
    scales = _scales_of(width, height)
    for ground in GROUNDS if has_alpha else (None,):
        linear = _linear(array, ground)
        planes = {}
        for scale in range(scales):
            for channel, plane in _planes(linear, _channels(scale, scales)).items():
                mean = _blurred(plane)
                planes[scale, channel] = _Side(plane, mean, _blurred(plane * plane) - mean * mean)
            linear = _halved(linear)
        grounds[ground] = _Ground(planes, scales)
    return Prepared(width, height, grounds)


def score(original: Prepared, array: NDArray[np.uint8]) -> float:
    """The score of a rendition of the same size: 100 for no difference, 90 as good as none, 50 medium.

    Raises ValueError for another size. Pictures below 8 x 8 pixels have no scale to be judged at and score 100.
    """
    if array.shape[:2] != (original.height, original.width):
        raise ValueError(f"the original is {original.width} x {original.height}, the rendition {array.shape[1::-1]}")
    return min(_score_over(found, _linear(array, ground)) for ground, found in original.grounds.items())


def _score_over(original: _Ground, linear: Plane) -> float:
    total = 0.0
    for scale in range(original.scales):
        channels = _channels(scale, original.scales)
        for channel, plane in (_planes(linear, channels) if channels else {}).items():
            total += _plane_difference(original.planes[scale, channel], plane, _wanted(original.scales)[scale, channel])
        if scale + 1 < original.scales:
            linear = _halved(linear)
    return _from_difference(total)


def _plane_difference(side: _Side, plane: Plane, wanted: _Wanted) -> float:
    """The weighted difference of one plane."""
    mean = _blurred(plane)
    total = 0.0
    if any(wanted.similarity):
        total += _weighted(similarity_loss(side, plane, mean), wanted.similarity)
    if any(wanted.ringing) or any(wanted.blur):
        ratio = (1 + cv2.absdiff(plane, mean)) / (1 + cv2.absdiff(side.plane, side.mean)) - 1
        if any(wanted.ringing):
            total += _weighted(np.maximum(ratio, 0), wanted.ringing)
        if any(wanted.blur):
            total += _weighted(np.maximum(-ratio, 0), wanted.blur)
    return total


def similarity_loss(side: _Side, plane: Plane, mean: Plane) -> Plane:
    """One minus the structural similarity at every pixel, at least 0."""
    covariance = _blurred(side.plane * plane) - side.mean * mean
    variance = _blurred(plane * plane) - mean * mean
    apart = side.mean - mean
    similarity = (1 - apart * apart) * (2 * covariance + _C2) / (side.variance + variance + _C2)
    loss: Plane = np.maximum(1 - similarity, 0)
    return loss


def planes_of(
    array: NDArray[np.uint8], ground: float | None, scales: Sequence[int], channel: int
) -> Iterator[tuple[int, Plane, Plane]]:
    """A picture's plane of one channel with its local mean, at each of the scales asked for."""
    linear = _linear(array, ground)
    for scale in range(max(scales, default=-1) + 1):
        if scale in scales:
            plane = _planes(linear, (channel,))[channel]
            yield scale, plane, _blurred(plane)
        linear = _halved(linear)


def _weighted(values: Plane, weights: tuple[float, float]) -> float:
    """The mean and the fourth norm of a plane, each by its weight."""
    total = weights[0] * float(cv2.mean(values)[0]) if weights[0] else 0.0
    if weights[1]:
        squares = values * values
        # Squared norm of the squares: the sum of fourth powers, gathered in double precision.
        total += weights[1] * float((cv2.norm(squares, cv2.NORM_L2SQR) / squares.size) ** 0.25)
    return total


def _from_difference(total: float) -> float:
    total *= 0.9562382616834844
    total = 2.326765642916932 * total - 0.020884521182843837 * total**2 + 6.248496625763138e-05 * total**3
    return 100.0 - 10.0 * total**0.6276336467831387 if total > 0 else 100.0
