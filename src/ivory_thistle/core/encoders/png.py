"""PNG: a palette where nothing is seen of it, else truecolour with the best filter."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from ivory_thistle.core.encoders.contract import Encoded
from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.images.pixels import Pixels

PALETTE_MIN_PSNR = 38.0
"""A palette is taken only where it stays this close (dB, on premultiplied colour): no banding is seen then."""


def encode_png(pixels: Pixels) -> Encoded:
    """Pixels as the smaller of a dithered palette PNG (if it looks the same) and a lossless one."""
    image = pixels.as_vips()
    try:
        full = bytes(image.pngsave_buffer(compression=9, filter="all", keep="none"))
        palette = bytes(image.pngsave_buffer(palette=True, Q=95, dither=1.0, effort=8, compression=9, keep="none"))
        if len(palette) < len(full) and _psnr(pixels, palette) >= PALETTE_MIN_PSNR:
            return Encoded("png", pixels.width, pixels.height, "palette, dithered", palette)
    except pyvips.Error as error:
        raise EncodeError(f"PNG encoder: {error}") from error
    return Encoded("png", pixels.width, pixels.height, "truecolour, lossless", full)


def _psnr(pixels: Pixels, data: bytes) -> float:
    """Peak signal to noise ratio in dB of a file against its pixels, colours weighted by their alpha."""
    decoded = pyvips.Image.new_from_buffer(data, "").colourspace("srgb")
    theirs = _premultiplied(decoded.numpy())
    ours = _premultiplied(Pixels(pixels.array).as_vips().colourspace("srgb").numpy())
    error = float(((ours - theirs) ** 2).mean())
    return 99.0 if error == 0 else 10 * float(np.log10(255.0**2 / error))


def _premultiplied(array: NDArray[Any]) -> NDArray[np.float32]:
    """Height x width x 4 float: colour times alpha, and alpha (opaque where there was none)."""
    values = array.astype(np.float32)
    if values.shape[2] == 3:
        return np.dstack([values, np.full(values.shape[:2], 255.0, np.float32)])
    return np.dstack([values[:, :, :3] * (values[:, :, 3:] / 255.0), values[:, :, 3]])
