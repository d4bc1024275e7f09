"""PNG: truecolour with the filter that compresses best, or a dithered palette (libvips, libspng or libpng)."""

from __future__ import annotations

import re
import struct
import zlib
from collections import defaultdict

from ivory_thistle.core.formats.by_vips import FAULTS, tagged
from ivory_thistle.core.formats.encoder import MOST_COLOURS, Ability, Encoder, Settings
from ivory_thistle.core.formats.segments import Segments, forgiving, note_exif
from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels

_XMP = re.compile(rb"XML:com\.\w+\.xmp\0")
_CHUNKS = {b"eXIf": "exif", b"iCCP": "icc", b"tEXt": "text", b"zTXt": "text", b"iTXt": "text", b"tIME": "text"}
_HEAD = 8 + 25
_TAIL = 65_536


@forgiving
def read_segments(data: bytes) -> Segments:
    """The chunks before and behind the pixels (PNG, third edition, chapter 5)."""
    sizes: dict[str, int] = defaultdict(int)
    at, palette, said = 8, 0, ""
    interlaced = data[28] == 1
    while at + 8 <= len(data):
        length, name = struct.unpack_from(">I4s", data, at)
        if name == b"IDAT":
            # Text may also stand behind the pixels; those chunks are many, so they are stepped over by their length.
            at += 12 + length
            continue
        body = data[at + 8 : at + 8 + length]
        if name == b"PLTE":
            palette = length // 3
        elif name in _CHUNKS:
            sort = "xmp" if _XMP.match(body) else _CHUNKS[name]
            sizes[sort] += length
            if name == b"eXIf":
                said = note_exif(body, sizes)
        at += 12 + length
    return Segments(dict(sizes), said, interlaced, palette=palette, lossless=True)


def _cut_off(data: bytes) -> bool:
    return b"IEND" not in data[-_TAIL:]


def _frames(data: bytes) -> int:
    """Frames of an animated PNG from its acTL chunk, which stands before IDAT (PNG, third edition)."""
    at = data.find(b"acTL", 0, _TAIL)
    return int.from_bytes(data[at + 4 : at + 8], "big") if at > 0 and b"IDAT" not in data[:at] else 1


def _put_exif(data: bytes, exif: bytes) -> bytes:
    """In an eXIf chunk behind the head (W3C, third edition)."""
    chunk = struct.pack(">I", len(exif)) + b"eXIf" + exif + struct.pack(">I", zlib.crc32(b"eXIf" + exif))
    return data[:_HEAD] + chunk + data[_HEAD:]


_FILTERS = ("all", "none")


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    """A palette's quality (1 to 100) is how near its colours must come; fewer are taken where fewer will do.

    A quick file is the same: palettes of less effort often are slower to compress, and far larger.
    """
    image, keep = tagged(pixels, metadata)
    if settings.palette:
        data = image.pngsave_buffer(
            palette=True, Q=settings.quality or 95, dither=settings.dither, effort=7, compression=9,
            keep=keep, bitdepth=max(1, (settings.colours - 1).bit_length()),
        )  # fmt: skip
        few = f"{settings.colours} colours of a " if settings.colours < MOST_COLOURS else ""
        return bytes(data), f"{few}palette of quality {settings.quality or 95}, dithered"
    # Flat graphics compress best unfiltered, all else with a filter chosen for each row.
    tried = [bytes(image.pngsave_buffer(compression=9, filter=name, keep=keep)) for name in _FILTERS]
    return min(tried, key=len), "truecolour, lossless"


PNG = Encoder(
    Ability("png", (1, 100), (0.6, 0.1), chromas=("4:2:0", "4:2:2", "4:4:4"), palette=True, max_side=1_000_000),
    _write,
    FAULTS,
    _put_exif,
)

PNG_WAYS = (("png", Settings()), *(("png", Settings(quality, palette=True)) for quality in (95, 80, 60, 40)))
"""Lossless, then palettes of falling quality: for drawings, and for transparency that JPEG can't keep."""

register(
    Format(
        name="png",
        label="PNG",
        mimes=("image/png", "image/apng", "image/x-png"),
        extensions=("png", "apng"),
        begins=lambda head: head.startswith(b"\x89PNG\r\n\x1a\n"),
        segments=read_segments,
        cut_off=_cut_off,
        frames=_frames,
        encoder=PNG,
        shown_by_all=True,
        flat=True,
        modern_saves=0.3,
    )
)
