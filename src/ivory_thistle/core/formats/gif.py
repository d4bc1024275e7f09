"""GIF: read, never written."""

from __future__ import annotations

from ivory_thistle.core.formats.segments import Segments
from ivory_thistle.core.formats.table import Format, register


def _segments(data: bytes) -> Segments:
    packed = data[10] if len(data) > 10 else 0
    return Segments(palette=2 << (packed & 7) if packed & 0x80 else 0, lossless=True)


def _cut_off(data: bytes) -> bool:
    """Walks the blocks of a GIF89a file; true when they end before its trailer."""
    if len(data) < 13:
        return True
    at = 13 + (3 << ((data[10] & 7) + 1) if data[10] & 0x80 else 0)
    while at < len(data) and data[at] != 0x3B:
        if data[at] == 0x2C and at + 10 <= len(data):
            packed = data[at + 9]
            at += 11 + (3 << ((packed & 7) + 1) if packed & 0x80 else 0)
        else:
            at += 2
        while at < len(data) and data[at]:
            at += data[at] + 1
        at += 1
    return at >= len(data)


register(
    Format(
        name="gif",
        label="GIF",
        mimes=("image/gif",),
        extensions=("gif",),
        begins=lambda head: head.startswith((b"GIF87a", b"GIF89a")),
        segments=_segments,
        cut_off=_cut_off,
        frames=None,
        shown_by_all=True,
        flat=True,
    )
)
