"""WebP: lossy or lossless (through libwebp)."""

from __future__ import annotations

import pyvips

from ivory_thistle.core.encoders.contract import Encoded
from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.images.pixels import Pixels


def encode_webp(pixels: Pixels, quality: int | None, sharp: bool = False) -> Encoded:
    """Pixels as WebP at quality 1-100, or lossless (None). Transparency is kept. Raises EncodeError.

    `sharp` converts colours so that edges of strong colour stay, for two to three times the time; chroma is always
    4:2:0.

    WebP can't be larger than 16,383 pixels a side.
    """
    options = (
        {"lossless": True, "effort": 5} if quality is None else {"Q": quality, "effort": 4, "smart_subsample": sharp}
    )
    try:
        data = pixels.as_vips().webpsave_buffer(**options, keep="none")
    except pyvips.Error as error:
        raise EncodeError(f"WebP encoder: {error}") from error
    words = "lossless" if quality is None else f"quality {quality}" + (", sharp" if sharp else "")
    return Encoded("webp", pixels.width, pixels.height, words, bytes(data))
