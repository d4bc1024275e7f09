"""How wide phones lay a page out: what its viewport meta asks for."""

from __future__ import annotations

import re

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.markup import passing_over, tags
from ivory_thistle.core.references.source import Source

_FALLBACK_WIDTH = 980
"""CSS px that phones make a page wide that says nothing of its viewport (common practice, no source)."""
_NARROWEST_PHONE = 320
_HINT = re.compile("viewport|handheldfriendly", re.IGNORECASE)
# As Chromium takes it: a semicolon is part of a value.
_PROPERTY = re.compile(r"(?:^|[,\s])(width|initial-scale)\s*=\s*([^,=\s]*)")
_LEADING_NUMBER = re.compile(r"[0-9]{1,5}(?:\.[0-9]{1,5})?")


def viewport_faults(path: str, source: Source) -> list[Fault]:
    """That phones lay a page out wider than their screen, where they do."""
    width = _width_on_phones(source)
    if width is None:
        return []
    message = (
        f"Phones lay {path} out {width} CSS px wide and load files for that; what is said of narrower screens holds"
        " for windows of their width."
    )
    return [Fault("viewport-missing", path, message)]


def _width_on_phones(source: Source) -> int | None:
    """In CSS px; None: as wide as their screen. The last meta that speaks of it counts."""
    width: int | None = _FALLBACK_WIDTH
    if not _HINT.search(source.text):
        return width
    over = passing_over(frozenset({"meta"}), frozenset(), frozenset())
    for tag in tags(source.text, over):
        name, content = ((tag.value(attribute) or "").lower() for attribute in ("name", "content"))
        if tag.name == "meta" and name == "viewport":
            width = _width_said(content)
        elif tag.name == "meta" and name == "handheldfriendly" and content == "true":
            width = None
    return width


def _width_said(content: str) -> int | None:
    """The width that the content of a viewport meta asks for, in CSS px; None: that of the screen."""
    said = dict(_PROPERTY.findall(content))
    width = said.get("width", "")
    if width == "device-width":
        return None
    number = _LEADING_NUMBER.match(width)
    # A page is never narrower than the screen at its scale.
    if "initial-scale" in said and (not number or float(number[0]) <= _NARROWEST_PHONE):
        return None
    return round(float(number[0])) if number else _FALLBACK_WIDTH
