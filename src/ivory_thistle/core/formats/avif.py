"""AVIF: libaom for what is kept, SVT-AV1 on request (pillow-avif-plugin; 10 bits and lossless through libvips).

SVT-AV1 logs every encode to standard error unless SVT_LOG=1 stands in the environment, as `./thistle` sets it.
"""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import pillow_avif  # noqa: F401 - registers the writer that offers the codecs' own settings
from numpy.typing import NDArray
from PIL import Image as PillowImage

from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.formats.boxes import boxes_cut_off, has_brand
from ivory_thistle.core.formats.by_vips import FAULTS, tagged
from ivory_thistle.core.formats.encoder import Ability, Encoder, Settings
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.formats.tiers import Look, Making, Moving, TierRow, register_tier
from ivory_thistle.core.images.animation import Animation, write_frames
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.search.scale import Scale

_THOROUGH, _QUICK, _SVT, _SPEED_OF_FRAMES = 6, 9, 6, 8
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


def _decode_as_browsers(data: bytes) -> NDArray[np.uint8]:
    """By libavif, which spreads chroma as browsers do; libvips repeats it, which scores up to two points less."""
    with PillowImage.open(io.BytesIO(data)) as opened:
        return np.asarray(opened.convert("RGBA" if "A" in opened.getbands() else "RGB"), dtype=np.uint8)


AVIF = Encoder(
    Ability(
        "avif", (0, 100), (0.65, 0.09), chromas=("4:2:0", "4:2:2", "4:4:4"), depths=(8, 10), engines=("", "svt"),
        max_side=16_384,
    ),
    _write,
    FAULTS,
)  # fmt: skip

register(
    Format(
        name="avif",
        label="AVIF",
        mimes=("image/avif",),
        extensions=("avif", "avifs"),
        begins=lambda head: has_brand(head, (b"avif", b"avis")),
        cut_off=boxes_cut_off,
        frames=None,
        upright=True,
        decode_as_browsers=_decode_as_browsers,
        encoder=AVIF,
        kept=True,
        lossy=True,
    )
)


def write_animation(animation: Animation, quality: int | None) -> bytes:
    """Animated AVIF at quality 0-100 that plays for ever. Raises EncodeError for one that is to end.

    Colour stays whole (4:4:4): what moves on sites is mostly drawn, and halved colour would spoil its edges.
    """
    if animation.plays:
        raise EncodeError("An animated AVIF plays for ever here.")
    options = {"codec": "aom", "speed": _SPEED_OF_FRAMES, "max_threads": 1, "subsampling": "4:4:4"}
    return write_frames(animation, "AVIF", quality=quality, **options)


_TWINS = frozenset((*range(11, 34, 2), 36, 38, 41, 43, 46, 48, 51, 53, *range(57, 98, 4)))
"""There are 64 steps of AV1's quantizer behind 100 qualities (found by trying them all)."""


def _settings(quality: int, fine: bool, smooth: bool) -> Settings:
    return Settings(quality, "4:4:4" if fine else "4:2:0", depth=10 if smooth else 8)


def _fine_from_start(look: Look) -> bool:
    """Where much is asked, AVIF does with fewer bytes at 4:4:4 and 10 bits (5 and 9 % on those photographs)."""
    return not look.fixed and (look.exacting or look.texture)


register_tier(
    TierRow(
        name="avif",
        words="browsers that show AVIF",
        format="avif",
        order=20,
        making=Making(
            encoder=AVIF,
            scale=Scale(
                (
                    (30, 1), (40, 12), (50, 24), (60, 34), (65, 39), (70, 44), (75, 52), (80, 61), (85, 78), (90, 91),
                    (94, 105),
                )
            ),
            limits=(10, 97),
            twins=_TWINS,
            gains=(3.2, 2.5, 1.6, 1.3, 0.7, 0.3),
            drawn_gain=4.2,
            quick_shares=(0.72, 0.86),
            fixed=56,
            settings=_settings,
            fine_from_start=_fine_from_start,
            half_chroma_up_to=80,
            fixed_drawn=75,
        ),
        moving=Moving(write_animation, ends=False),
    )
)  # fmt: skip
