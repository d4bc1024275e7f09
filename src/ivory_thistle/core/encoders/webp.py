"""WebP: lossy, lossless, or near-lossless (libwebp through libvips)."""

from __future__ import annotations

from typing import Any

from ivory_thistle.core.encoders.contract import Ability, Encoder, Settings
from ivory_thistle.core.encoders.vips import FAULTS, tagged
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    image, keep = tagged(pixels, metadata)
    options: dict[str, Any]
    if settings.near is not None:
        options = {"near_lossless": True, "Q": settings.near, "effort": 0 if settings.quick else 5}
        words = f"near-lossless {settings.near}"
    elif settings.quality is None:
        options = {"lossless": True, "effort": 0 if settings.quick else 5}
        words = "lossless"
    else:
        options = {
            "Q": settings.quality, "effort": 1 if settings.quick else 6, "smart_subsample": settings.sharp,
        }  # fmt: skip
        words = f"quality {settings.quality}" + (", sharp" if settings.sharp else "")
    return bytes(image.webpsave_buffer(**options, keep=keep)), words + (", quick" if settings.quick else "")


WEBP = Encoder(
    Ability("webp", (1, 100), (0.27, 0.05), near=True, sharp=True, max_side=16_383),
    _write,
    FAULTS,
)
