"""What an image is (its kind), from features measured on its pixels.

The thresholds were set on scikit-image's pictures, Debian's gnucash-docs (screenshots) and tango-icon-theme (icons),
and the demo site; `tests/standards/test_kinds.py` holds how often they are right.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal

import cv2
import numpy as np
import pyvips
from numpy.typing import NDArray

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.images.detail import Detail, detail_of
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.pixels import Pixels, decode, on_white

Kind = Literal["photograph", "graphic", "lettering", "line art", "animation", "vector"]
DRAWN: frozenset[Kind] = frozenset({"graphic", "lettering", "line art"})
"""Kinds that were drawn, not photographed."""
_CROP = 256
_SMALL = 128
_STEP = 40
_WHOLE_PIXELS = 12_000_000


@dataclass(frozen=True, slots=True)
class Features:
    """What is measured, as shares between 0 and 1 but for `colours` and `strokes`.

    On crops at full size: `equal` neighbours, `grain` (neighbours 1 to 12 levels apart, of those up to 12), `steps`
    from a pixel to the next of 40 levels and more, `sharp` ones among these (flat on one side within 4 pixels), and the
    `strokes` in 100 pixels of a row (steps, in the rows that have any). On the whole, reduced: the share of the
    commonest `ground` colour, `grey` pixels, and how many `colours` of 4,096 cover 95 %.
    """

    equal: float
    grain: float
    steps: float
    sharp: float
    strokes: float
    ground: float
    grey: float
    colours: int

    def as_dict(self) -> dict[str, Any]:
        """Plain values, rounded for reading."""
        return {k: round(v, 3) for k, v in asdict(self).items()}


@dataclass(frozen=True, slots=True)
class Look:
    """What the pixels of one image say. `alpha_used`: any pixel is not opaque (None without an alpha channel).

    `hash` is a perceptual hash of 64 bits as 16 hexadecimal digits; near duplicates differ in few bits. `detail` is
    what a plain JPEG of it weighs in a few widths.
    """

    kind: Kind
    why: str
    features: dict[str, Any]
    alpha_used: bool | None
    hash: str
    detail: Detail = ()


def measure_features(array: NDArray[np.uint8]) -> Features:
    """Features of a picture: height x width x 3, sRGB, 8 bits, on white where it was transparent."""
    # Of a single row or column, every pixel is its own neighbour.
    array = np.pad(array, [*((0, max(0, 2 - side)) for side in array.shape[:2]), (0, 0)], mode="edge")
    crops = _crops(array)
    equal, grain, steps, sharp, rows = [], [], [], [], []
    for crop in crops:
        across = _most_of_channels(cv2.absdiff(crop[:, 1:], crop[:, :-1]))
        down = _most_of_channels(cv2.absdiff(crop[1:], crop[:-1]))
        same = (_share(across == 0) + _share(down == 0)) / 2
        calm = (_share(across <= 12) + _share(down <= 12)) / 2
        equal.append(same)
        grain.append((calm - same) / calm if calm else 1.0)
        strong = across >= _STEP
        steps.append((_share(strong) + _share(down >= _STEP)) / 2)
        sharp.append(_sharp_share(across, strong))
        counts = np.count_nonzero(strong, axis=1)
        rows.append(float(counts[counts > 0].mean() / crop.shape[1] * 100) if counts.any() else 0.0)
    weights = [c.shape[0] * c.shape[1] for c in crops]
    small = _nearest(array, _SMALL)
    codes = (small[:, :, 0] >> 4).astype(np.int32) * 256 + (small[:, :, 1] >> 4) * 16 + (small[:, :, 2] >> 4)
    counts = np.sort(np.bincount(codes.ravel(), minlength=4096))[::-1]
    cover = np.cumsum(counts) / counts.sum()
    chroma = _most_of_channels(small) - _most_of_channels(small, np.minimum)
    return Features(
        equal=float(np.average(equal, weights=weights)),
        grain=float(np.average(grain, weights=weights)),
        steps=float(np.average(steps, weights=weights)),
        sharp=float(np.average(sharp, weights=weights)),
        strokes=float(np.average(rows, weights=weights)),
        ground=float(counts[0] / counts.sum()),
        grey=_share(chroma <= 12),
        colours=int(np.searchsorted(cover, 0.95) + 1),
    )


def _most_of_channels(array: Any, of: Any = np.maximum) -> NDArray[np.uint8]:
    """The largest (or least) of three channels; along an axis of three, NumPy's own takes ten times as long."""
    return np.asarray(of(of(array[:, :, 0], array[:, :, 1]), array[:, :, 2]), np.uint8)


def _share(mask: NDArray[np.bool_]) -> float:
    return float(np.count_nonzero(mask) / mask.size)


def decide(features: Features, width: int, height: int) -> tuple[Kind, str]:
    """The kind of a still raster image, and why in words."""
    f, side = features, max(width, height)
    grain = f"{100 * f.grain:.0f} % of neighbouring pixels differ a little"
    if side <= 64 or (side <= 128 and f.grain < 0.8) or (side <= 266 and f.grain < 0.62):
        return "graphic", f"Small ({width} × {height}), and {grain}."
    if f.grain <= 0.32:
        if f.colours <= 2 and f.equal >= 0.95:
            return "line art", f"Thin lines on a ground that fills {100 * f.ground:.0f} %, of {f.colours} colours."
        if f.strokes > 2.25:
            return "lettering", f"Drawn ({grain}), with {f.strokes:.0f} sharp steps in 100 pixels of a row."
        return "graphic", f"Drawn ({grain}), with few steps."
    if f.grain <= 0.45 and f.sharp > 0.44:
        return "graphic", f"Sharp edges between calm areas, though {grain}."
    return "photograph", f"Grain as of a camera: {grain}."


def _crops(array: NDArray[np.uint8]) -> list[NDArray[np.uint8]]:
    """Up to five squares at full size: the middle and the quarters."""
    height, width = array.shape[:2]
    if height <= 2 * _CROP and width <= 2 * _CROP:
        return [array]
    centres = [(0.5, 0.5), (0.25, 0.25), (0.25, 0.75), (0.75, 0.25), (0.75, 0.75)]
    found = []
    for y, x in centres:
        top = int(min(max(0, y * height - _CROP / 2), max(0, height - _CROP)))
        left = int(min(max(0, x * width - _CROP / 2), max(0, width - _CROP)))
        found.append(array[top : top + _CROP, left : left + _CROP])
    return found


def _sharp_share(across: NDArray[np.uint8], strong: NDArray[np.bool_]) -> float:
    """Of the strong steps across, the share with flat pixels right before or right after: drawn, not photographed."""
    if across.shape[1] < 8 or not strong.any():
        return 0.0
    calm = across <= 4
    pairs = calm[:, :-1] & calm[:, 1:]  # a flat run of three pixels, by where it begins
    inner = strong[:, 4:-4]
    width = inner.shape[1]
    before = pairs[:, 1 : 1 + width] | pairs[:, 2 : 2 + width]
    after = pairs[:, 5 : 5 + width] | pairs[:, 6 : 6 + width]
    total = np.count_nonzero(inner)
    return float(np.count_nonzero(inner & (before | after)) / total) if total else 0.0


def _nearest(array: NDArray[np.uint8], side: int) -> NDArray[np.uint8]:
    """The picture at `side` pixels at most by dropping pixels: no colour is invented."""
    height, width = array.shape[:2]
    rows = np.linspace(0, height - 1, min(side, height)).astype(int)
    columns = np.linspace(0, width - 1, min(side, width)).astype(int)
    picked: NDArray[np.uint8] = array[rows][:, columns]
    return picked


def look_at(data: bytes, facts: ImageFacts) -> Look | None:
    """Kind, use of alpha and perceptual hash; None for what can't be decoded."""
    return look_of(pixels_to_judge(data, facts), facts)


def pixels_to_judge(data: bytes, facts: ImageFacts) -> Pixels | None:
    """The pixels that a picture is judged by; None for vector drawings and for what can't be decoded."""
    if facts.is_vector or facts.problem or not facts.is_raster:
        return None
    try:
        # Reducing would invent colours between flat areas; a photograph's grain is still there at 2,048 pixels.
        drawn = FORMATS[facts.format].flat and facts.width * facts.height <= _WHOLE_PIXELS
        return decode(data, facts, None if drawn else min(facts.width, 2048))
    except (PictureError, pyvips.Error, OSError, MemoryError):
        return None


def look_of(pixels: Pixels | None, facts: ImageFacts) -> Look | None:
    """What the pixels of a picture say, where there are any."""
    if facts.is_vector:
        return Look("vector", "It is a vector drawing.", {}, None, "")
    if pixels is None:
        return None
    array = pixels.array
    alpha_used = bool((array[:, :, -1] < 255).any()) if pixels.has_alpha else None
    flat = on_white(array)
    features = measure_features(flat)
    kind, why = decide(features, facts.width, facts.height)
    if facts.frames > 1:
        kind, why = "animation", f"It has {facts.frames} frames."
    return Look(kind, why, features.as_dict(), alpha_used, perceptual_hash(flat), detail_of(flat))


def perceptual_hash(array: NDArray[np.uint8]) -> str:
    """The signs of the lowest 8 x 8 cosine frequencies (without the constant ones) of the picture at 32 x 32.

    Frequencies are compared with their median, as is common practice for DCT hashes.
    """
    height, width = array.shape[:2]
    rows = np.linspace(0, height, 33).astype(int)
    columns = np.linspace(0, width, 33).astype(int)
    flat = array.reshape(height, -1)
    # A picture of fewer rows or columns than parts has some of them twice.
    parts = [
        flat[start : max(end, start + 1)]
        for start, end in zip(np.minimum(rows[:-1], height - 1), rows[1:], strict=True)
    ]
    grey = np.stack([_sum_of_rows(part).reshape(width, 3) for part in parts]) @ (0.299, 0.587, 0.114)
    sums = np.add.reduceat(grey, np.minimum(columns[:-1], width - 1), 1)
    areas = np.outer(np.maximum(np.diff(rows), 1), np.maximum(np.diff(columns), 1))
    frequencies = cv2.dct(sums / areas)[1:9, 1:9].ravel()
    bits = frequencies > np.median(frequencies)
    return f"{int(''.join('1' if b else '0' for b in bits), 2):016x}"


def _sum_of_rows(array: NDArray[np.uint8]) -> NDArray[np.float64]:
    return np.asarray(cv2.reduce(array, 0, cv2.REDUCE_SUM, dtype=cv2.CV_64F), np.float64)


def distance(a: str, b: str) -> int:
    """In how many of their 64 bits two hashes differ."""
    return (int(a, 16) ^ int(b, 16)).bit_count()
