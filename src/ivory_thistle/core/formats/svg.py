"""SVG: its size from its own tag; never drawn here."""

from __future__ import annotations

import math
import re

from ivory_thistle.core.formats.table import Format, register
from ivory_thistle.core.images.facts import ImageFacts

_TAG = re.compile(rb"<(?:[A-Za-z]{1,40}:)?svg[\s>/]", re.IGNORECASE)
_SPACE = b" \t\n\r\f\v"
# What may stand before the first tag: how it begins, and what ends it.
_BEFORE = ((b"<?xml", b"?>"), (b"<!--", b"-->"), (b"<!doctype svg", b">"))
_HEAD = 4096
_SIZE = re.compile(rb"<(?:[A-Za-z]{1,40}+:)?svg\b([^<>]*+)>", re.IGNORECASE | re.DOTALL)
_VIEWBOX = re.compile(rb"viewBox\s*=\s*[\"']\s*[-\d.e]+[\s,]+[-\d.e]+[\s,]+([\d.e]+)[\s,]+([\d.e]+)", re.IGNORECASE)
_MOST_SIDE = 1_000_000.0


def _begins(head: bytes) -> bool:
    """Whether `svg` is the first tag, behind XML's declaration, comments and a document type."""
    head = head[:_HEAD]
    low = head.lower()
    at = 3 if head.startswith(b"\xef\xbb\xbf") else 0
    while True:
        at = len(head) - len(head[at:].lstrip(_SPACE))
        end = next((end for start, end in _BEFORE if low.startswith(start, at)), None)
        if end is None:
            return _TAG.match(head, at) is not None
        # A document type may hold declarations in brackets.
        subset, plain = low.find(b"[", at), low.find(end, at)
        if end == b">" and 0 <= subset < plain:
            inner = low.find(b"]", subset)
            plain = low.find(end, inner) if inner >= 0 else -1
        if plain < 0:
            return False
        at = plain + len(end)


def _side(attributes: bytes, name: bytes) -> float:
    """One side in px; 0 where it is missing, a share, or no number."""
    found = re.search(rb"(?:^|\s)" + name + rb"\s*=\s*[\"']\s*([\d.]{1,40})(?:px)?\s*[\"']", attributes)
    return _number(found.group(1)) if found else 0.0


def _number(text: bytes) -> float:
    """A positive number; 0 for what is none or not finite."""
    try:
        value = float(text)
    except ValueError:
        return 0.0
    return value if 0 < value < math.inf else 0.0


def _read_facts(data: bytes, digest: str) -> ImageFacts:
    """Width and height of an SVG from its attributes in px, else from its viewBox, else 0."""
    tag = _SIZE.search(data[:65536])
    attributes = tag.group(1) if tag else b""
    width, height = (_side(attributes, name) for name in (b"width", b"height"))
    found = _VIEWBOX.search(attributes)
    box = (_number(found.group(1)), _number(found.group(2))) if found else (0.0, 0.0)
    if all(box) and not (width and height):
        # One side alone takes the other from the box's proportions.
        scale = width / box[0] if width else height / box[1] if height else 1.0
        width, height = box[0] * scale, box[1] * scale
    return ImageFacts(
        "svg",
        round(min(width, _MOST_SIDE)),
        round(min(height, _MOST_SIDE)),
        len(data),
        digest,
        has_alpha=True,
        colour="vector",
    )


register(
    Format(
        name="svg",
        label="SVG",
        mimes=("image/svg+xml",),
        extensions=("svg",),
        begins=_begins,
        read_facts=_read_facts,
        shown_by_all=True,
        vector=True,
    )
)
