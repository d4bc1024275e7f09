"""JPEG: progressive, trellis quantisation, optimised scans (libvips with mozjpeg). What the baseline's browsers get."""

from __future__ import annotations

import struct
from collections import defaultdict
from collections.abc import Iterator
from typing import Any

import numpy as np
import pyvips

from ivory_thistle.core.formats.by_vips import FAULTS, tagged
from ivory_thistle.core.formats.encoder import Ability, Encoder, Settings
from ivory_thistle.core.formats.png import PNG_WAYS
from ivory_thistle.core.formats.segments import Segments, forgiving, note_exif
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.formats.tiers import BASELINE, Look, Making, TierRow, register_tier
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.search.scale import Scale

# XMP begins with the address of its namespace; what image editors know of IPTC stands in APP13.
_JPEG_NAMES = ((b"Exif\0", "exif"), (b"http://ns.", "xmp"), (b"ICC_PROFILE\0", "icc"), (b"MPF\0", "preview"))
_IPTC_MARKER = 0xED
_SUBSAMPLINGS = {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (1, 2): "4:4:0", (4, 1): "4:1:1", (4, 2): "4:1:0"}
_EXIF_NAME = b"Exif\0\0"
_LONGEST_SEGMENT = 65_533
_TAIL = 65_536


def _each_segment(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Marker and payload of every segment before the first scan."""
    at = 2
    while at + 4 <= len(data):
        if data[at] != 0xFF:
            return
        marker = data[at + 1]
        if marker == 0xFF:
            at += 1
        elif marker == 0x01 or 0xD0 <= marker <= 0xD8:
            at += 2
        else:
            length = struct.unpack_from(">H", data, at + 2)[0]
            yield marker, data[at + 4 : at + 2 + length]
            if marker == 0xDA:
                return
            at += 2 + length


@forgiving
def read_segments(data: bytes) -> Segments:
    """ITU-T T.81, annex B; Exif 2.32 for its segment."""
    sizes: dict[str, int] = defaultdict(int)
    said, subsampling, quality, progressive = "", "", None, False
    for marker, body in _each_segment(data):
        if 0xE1 <= marker <= 0xEF:
            name = next((n for start, n in _JPEG_NAMES if body.startswith(start)), None)
            name = "iptc" if marker == _IPTC_MARKER else name
            if name:
                sizes[name] += len(body)
            elif marker != 0xEE:  # that one tells how colours are stored
                sizes["text"] += len(body)
            if name == "exif":
                said = note_exif(body[6:], sizes) or said
        elif marker == 0xFE:
            sizes["comment"] += len(body)
        elif marker == 0xDB and quality is None:
            quality = _quality_of(body)
        elif marker in (0xC0, 0xC1, 0xC2):
            progressive = marker == 0xC2
            subsampling = _subsampling(body)
    return Segments(dict(sizes), said, progressive, subsampling, quality, lossless=False)


def _subsampling(frame: bytes) -> str:
    if frame[5] == 1:
        return "grey"
    luma, chroma = frame[7], frame[10]
    across, down = (luma >> 4) / max(1, chroma >> 4), (luma & 15) / max(1, chroma & 15)
    return _SUBSAMPLINGS.get((int(across), int(down)), "other")


# ITU-T T.81, table K.1, in zigzag order.
_LUMINANCE = (
    16, 11, 12, 14, 12, 10, 16, 14, 13, 14, 18, 17, 16, 19, 24, 40, 26, 24, 22, 22, 24, 49, 35, 37, 29, 40, 58, 51, 61,
    60, 57, 51, 56, 55, 64, 72, 92, 78, 64, 68, 87, 69, 55, 56, 80, 109, 81, 87, 95, 98, 103, 104, 103, 62, 77, 113,
    121, 112, 100, 120, 92, 101, 103, 99,
)  # fmt: skip


def scaled_table(quality: int) -> tuple[int, ...]:
    """The luminance table of a quality by the IJG's formula (libjpeg, jcparam.c: jpeg_quality_scaling)."""
    scale = 5000 // quality if quality < 50 else 200 - quality * 2
    return tuple(min(255, max(1, (v * scale + 50) // 100)) for v in _LUMINANCE)


_TABLES = np.array([scaled_table(quality) for quality in range(1, 101)])


def _quality_of(body: bytes) -> int | None:
    """The quality whose luminance table comes nearest to the first table of a DQT segment."""
    wide, number = body[0] >> 4, body[0] & 15
    if number != 0:
        return None
    values = struct.unpack_from(">64H" if wide else ">64B", body, 1)
    return int(np.abs(_TABLES - values).sum(axis=1).argmin()) + 1


def _cut_off(data: bytes) -> bool:
    return b"\xff\xd9" not in data[-_TAIL:]


def _load(data: bytes, factor: float) -> Any:
    """The decoder's own reduction (2, 4, 8) that leaves at least half to be done in linear light."""
    shrink = next((n for n in (8, 4, 2) if factor >= n * 2), 1)
    if shrink == 1:
        return None
    opened = pyvips.Image.new_from_buffer(data, "", shrink=shrink, access="sequential", fail_on="truncated")
    return opened.copy_memory().autorot()


def _put_exif(data: bytes, exif: bytes) -> bytes:
    """In an APP1 segment (Exif 2.32), where it is no longer than one may be."""
    body = _EXIF_NAME + exif
    if len(body) > _LONGEST_SEGMENT:
        return data
    return data[:2] + b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body + data[2:]


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
    _put_exif,
)  # fmt: skip

register(
    Format(
        name="jpeg",
        label="JPEG",
        mimes=("image/jpeg", "image/jpg", "image/pjpeg"),
        extensions=("jpg", "jpeg", "jpe", "jfif"),
        begins=lambda head: head.startswith(b"\xff\xd8\xff"),
        segments=read_segments,
        cut_off=_cut_off,
        load=_load,
        encoder=JPEG,
        shown_by_all=True,
        lossy=True,
        modern_saves=0.45,
    )
)


def _settings(quality: int, fine: bool, smooth: bool) -> Settings:
    return Settings(quality, "4:4:4" if fine else "4:2:0")


def _fine_from_start(look: Look) -> bool:
    return look.exacting and look.texture


register_tier(
    TierRow(
        name=BASELINE,
        words="older browsers",
        format="jpeg",
        order=0,
        making=Making(
            encoder=JPEG,
            # Medians over 40 pictures: the photographs of Debian's mate-backgrounds at 480, 960 and 1,600 px
            # (docs/decisions/0009), here and in the other tiers' rows.
            scale=Scale(
                (
                    (30, 22), (40, 30), (50, 36), (60, 46), (65, 54), (70, 64), (75, 72), (80, 80), (85, 85), (90, 91),
                    (94, 97),
                )
            ),
            limits=(20, 97),
            gains=(-1.8, -1.5, -1.3, -1.0, -0.8, -0.5),
            fixed=80,
            tolerance=1.0,
            settings=_settings,
            fine_from_start=_fine_from_start,
            half_chroma_up_to=85,
            # A thorough JPEG costs little more than a probe that must be judged as well.
            probes=False,
            drawn=PNG_WAYS,
        ),
    )
)  # fmt: skip
