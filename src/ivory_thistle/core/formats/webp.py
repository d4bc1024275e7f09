"""WebP: lossy, lossless, or near-lossless (libwebp through libvips); animations through Pillow."""

from __future__ import annotations

import io
import struct
from collections import defaultdict
from typing import Any

from PIL import Image as PillowImage

from ivory_thistle.core.formats.by_vips import FAULTS, tagged
from ivory_thistle.core.formats.encoder import Ability, Encoder, Settings
from ivory_thistle.core.formats.segments import Segments, forgiving, note_exif
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.formats.tiers import Look, Making, Moving, TierRow, register_tier
from ivory_thistle.core.images.animation import Animation, write_frames
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.search.scale import Scale

_CHUNKS = {b"EXIF": "exif", b"XMP ": "xmp", b"ICCP": "icc"}
_HAS_ALPHA, _HAS_EXIF = 0x10, 0x08
_EFFORT = 3
"""Without loss: 5 takes four to ten times as long for 0 to 6 % fewer bytes (docs/decisions/0021)."""


@forgiving
def read_segments(data: bytes) -> Segments:
    """The chunks of its container (RFC 9649)."""
    sizes: dict[str, int] = defaultdict(int)
    at, said, lossless = 12, "", False
    while at + 8 <= len(data):
        name, length = data[at : at + 4], struct.unpack_from("<I", data, at + 4)[0]
        if name in _CHUNKS:
            sizes[_CHUNKS[name]] += length
            if name == b"EXIF":
                body = data[at + 8 : at + 8 + length]
                said = note_exif(body.removeprefix(b"Exif\0\0"), sizes)
        lossless |= name == b"VP8L"
        at += 8 + length + (length & 1)
    return Segments(dict(sizes), said, lossless=lossless)


def _cut_off(data: bytes) -> bool:
    return len(data) < int.from_bytes(data[4:8], "little") + 8


def _put_exif(data: bytes, exif: bytes) -> bytes:
    """In the EXIF chunk of the extended container (RFC 9649)."""
    chunks: list[tuple[bytes, bytes]] = []
    at = 12
    while at + 8 <= len(data):
        size = int.from_bytes(data[at + 4 : at + 8], "little")
        chunks.append((data[at : at + 4], data[at + 8 : at + 8 + size]))
        at += 8 + size + size % 2
    if chunks[0][0] != b"VP8X":
        with PillowImage.open(io.BytesIO(data)) as opened:
            sides = b"".join((side - 1).to_bytes(3, "little") for side in opened.size)
            chunks.insert(0, (b"VP8X", bytes([_HAS_ALPHA if "A" in opened.getbands() else 0, 0, 0, 0]) + sides))
    chunks[0] = (b"VP8X", bytes([chunks[0][1][0] | _HAS_EXIF]) + chunks[0][1][1:])
    # EXIF stands after the pixels and before XMP.
    at = next((n for n, (name, _) in enumerate(chunks) if name == b"XMP "), len(chunks))
    chunks.insert(at, (b"EXIF", exif))
    body = b"".join(name + len(c).to_bytes(4, "little") + c + b"\0" * (len(c) % 2) for name, c in chunks)
    return b"RIFF" + (len(body) + 4).to_bytes(4, "little") + b"WEBP" + body


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    image, keep = tagged(pixels, metadata)
    options: dict[str, Any]
    if settings.near is not None:
        options = {"near_lossless": True, "Q": settings.near, "effort": 0 if settings.quick else _EFFORT}
        words = f"near-lossless {settings.near}"
    elif settings.quality is None:
        options = {"lossless": True, "effort": 0 if settings.quick else _EFFORT}
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
    _put_exif,
)

register(
    Format(
        name="webp",
        label="WebP",
        mimes=("image/webp",),
        extensions=("webp",),
        begins=lambda head: head[:4] == b"RIFF" and head[8:12] == b"WEBP",
        segments=read_segments,
        cut_off=_cut_off,
        frames=None,
        encoder=WEBP,
    )
)


def write_animation(animation: Animation, quality: int | None) -> bytes:
    """Animated WebP at quality 1-100, or without loss (None), with timing and plays kept. Raises EncodeError."""
    lossy = {"lossless": True, "quality": 75} if quality is None else {"quality": quality}
    return write_frames(animation, "WEBP", method=4, loop=animation.plays, background=(0, 0, 0, 0), **lossy)


def _settings(quality: int, fine: bool, smooth: bool) -> Settings:
    return Settings(quality, sharp=fine)


def _fine_from_start(look: Look) -> bool:
    return look.texture


register_tier(
    TierRow(
        name="webp",
        words="browsers that show WebP, not AVIF",
        format="webp",
        order=10,
        making=Making(
            encoder=WEBP,
            scale=Scale(
                (
                    (30, 1), (40, 12), (50, 24), (60, 40), (65, 51), (70, 68), (75, 79), (80, 85), (85, 91), (90, 98),
                    (94, 103),
                )
            ),
            limits=(5, 98),
            gains=(-0.8, -0.5, -0.3, 0.0, 0.3, 0.5),
            fixed=80,
            tolerance=1.0,
            quick_shares=(0.72, 0.79),
            fine_gain=2.8,
            settings=_settings,
            fine_from_start=_fine_from_start,
            drawn=(("webp", Settings()), *(("webp", Settings(near=level)) for level in (60, 40))),
        ),
        moving=Moving(write_animation, lossless=True),
    )
)  # fmt: skip
