"""What AVIF and HEIC share: the boxes of an ISO base media file (ISO/IEC 14496-12)."""

from __future__ import annotations

from collections.abc import Collection


def has_brand(head: bytes, brands: Collection[bytes]) -> bool:
    """Whether the file type box (section 4.3) names one of the brands."""
    if head[4:8] != b"ftyp":
        return False
    size = int.from_bytes(head[:4], "big")
    found = [head[8:12]] + [head[i : i + 4] for i in range(16, min(size, len(head), 256), 4)]
    return any(brand in brands for brand in found)


def boxes_cut_off(data: bytes) -> bool:
    """Walks the top-level boxes of an ISO base media file; true when one reaches past the end."""
    at = 0
    while at + 8 <= len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        if size == 1:
            size = int.from_bytes(data[at + 8 : at + 16], "big")
        if size == 0:
            return False
        if size < 8:
            return True
        at += size
    return at > len(data)
