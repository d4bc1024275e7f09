"""JPEG: progressive, trellis quantisation, optimised scans (through libvips and mozjpeg)."""

from __future__ import annotations

import pyvips

from ivory_thistle.core.encoders.contract import Encoded
from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.images.pixels import Pixels


def encode_jpeg(pixels: Pixels, quality: int) -> Encoded:
    """Opaque pixels as JPEG at quality 1-100; 4:2:0 below quality 90. Raises EncodeError for alpha."""
    if pixels.has_alpha:
        raise EncodeError("JPEG keeps no transparency.")
    try:
        data = pixels.as_vips().jpegsave_buffer(
            Q=quality,
            optimize_coding=True,
            interlace=True,
            trellis_quant=True,
            overshoot_deringing=True,
            optimize_scans=True,
            quant_table=3,
            keep="none",
        )
    except pyvips.Error as error:
        raise EncodeError(f"JPEG encoder: {error}") from error
    return Encoded("jpeg", pixels.width, pixels.height, f"quality {quality}, progressive, trellis", bytes(data))
