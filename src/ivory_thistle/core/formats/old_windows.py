"""BMP and ICO: read through Pillow, never written."""

from __future__ import annotations

import io
import warnings
from functools import partial
from typing import Any

import numpy as np
from PIL import Image as PillowImage

from ivory_thistle.core.formats.table import Format, FormatName, register
from ivory_thistle.core.images.facts import MAX_PIXELS, ImageFacts
from ivory_thistle.core.images.pixels import Pixels

_BMP_HEADERS = frozenset({12, 40, 52, 56, 64, 108, 124})
"""The sizes that the second header of a BMP file may have; a text may begin with BM too."""


def _read_facts(kind: FormatName, data: bytes, digest: str) -> ImageFacts:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
        try:
            with PillowImage.open(io.BytesIO(data), formats=["BMP", "ICO", "CUR"]) as image:
                width, height, alpha = image.width, image.height, "A" in image.getbands()
        except PillowImage.DecompressionBombError:
            problem = f"claims more than the {MAX_PIXELS // 1_000_000} million pixels taken"
            return ImageFacts(kind, 0, 0, len(data), digest, problem=problem, fault="too-many-pixels")
    return ImageFacts(kind, width, height, len(data), digest, has_alpha=alpha)


def _load(data: bytes, factor: float) -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
        with PillowImage.open(io.BytesIO(data)) as opened:
            mode = "RGBA" if "A" in opened.getbands() or opened.mode == "P" else "RGB"
            return Pixels(np.asarray(opened.convert(mode), dtype=np.uint8)).as_vips()


register(
    Format(
        name="bmp",
        label="BMP",
        mimes=("image/bmp", "image/x-ms-bmp"),
        extensions=("bmp",),
        begins=lambda head: head[:2] == b"BM" and int.from_bytes(head[14:18], "little") in _BMP_HEADERS,
        read_facts=partial(_read_facts, "bmp"),
        load=_load,
        shown_by_all=True,
        flat=True,
        modern_saves=0.9,
    )
)
register(
    Format(
        name="ico",
        label="ICO",
        mimes=("image/x-icon", "image/vnd.microsoft.icon"),
        extensions=("ico", "cur"),
        begins=lambda head: head.startswith((b"\x00\x00\x01\x00", b"\x00\x00\x02\x00")),
        read_facts=partial(_read_facts, "ico"),
        load=_load,
        shown_by_all=True,
        kept=True,
        treatable=False,
    )
)
