"""What a picture file holds besides its pixels, read from its segments: metadata by sort, and how it was encoded.

JPEG: ITU-T T.81, annex B; Exif 2.32 for its segment. PNG: the W3C's specification, third edition, chapter 5. WebP: its
container specification (RFC 9649). Sizes are bytes of payload, without the segments' own headers.
"""

from __future__ import annotations

import io
import re
import struct
from collections import defaultdict
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from ivory_thistle.core.images.sniff import ImageFormat

_GPS, _COPYRIGHT, _THUMBNAIL_LENGTH = 0x8825, 0x8298, 0x0202
# XMP begins with the address of its namespace; what image editors know of IPTC stands in APP13.
_JPEG_NAMES = ((b"Exif\0", "exif"), (b"http://ns.", "xmp"), (b"ICC_PROFILE\0", "icc"), (b"MPF\0", "preview"))
_IPTC_MARKER = 0xED
_PNG_XMP = re.compile(rb"XML:com\.\w+\.xmp\0")
_PNG_NAMES = {b"eXIf": "exif", b"iCCP": "icc", b"tEXt": "text", b"zTXt": "text", b"iTXt": "text", b"tIME": "text"}
_RIFF_NAMES = {b"EXIF": "exif", b"XMP ": "xmp", b"ICCP": "icc"}
_SUBSAMPLINGS = {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (1, 2): "4:4:0", (4, 1): "4:1:1", (4, 2): "4:1:0"}


@dataclass(frozen=True, slots=True)
class Segments:
    """`metadata` in bytes by sort (exif, gps, thumbnail, xmp, iptc, icc, text, comment, preview).

    `quality` is that of a JPEG's luminance table by the IJG's scaling formula (None: no JPEG); `palette` the number of
    a PNG's or GIF's colours, 0 without one.
    """

    metadata: Mapping[str, int] = field(default_factory=dict)
    copyright: str = ""
    progressive: bool = False
    subsampling: str = ""
    quality: int | None = None
    palette: int = 0
    lossless: bool | None = None


def read_segments(kind: ImageFormat, data: bytes) -> Segments:
    """The segments of a file; what is broken or unknown is left out."""
    with suppress(struct.error, IndexError, ValueError):
        if kind == "jpeg":
            return _jpeg(data)
        if kind == "png":
            return _png(data)
        if kind == "webp":
            return _webp(data)
        if kind == "gif":
            return Segments(palette=2 << (data[10] & 7) if data[10] & 0x80 else 0, lossless=True)
    return Segments()


def _jpeg_segments(data: bytes) -> Iterator[tuple[int, bytes]]:
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


def _jpeg(data: bytes) -> Segments:
    sizes: dict[str, int] = defaultdict(int)
    said, subsampling, quality, progressive = "", "", None, False
    for marker, body in _jpeg_segments(data):
        if 0xE1 <= marker <= 0xEF:
            name = next((n for start, n in _JPEG_NAMES if body.startswith(start)), None)
            name = "iptc" if marker == _IPTC_MARKER else name
            if name:
                sizes[name] += len(body)
            elif marker != 0xEE:  # that one tells how colours are stored
                sizes["text"] += len(body)
            if name == "exif":
                said = _note_exif(body[6:], sizes) or said
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


_TABLES = {q: scaled_table(q) for q in range(1, 101)}


def _quality_of(body: bytes) -> int | None:
    """The quality whose luminance table comes nearest to the first table of a DQT segment."""
    wide, number = body[0] >> 4, body[0] & 15
    if number != 0:
        return None
    values = struct.unpack_from(">64H" if wide else ">64B", body, 1)
    return min(_TABLES, key=lambda q: sum(abs(a - b) for a, b in zip(_TABLES[q], values, strict=True)))


def _note_exif(body: bytes, sizes: dict[str, int]) -> str:
    """Adds the bytes of position and thumbnail that EXIF holds; gives its copyright.

    TIFF 6.0, section 2, for the directories; Exif 2.32, section 4.6, for the tags.
    """
    order = {b"II": "<", b"MM": ">"}.get(body[:2])
    if not order:
        return ""
    with suppress(struct.error, IndexError, UnicodeDecodeError):
        first, following = _directory(body, struct.unpack_from(f"{order}I", body, 4)[0], order)
        if _GPS in first:
            positions, _ = _directory(body, _number(first[_GPS], order), order)
            if set(positions) - {0}:  # the version alone tells nothing
                sizes["gps"] = 12 * len(positions)
        if following:
            thumbnail, _ = _directory(body, following, order)
            if _THUMBNAIL_LENGTH in thumbnail:
                length = _number(thumbnail[_THUMBNAIL_LENGTH], order)
                if 0 < length <= len(body):
                    sizes["thumbnail"] = length
        if _COPYRIGHT in first:
            _, count, value = first[_COPYRIGHT]
            at = struct.unpack(f"{order}I", value)[0]
            raw = value[:count] if count <= 4 else body[at : at + count]
            return raw.replace(b"\0", b" ").decode("utf-8", "replace").strip()
    return ""


_Entry = tuple[int, int, bytes]
"""Type, count, and the four bytes of value or offset."""


def _directory(body: bytes, at: int, order: str) -> tuple[dict[int, _Entry], int]:
    """The entries of a TIFF directory by tag, and where the next one begins (0: none)."""
    count = struct.unpack_from(f"{order}H", body, at)[0]
    entries: dict[int, _Entry] = {}
    for number in range(count):
        tag, kind, length, value = struct.unpack_from(f"{order}HHI4s", body, at + 2 + 12 * number)
        entries[tag] = (kind, length, value)
    end = at + 2 + 12 * count
    return entries, struct.unpack_from(f"{order}I", body, end)[0] if end + 4 <= len(body) else 0


def _number(entry: _Entry, order: str) -> int:
    """The value of a SHORT or LONG entry."""
    return int(struct.unpack(f"{order}H2x" if entry[0] == 3 else f"{order}I", entry[2])[0])


def _png(data: bytes) -> Segments:
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
        elif name in _PNG_NAMES:
            sort = "xmp" if _PNG_XMP.match(body) else _PNG_NAMES[name]
            sizes[sort] += length
            if name == b"eXIf":
                said = _note_exif(body, sizes)
        at += 12 + length
    return Segments(dict(sizes), said, interlaced, palette=palette, lossless=True)


def _webp(data: bytes) -> Segments:
    sizes: dict[str, int] = defaultdict(int)
    at, said, lossless = 12, "", False
    while at + 8 <= len(data):
        name, length = data[at : at + 4], struct.unpack_from("<I", data, at + 4)[0]
        if name in _RIFF_NAMES:
            sizes[_RIFF_NAMES[name]] += length
            if name == b"EXIF":
                body = data[at + 8 : at + 8 + length]
                said = _note_exif(body.removeprefix(b"Exif\0\0"), sizes)
        lossless |= name == b"VP8L"
        at += 8 + length + (length & 1)
    return Segments(dict(sizes), said, lossless=lossless)


def profile_name(profile: bytes) -> str:
    """What an ICC profile calls itself; empty where it does not say."""
    from PIL import ImageCms  # loads a library of its own, so only when a profile is met

    try:
        return ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile))).strip()
    except (ImageCms.PyCMSError, OSError):
        return ""


# Display P3 adapted to D50 as ICC profiles have it (SMPTE EG 432-1 primaries, white D65).
_P3_PRIMARIES = {
    b"rXYZ": (0.5151, 0.2412, -0.0011),
    b"gXYZ": (0.2919, 0.6922, 0.0419),
    b"bXYZ": (0.1572, 0.0666, 0.7841),
}
_PRIMARIES_NEAR = 0.004


def is_display_p3(profile: bytes) -> bool:
    """Whether an ICC profile has the primaries of Display P3, whatever it is called (ICC.1:2022, 7.3 and 10.31)."""
    with suppress(struct.error):
        (count,) = struct.unpack_from(">I", profile, 128)
        found = {}
        for n in range(min(count, 64)):
            tag, at, _ = struct.unpack_from(">4sII", profile, 132 + 12 * n)
            if tag in _P3_PRIMARIES:
                found[tag] = [v / 65536 for v in struct.unpack_from(">3i", profile, at + 8)]
        return len(found) == len(_P3_PRIMARIES) and all(
            abs(ours - theirs) <= _PRIMARIES_NEAR
            for tag, values in found.items()
            for ours, theirs in zip(values, _P3_PRIMARIES[tag], strict=True)
        )
    return False
