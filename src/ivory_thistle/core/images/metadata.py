"""What is kept of a picture's metadata, and how it is put into a finished file.

EXIF: the APP1 segment of JPEG (Exif 2.32), the eXIf chunk of PNG (W3C, third edition), the EXIF chunk of WebP's
extended container (RFC 9649). XMP is put in by the encoders' own libraries.
"""

from __future__ import annotations

import io
import re
import struct
import warnings
import zlib
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from PIL import Image as PillowImage

from ivory_thistle.core.images.sniff import ImageFormat

MetadataPolicy = Literal["none", "copyright", "keep"]
_ORIENTATION, _ARTIST, _COPYRIGHT = 0x0112, 0x013B, 0x8298
_XMP_ORIENTATION = re.compile(rb'(tiff:Orientation(?:="|>))\d')
_EXIF_NAME = b"Exif\0\0"
_SEGMENT = 65_533
_HAS_ALPHA, _HAS_EXIF = 0x10, 0x08
_PNG_HEAD = 8 + 25


@dataclass(frozen=True, slots=True)
class Metadata:
    """What goes into a file beside its pixels: EXIF (a TIFF block) and XMP (a packet), empty for none."""

    exif: bytes = b""
    xmp: bytes = b""

    def __bool__(self) -> bool:
        return bool(self.exif or self.xmp)


NO_METADATA = Metadata()


def kept_metadata(data: bytes, policy: MetadataPolicy) -> Metadata:
    """What a policy keeps of a file's metadata; what can't be read is nothing.

    "copyright" keeps its holder and the artist. "keep" keeps EXIF and XMP but the orientation, which is baked into the
    pixels, and the thumbnail.
    """
    if policy == "none":
        return NO_METADATA
    with suppress(OSError, ValueError, SyntaxError, struct.error, PillowImage.DecompressionBombError):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
            opened = PillowImage.open(io.BytesIO(data))
        with opened:
            found = opened.getexif()
            if policy == "copyright":
                tags = {tag: found[tag] for tag in (_ARTIST, _COPYRIGHT) if found.get(tag)}
                return Metadata(_block(tags)) if tags else NO_METADATA
            found.pop(_ORIENTATION, None)
            xmp = opened.info.get("xmp") or b""
            xmp = xmp.encode() if isinstance(xmp, str) else xmp
            exif = found.tobytes().removeprefix(_EXIF_NAME) if len(found) else b""
            return Metadata(exif, _XMP_ORIENTATION.sub(rb"\g<1>1", xmp))
    return NO_METADATA


def _block(tags: dict[int, object]) -> bytes:
    exif = PillowImage.Exif()
    for tag, value in tags.items():
        exif[tag] = value
    return exif.tobytes().removeprefix(_EXIF_NAME)


def with_exif(kind: ImageFormat, data: bytes, exif: bytes) -> bytes:
    """A JPEG, PNG or WebP file that an encoder of ours made, with an EXIF block put in (empty: as it is)."""
    if not exif:
        return data
    if kind == "jpeg":
        body = _EXIF_NAME + exif
        return (
            data[:2] + b"\xff\xe1" + struct.pack(">H", len(body) + 2) + body + data[2:]
            if len(body) <= _SEGMENT
            else data
        )
    if kind == "png":
        chunk = struct.pack(">I", len(exif)) + b"eXIf" + exif + struct.pack(">I", zlib.crc32(b"eXIf" + exif))
        return data[:_PNG_HEAD] + chunk + data[_PNG_HEAD:]
    return _webp(data, exif)


def _webp(data: bytes, exif: bytes) -> bytes:
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
