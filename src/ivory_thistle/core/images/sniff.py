"""The format of a picture from its first bytes, never from its name.

Signatures: WHATWG MIME Sniffing, section 6.1 (https://mimesniff.spec.whatwg.org/#matching-an-image-type-pattern),
with AVIF, HEIC, TIFF and SVG from their own specifications.
"""

from __future__ import annotations

import re
from typing import Literal

ImageFormat = Literal["jpeg", "png", "webp", "avif", "gif", "svg", "bmp", "ico", "tiff", "heic", "unknown"]

EXTENSIONS: dict[ImageFormat, tuple[str, ...]] = {
    "jpeg": ("jpg", "jpeg", "jpe", "jfif"),
    "png": ("png", "apng"),
    "webp": ("webp",),
    "avif": ("avif", "avifs"),
    "gif": ("gif",),
    "svg": ("svg",),
    "bmp": ("bmp",),
    "ico": ("ico", "cur"),
    "tiff": ("tif", "tiff"),
    "heic": ("heic", "heif"),
}

NAMES: dict[ImageFormat, str] = {
    "jpeg": "JPEG",
    "png": "PNG",
    "webp": "WebP",
    "avif": "AVIF",
    "gif": "GIF",
    "svg": "SVG",
    "bmp": "BMP",
    "ico": "ICO",
    "tiff": "TIFF",
    "heic": "HEIC",
    "unknown": "an unknown format",
}
"""The formats as they are written in sentences."""

MIME: dict[ImageFormat, str] = {
    "jpeg": "image/jpeg",
    "png": "image/png",
    "webp": "image/webp",
    "avif": "image/avif",
    "gif": "image/gif",
    "svg": "image/svg+xml",
    "bmp": "image/bmp",
    "ico": "image/x-icon",
    "tiff": "image/tiff",
    "heic": "image/heic",
    "unknown": "application/octet-stream",
}

IMAGE_EXTENSIONS = frozenset(e for names in EXTENSIONS.values() for e in names)

_SVG_TAG = re.compile(rb"<(?:[A-Za-z]{1,40}:)?svg[\s>/]", re.IGNORECASE)
_SPACE = b" \t\n\r\f\v"
# What may stand before the first tag: how it begins, and what ends it.
_BEFORE_SVG = ((b"<?xml", b"?>"), (b"<!--", b"-->"), (b"<!doctype svg", b">"))
_BMP_HEADERS = frozenset({12, 40, 52, 56, 64, 108, 124})
"""The sizes that the second header of a BMP file may have; a text may begin with BM too."""
_AVIF_BRANDS = (b"avif", b"avis")
_HEIC_BRANDS = (b"heic", b"heix", b"hevc", b"hevx", b"heim", b"heis", b"mif1", b"msf1")


def sniff_format(head: bytes) -> ImageFormat | None:
    """The format that the first bytes (4 kB are enough) tell, or None when they are no picture's."""
    for signature, name in _SIGNATURES:
        if head.startswith(signature):
            return name
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "webp"
    if head[4:8] == b"ftyp":
        return _brand(head)
    if head[:2] == b"BM" and int.from_bytes(head[14:18], "little") in _BMP_HEADERS:
        return "bmp"
    return "svg" if _begins_as_svg(head[:4096]) else None


def _begins_as_svg(head: bytes) -> bool:
    """Whether `svg` is the first tag, behind XML's declaration, comments and a document type."""
    low = head.lower()
    at = 3 if head.startswith(b"\xef\xbb\xbf") else 0
    while True:
        at = len(head) - len(head[at:].lstrip(_SPACE))
        end = next((end for start, end in _BEFORE_SVG if low.startswith(start, at)), None)
        if end is None:
            return _SVG_TAG.match(head, at) is not None
        # A document type may hold declarations in brackets.
        subset, plain = low.find(b"[", at), low.find(end, at)
        if end == b">" and 0 <= subset < plain:
            inner = low.find(b"]", subset)
            plain = low.find(end, inner) if inner >= 0 else -1
        if plain < 0:
            return False
        at = plain + len(end)


_SIGNATURES: tuple[tuple[bytes, ImageFormat], ...] = (
    (b"\xff\xd8\xff", "jpeg"),
    (b"\x89PNG\r\n\x1a\n", "png"),
    (b"GIF87a", "gif"),
    (b"GIF89a", "gif"),
    (b"\x00\x00\x01\x00", "ico"),
    (b"\x00\x00\x02\x00", "ico"),
    (b"II*\x00", "tiff"),
    (b"MM\x00*", "tiff"),
)


def _brand(head: bytes) -> ImageFormat | None:
    """AVIF or HEIC by the brands of the file type box (ISO/IEC 14496-12, section 4.3)."""
    size = int.from_bytes(head[:4], "big")
    brands = [head[8:12]] + [head[i : i + 4] for i in range(16, min(size, len(head), 256), 4)]
    if any(b in _AVIF_BRANDS for b in brands):
        return "avif"
    if any(b in _HEIC_BRANDS for b in brands):
        return "heic"
    return None


def extension_of(path: str) -> str:
    """The lower-case extension of a path without its dot; empty when there is none."""
    name = path.rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[-1].lower() if "." in name[1:] else ""
