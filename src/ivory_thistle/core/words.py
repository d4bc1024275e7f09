"""Figures as they are written in sentences."""

from __future__ import annotations

import re
from reprlib import Repr
from typing import Any

_UNITS = {"": 1, "b": 1, "kb": 1_000, "mb": 1_000_000}
_SIZE = re.compile(r"(\d{1,12}(?:\.\d{1,6})?)\s*+([a-zA-Z]{0,2})")
_WHOLE_FROM = 9_950
_SHORT = Repr()
_SHORT.maxstring = _SHORT.maxother = 60


def shown(value: Any) -> str:
    """A value that somebody gave, in a message: however long it is, the message stays a line."""
    return _SHORT.repr(value)


IN_A_SENTENCE = 200
"""Characters of an address or a name from a file of anybody, where a sentence names it."""


def shortened(text: str, characters: int = IN_A_SENTENCE, most_bytes: int | None = None) -> str:
    """Text of so many characters, and bytes in UTF-8; what is longer is cut and ends in "…".

    Half of a letter (a surrogate by itself) becomes a question mark.
    """
    kept = text[:characters].encode("utf-8", "replace")
    if len(text) <= characters and (most_bytes is None or len(kept) <= most_bytes):
        return kept.decode()
    room = most_bytes - len("…".encode()) if most_bytes else None
    return f"{kept[:room].decode('utf-8', 'ignore')[: characters - 1]}…"


def kb(size: float) -> str:
    """Bytes in kB of 1,000: "6 kB", "7.9 kB", "1,234 kB"; tenths only where they say something."""
    return f"{size / 1000:,.0f} kB" if size >= _WHOLE_FROM else f"{size / 1000:.1f}".removesuffix(".0") + " kB"


def counted(number: int, what: str) -> str:
    """So many of something: "1 image", "2,000 images"."""
    return f"{number:,} {what}{'' if number == 1 else 's'}"


def bytes_of(text: str) -> int | None:
    """The bytes of a size as people write it ("100kB", "1.5 MB", "800"); None where it is none, or 0."""
    found = _SIZE.fullmatch(text.strip())
    unit = _UNITS.get(found.group(2).lower()) if found else None
    return round(float(found.group(1)) * unit) or None if found and unit else None
