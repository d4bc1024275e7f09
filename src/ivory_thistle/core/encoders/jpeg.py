"""JPEG: progressive, trellis quantisation, optimised scans (libvips with mozjpeg)."""

from __future__ import annotations

from ivory_thistle.core.encoders.contract import Ability, Encoder, Settings
from ivory_thistle.core.encoders.vips import FAULTS, tagged
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    image, keep = tagged(pixels, metadata)
    thorough = not settings.quick
    data = image.jpegsave_buffer(
        Q=settings.quality,
        optimize_coding=True,
        interlace=thorough,
        trellis_quant=thorough,
        overshoot_deringing=thorough,
        optimize_scans=thorough,
        quant_table=3,
        subsample_mode="off" if settings.chroma == "4:4:4" else "on",
        keep=keep,
    )
    how = "progressive, trellis" if thorough else "quick"
    return bytes(data), f"quality {settings.quality}, {settings.chroma}, {how}"


JPEG = Encoder(
    Ability(
        "jpeg", (1, 100), (0.10, 0.02), chromas=("4:2:0", "4:4:4"), alpha=False, lossless=False, max_side=65_500,
    ),
    _write,
    FAULTS,
)  # fmt: skip
