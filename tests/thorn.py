"""A made-up format and its tier in one module: WebP pixels behind a head of their own. Importing it registers both."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from ivory_thistle.core.formats.encoder import Ability, Encoder, Settings
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.formats.tiers import TIERS, Look, TierRow, register_tier
from ivory_thistle.core.formats.webp import WEBP
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.metadata import NO_METADATA, Metadata
from ivory_thistle.core.images.pixels import Pixels

HEAD = b"THORN\x01\r\n"
QUALITY = 3
"""So low that it pays over AVIF."""


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    made = WEBP.encode(pixels, settings, NO_METADATA)
    return HEAD + made.data, f"thorny, {made.settings}"


def _load(data: bytes, factor: float) -> Any:
    return pyvips.Image.new_from_buffer(data[len(HEAD) :], "")


def _read_facts(data: bytes, digest: str) -> ImageFacts:
    image = _load(data, 1.0)
    return ImageFacts("thorn", image.width, image.height, len(data), digest, has_alpha=bool(image.hasalpha()))


def _decode(data: bytes) -> NDArray[np.uint8]:
    return np.asarray(_load(data, 1.0).numpy(), dtype=np.uint8)


THORN = Encoder(Ability("thorn", (1, 100), (0.3, 0.1)), _write)


def _settings(quality: int, fine: bool, smooth: bool) -> Settings:
    return Settings(quality)


def _fine_from_start(look: Look) -> bool:
    return False


register(
    Format(
        name="thorn",
        label="Thorn",
        mimes=("image/x-thorn",),
        extensions=("thorn",),
        begins=lambda head: head.startswith(HEAD),
        read_facts=_read_facts,
        load=_load,
        decode_as_browsers=_decode,
        encoder=THORN,
        kept=True,
        lossy=True,
    )
)
register_tier(
    TierRow(
        name="thorn",
        words="browsers that show Thorn",
        format="thorn",
        order=30,
        making=replace(
            TIERS["webp"].making, encoder=THORN, fixed=QUALITY, settings=_settings, fine_from_start=_fine_from_start,
            drawn=(),
        ),
        in_chromium=False,
    )
)  # fmt: skip
