"""AVIF: libaom for what is kept, SVT-AV1 on request (pillow-avif-plugin; 10 bits and lossless through libvips).

SVT-AV1 logs every encode to standard error unless SVT_LOG=1 stands in the environment, as `./thistle` sets it.
"""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from contextlib import contextmanager

import pillow_avif  # noqa: F401 - registers the writer that offers the codecs' own settings

from ivory_thistle.core.encoders.contract import Ability, Encoder, Settings
from ivory_thistle.core.encoders.vips import FAULTS, tagged
from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels

_THOROUGH, _QUICK, _SVT = 6, 9, 6
# Of libaom: 6 takes 0.65 s a megapixel and about 20 % fewer bytes than 8 (0.2 s); slower ones gain next to nothing.
_VIPS_EFFORT = 3
"""libvips' name for libaom speed 6."""


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    if settings.quality is None:
        return _by_vips(pixels, settings, metadata), "lossless"
    words = f"quality {settings.quality}, {settings.chroma}"
    if settings.engine == "svt":
        if settings.chroma != "4:2:0":
            raise EncodeError("SVT-AV1 can't keep chroma but at 4:2:0.")
        with _same_scheduling():
            return _by_pillow(pixels, settings, metadata, "svt", _SVT), f"{words}, SVT-AV1 speed {_SVT}"
    if settings.depth == 10 and not settings.quick and not metadata.exif:
        return _by_vips(pixels, settings, metadata), f"{words}, 10 bit, libaom speed {_THOROUGH}"
    speed = _QUICK if settings.quick else _THOROUGH
    return _by_pillow(pixels, settings, metadata, "aom", speed), f"{words}, libaom speed {speed}"


@contextmanager
def _same_scheduling() -> Iterator[None]:
    """Gives the thread back the priority that it had: as root, SVT-AV1 leaves it in real time, and its children too."""
    policy, priority = os.sched_getscheduler(0), os.sched_getparam(0)
    try:
        yield
    finally:
        os.sched_setscheduler(0, policy, priority)


def _by_pillow(pixels: Pixels, settings: Settings, metadata: Metadata, codec: str, speed: int) -> bytes:
    out = io.BytesIO()
    pixels.as_pillow().save(
        out, "AVIF", codec=codec, quality=settings.quality, speed=speed, subsampling=settings.chroma, max_threads=1,
        icc_profile=pixels.profile or None, exif=metadata.exif or None, xmp=metadata.xmp or None,
    )  # fmt: skip
    return out.getvalue()


def _by_vips(pixels: Pixels, settings: Settings, metadata: Metadata) -> bytes:
    image, keep = tagged(pixels, metadata)
    if settings.quality is None:
        options: dict[str, int | str] = {"lossless": True, "effort": 1}
    else:
        chroma = "off" if settings.chroma == "4:4:4" else "on"
        options = {"Q": settings.quality, "bitdepth": settings.depth, "effort": _VIPS_EFFORT, "subsample_mode": chroma}
    return bytes(image.heifsave_buffer(compression="av1", encoder="aom", keep=keep, **options))


AVIF = Encoder(
    Ability(
        "avif", (0, 100), (0.65, 0.09), chromas=("4:2:0", "4:2:2", "4:4:4"), depths=(8, 10), engines=("", "svt"),
        max_side=16_384,
    ),
    _write,
    FAULTS,
)  # fmt: skip
