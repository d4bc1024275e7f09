"""Ways to say a new size, a cut around what matters, and sharpening after reduction. Nothing is ever enlarged."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from ivory_thistle.core.images.pixels import Pixels, reduce

Mode = Literal["width", "height", "longest", "percent", "fit", "fill"]
_DETAIL_SIDE = 256
_SHARPEN_FROM = 0.5
"""Sharpening is for reductions to half the width and less."""


@dataclass(frozen=True, slots=True)
class Resize:
    """A new size. `width` and `height` are in pixels; "longest" and "percent" (of both sides) read `width`.

    "fit" keeps the whole picture within the box, "fill" fills the box and cuts what is too much around `focus`: shares
    (0 to 1) of width and height from the top left; None: where the detail is.
    """

    mode: Mode
    width: float = 0
    height: int = 0
    focus: tuple[float, float] | None = None


def as_resize(values: Mapping[str, Any]) -> Resize:
    """The same again from plain values, as `asdict` gives them."""
    focus = values.get("focus")
    return Resize(**{**values, "focus": tuple(focus) if focus else None})


def target_size(width: int, height: int, how: Resize) -> tuple[int, int]:
    """The size in pixels that a picture of `width` x `height` gets; never more than it has, at least one pixel."""
    if how.mode == "fill":
        # Where the picture is smaller than the box, the box shrinks in its own proportions.
        scale = min(1.0, width / how.width, height / how.height)
        return max(1, round(how.width * scale)), max(1, round(how.height * scale))
    share = {
        "width": lambda: how.width / width,
        "height": lambda: how.height / height,
        "longest": lambda: how.width / max(width, height),
        "percent": lambda: how.width / 100,
        "fit": lambda: min(how.width / width, how.height / height),
    }[how.mode]()
    share = min(1.0, share)
    return max(1, round(width * share)), max(1, round(height * share))


def resize(pixels: Pixels, how: Resize) -> Pixels:
    """The picture in its new size, reduced in linear light."""
    width, height = target_size(pixels.width, pixels.height, how)
    if how.mode != "fill":
        return reduce(pixels, width)
    x, y, w, h = cut(pixels.width, pixels.height, width / height, how.focus or focal_point(pixels))
    part = Pixels(np.ascontiguousarray(pixels.array[y : y + h, x : x + w]), pixels.profile)
    return reduce(part, width)


def cut(width: int, height: int, proportion: float, focus: tuple[float, float]) -> tuple[int, int, int, int]:
    """The largest box (x, y, width, height) of a proportion, its middle as near to the focus as the picture allows."""
    w, h = min(width, round(height * proportion)), min(height, round(width / proportion))
    w, h = max(1, w), max(1, h)
    x = min(max(0, round(focus[0] * width - w / 2)), width - w)
    y = min(max(0, round(focus[1] * height - h / 2)), height - h)
    return x, y, w, h


def focal_point(pixels: Pixels) -> tuple[float, float]:
    """Where a picture holds most detail, as shares of its width and height; the middle of an even picture.

    Detail is the strength of edges, gathered over a quarter of the picture and drawn a little towards the middle.
    """
    small = reduce(pixels, min(_DETAIL_SIDE, pixels.width)).array
    grey = small[:, :, :3].mean(axis=2, dtype=np.float32) if small.shape[2] >= 3 else small[:, :, 0].astype(np.float32)
    if pixels.has_alpha:
        grey *= small[:, :, -1] / np.float32(255)
    edges = cv2.magnitude(cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1))
    height, width = edges.shape
    if height < 3 or width < 3 or not edges.any():
        return 0.5, 0.5
    gathered = cv2.GaussianBlur(edges, (0, 0), max(height, width) / 8, borderType=cv2.BORDER_CONSTANT)
    down, across = np.mgrid[0:height, 0:width]
    away = ((across / width - 0.5) ** 2 + (down / height - 0.5) ** 2) * 0.5
    y, x = np.unravel_index(int(np.argmax(gathered * (1 - away))), gathered.shape)
    return float(x + 0.5) / width, float(y + 0.5) / height


def sharpened(pixels: Pixels, reduced_from: int, strength: float = 0.35) -> Pixels:
    """A slight sharpening of what was reduced from so many pixels across to half or less; else as it is.

    Alpha stays as it is.
    """
    if pixels.width > reduced_from * _SHARPEN_FROM:
        return pixels
    channels = pixels.array.shape[2] - pixels.has_alpha
    colour = np.ascontiguousarray(pixels.array[:, :, :channels])
    soft = cv2.GaussianBlur(colour, (0, 0), 0.8).reshape(colour.shape)
    sharp = cv2.addWeighted(colour, 1 + strength, soft, -strength, 0).reshape(colour.shape)
    return Pixels(np.ascontiguousarray(np.dstack([sharp, pixels.array[:, :, channels:]])), pixels.profile)
