"""What the encoders that go through libvips share."""

from __future__ import annotations

from typing import Any

import pyvips

from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels

FAULTS = (pyvips.Error, OSError, ValueError)


def tagged(pixels: Pixels, metadata: Metadata) -> tuple[Any, str]:
    """A libvips image with the profile and XMP that go into the file, and what of it a writer keeps.

    EXIF is put in afterwards: libvips would write its own.
    """
    image = pixels.as_vips()
    blocks = {"icc-profile": pixels.profile, "xmp": metadata.xmp}
    for name, block in blocks.items():
        if block:
            image.set_type(pyvips.GValue.blob_type, f"{name}-data", block)
    kept = [name.removesuffix("-profile") for name, block in blocks.items() if block]
    return image, "|".join(kept) or "none"
