"""WebP: lossy or lossless (through libwebp)."""

from __future__ import annotations

import pyvips

from ivory_thistle.core.encoders.contract import Encoded
from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.images.pixels import Pixels


def encode_webp(pixels: Pixels, quality: int | None) -> Encoded:
    """Pixels as WebP at quality 1-100, or lossless (None). Transparency is kept. Raises EncodeError.

    WebP can't be larger than 16,383 pixels a side.
    """
    options = {"lossless": True, "effort": 5} if quality is None else {"Q": quality, "effort": 4}
    try:
        data = pixels.as_vips().webpsave_buffer(**options, keep="none")
    except pyvips.Error as error:
        raise EncodeError(f"WebP encoder: {error}") from error
    words = "lossless" if quality is None else f"quality {quality}"
    return Encoded("webp", pixels.width, pixels.height, words, bytes(data))
