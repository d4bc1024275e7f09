"""Decoding to plain pixels: upright, sRGB, 8 bits a channel, and resized in linear light."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import pyvips
from numpy.typing import NDArray
from PIL import Image as PillowImage

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.formats.segments import is_display_p3
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.images.facts import ImageFacts

_ROWS_AT_ONCE = 32


@dataclass(frozen=True, slots=True, eq=False)
class Pixels:
    """Decoded pixels: `array` is height x width x channels, uint8, alpha not premultiplied.

    Channels: 1 grey, 2 grey and alpha, 3 red green blue, 4 with alpha. `profile` is the ICC profile they are meant in,
    empty for sRGB.
    """

    array: NDArray[np.uint8]
    profile: bytes = b""

    @property
    def width(self) -> int:
        """Pixels across."""
        return int(self.array.shape[1])

    @property
    def height(self) -> int:
        """Pixels down."""
        return int(self.array.shape[0])

    @property
    def has_alpha(self) -> bool:
        """True with an alpha channel (2 or 4 channels)."""
        return self.array.shape[2] in (2, 4)

    def as_vips(self) -> Any:
        """A pyvips image over a copy of the pixels, tagged sRGB or grey."""
        height, width, channels = self.array.shape
        image = pyvips.Image.new_from_memory(self.array.tobytes(), width, height, channels, "uchar")
        return image.copy(interpretation="b-w" if channels < 3 else "srgb")

    def as_pillow(self) -> PillowImage.Image:
        """A new Pillow image of the pixels (new each time: Pillow keeps encoder state on images)."""
        array = self.array[:, :, 0] if self.array.shape[2] == 1 else self.array
        return PillowImage.fromarray(array)

    def without_unused_alpha(self) -> Pixels:
        """The same picture without its alpha channel where that is opaque everywhere."""
        if self.has_alpha and self.array[:, :, -1].min() == 255:
            return Pixels(_colour_of(self.array), self.profile)
        return self


def decode(data: bytes, facts: ImageFacts, width: int | None = None, keep_p3: bool = False) -> Pixels:
    """The picture upright, in sRGB and 8 bits, at `width` pixels (never enlarged; None: as it is).

    Reduction is done in linear light with premultiplied alpha; a colour profile (also CMYK) is converted to sRGB, one
    of Display P3 to the compact form of the same where `keep_p3`. Raises PictureError for what can't be decoded whole.
    """
    if facts.problem:
        raise PictureError(f"The picture {facts.problem}.")
    target = min(width or facts.width, facts.width)
    # A profile is applied only where there is one: an untagged picture is sRGB by definition of the web.
    wide = keep_p3 and bool(facts.profile_bytes) and is_display_p3(_profile_of(data))
    tagged = facts.profile_bytes or facts.colour == "cmyk"
    profile = {"output_profile": "p3" if wide else "srgb", "intent": "relative"} if tagged else {}
    size = {"height": 10_000_000, "size": "down", "linear": target < facts.width, **profile}
    try:
        load = FORMATS[facts.format].load
        loaded = load(data, facts.width / target) if load else None
        if loaded is None:
            image = pyvips.Image.thumbnail_buffer(data, target, fail_on="truncated", **size)
        else:
            image = loaded.thumbnail_image(target, **size)
        decoded = _eight_bit(image, grey=facts.colour in ("b-w", "grey16"))
        return Pixels(decoded.array, bytes(pyvips.Image.profile_load("p3"))) if wide else decoded
    except (pyvips.Error, OSError, ValueError, SyntaxError, MemoryError, PillowImage.DecompressionBombError) as error:
        reason = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise PictureError(f"The picture can't be decoded: {reason}.") from error


def _profile_of(data: bytes) -> bytes:
    """The ICC profile of a file; empty for none."""
    with suppress(pyvips.Error):
        image = pyvips.Image.new_from_buffer(data, "")
        return bytes(image.get("icc-profile-data")) if image.get_typeof("icc-profile-data") else b""
    return b""


def decode_plain(data: bytes, kind: FormatName) -> NDArray[np.uint8]:
    """The pixels of a file that an encoder of ours just made, as a browser would show them: sRGB, upright, no profile.

    Raises PictureError.
    """
    as_browsers = FORMATS[kind].decode_as_browsers
    try:
        if as_browsers:
            return as_browsers(data)
        image = pyvips.Image.new_from_buffer(data, "")
        return _eight_bit(image, grey=image.bands < 3).array
    except (pyvips.Error, OSError) as error:
        raise PictureError(f"The file just made can't be decoded: {error}.") from error


def reduce(pixels: Pixels, width: int) -> Pixels:
    """The picture at `width` pixels across, in linear light, alpha premultiplied. Never enlarges."""
    if width >= pixels.width:
        return pixels
    grey = pixels.array.shape[2] < 3
    image = pixels.as_vips()
    small = image.thumbnail_image(width, height=10_000_000, size="down", linear=True)
    return Pixels(_eight_bit(small, grey=grey).array, pixels.profile)


def on_white(array: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pixels of any number of channels as height x width x 3, on white where they are transparent."""
    channels = array.shape[2]
    is_opaque = channels in (1, 3) or array[:, :, -1].min() == 255
    if is_opaque and channels == 4:
        return _colour_of(array)
    colour = array[:, :, :3] if channels >= 3 else np.repeat(array[:, :, :1], 3, axis=2)
    if is_opaque:
        return np.ascontiguousarray(colour)
    mixed = np.empty(colour.shape, np.uint8)
    # Channel by channel over a few rows: what is in hand then stays in the processor's cache.
    for start in range(0, len(array), _ROWS_AT_ONCE):
        rows = slice(start, start + _ROWS_AT_ONCE)
        alpha = array[rows, :, -1].astype(np.uint16)
        under = 255 * (255 - alpha) + 1
        for channel in range(3):
            sums = colour[rows, :, channel] * alpha
            sums += under
            # Division by 255, exact for all 16 bits but the last number, and several times as fast.
            sums += sums >> 8
            mixed[rows, :, channel] = sums >> 8
    return mixed


def _colour_of(array: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The channels of colour, or of grey, of pixels with alpha."""
    if array.shape[2] == 4:
        # OpenCV takes channels apart several times as fast as NumPy.
        return np.asarray(cv2.cvtColor(array, cv2.COLOR_RGBA2RGB), np.uint8)
    return np.ascontiguousarray(array[:, :, :-1])


def _eight_bit(image: Any, grey: bool) -> Pixels:
    image = image.colourspace("b-w" if grey else "srgb").cast("uchar")
    array: NDArray[np.uint8] = np.asarray(image.numpy(), dtype=np.uint8)
    return Pixels(np.ascontiguousarray(array.reshape(image.height, image.width, image.bands)))
