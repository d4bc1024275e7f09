"""Patterns of the names that new files get."""

from __future__ import annotations

import re
from string import Formatter

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.words import shown

NAMES_PATTERN = "{name}-{width}.{ext}"
"""How new files are called, unless asked otherwise."""
NAME_FIELDS = ("name", "width", "height", "hash", "ext")
"""What a pattern may hold: the original's name without extension, pixels, the content's start, the extension."""
BESIDE_PATTERN = "{file}.light.{ext}"
"""How files are called that a server chooses among: the original's whole name comes first."""
IN_PLACE_PATTERN = "{file}"


def names_of(pattern: str) -> str:
    """The pattern of names, if it is one. Raises UnusableInput."""
    allowed = ", ".join(f"{{{field}}}" for field in NAME_FIELDS)
    try:
        parts = list(Formatter().parse(pattern))
    except ValueError:
        parts = []
    fields = [field for _, field, _, _ in parts if field is not None]
    plain = all(not spec and not conversion for _, field, spec, conversion in parts if field is not None)
    known = plain and set(fields) <= set(NAME_FIELDS) and "name" in fields
    if not known or not pattern.endswith(".{ext}") or re.search(r"[/\\:*?\"<>|\x00-\x1f]", pattern):
        raise UnusableInput(
            f"A pattern of names holds {{name}}, ends in .{{ext}}, and may hold {allowed}; not {shown(pattern)}."
        )
    return pattern
