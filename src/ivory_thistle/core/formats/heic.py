"""HEIC, as phones make it: read through libheif, never written."""

from __future__ import annotations

from typing import Any

import numpy as np
import pillow_heif
import pyvips

from ivory_thistle.core.formats.boxes import has_brand
from ivory_thistle.core.formats.segments import profile_name
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.images.facts import ImageFacts, too_many_pixels
from ivory_thistle.core.images.pixels import Pixels

_BRANDS = (b"heic", b"heix", b"hevc", b"hevx", b"heim", b"heis", b"mif1", b"msf1")


def _read_facts(data: bytes, digest: str) -> ImageFacts:
    """Its own rotation is applied by the library."""
    opened = pillow_heif.open_heif(data, convert_hdr_to_8bit=False)
    width, height = opened.size
    sizes = {"exif": len(opened.info.get("exif") or b""), "xmp": len(opened.info.get("xmp") or b"")}
    metadata = {n: size for n, size in sizes.items() if size}
    profile = opened.info.get("icc_profile") or b""
    return ImageFacts(
        "heic", width, height, len(data), digest, has_alpha=opened.has_alpha,
        bit_depth=int(opened.info.get("bit_depth", 8)), profile_bytes=len(profile),
        metadata_bytes=sum(metadata.values()), problem=too_many_pixels(width, height),
        fault="too-many-pixels", metadata=metadata,
        profile=profile_name(profile) if profile else "", lossless=False,
    )  # fmt: skip


def _load(data: bytes, factor: float) -> Any:
    with pillow_heif.open_heif(data).to_pillow() as opened:
        image = Pixels(np.asarray(opened.convert("RGBA" if opened.has_transparency_data else "RGB"))).as_vips()
        profile = opened.info.get("icc_profile")
    if profile:
        image = image.copy()
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
    return image


register(
    Format(
        name="heic",
        label="HEIC",
        mimes=("image/heic", "image/heif"),
        extensions=("heic", "heif"),
        begins=lambda head: has_brand(head, _BRANDS),
        read_facts=_read_facts,
        upright=True,
        load=_load,
        lossy=True,
    )
)
