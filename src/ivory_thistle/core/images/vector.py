"""Vector drawings: what of an SVG file draws nothing, and the same drawing in fewer bytes.

Edits are made on the text, so that everything that is not understood stays as it was written; both files are then
drawn, and a drawing that changed is not given out.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyvips
from numpy.typing import NDArray

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.words import counted

# Comments, metadata, and whatever stands in a namespace other than SVG's own, links' and XML's.
_FOREIGN = rb"(?!(?:svg|xlink|xml|xmlns):)[A-Za-z][\w.-]*:[\w.-]+"
_BALLAST = re.compile(
    rb"<!--.*?-->|<metadata\b.*?</metadata>|<\?xpacket.*?\?>|<!DOCTYPE[^>\[]*(?:\[.*?\])?\s*>"
    rb"|<(?P<name>" + _FOREIGN + rb")\b[^>]*?(?:/>|>.*?</(?P=name)\s*>)"
    rb"|\s(?:" + _FOREIGN + rb"|xmlns:(?!svg\b|xlink\b)[\w.-]+)\s*=\s*(?:\"[^\"]*\"|'[^']*')",
    re.DOTALL,
)
_SCRIPT = re.compile(rb"<script\b[^>]*?/>|<script\b.*?</script\s*>", re.DOTALL | re.IGNORECASE)
_EVENT = re.compile(rb"\son[a-z]+\s*=\s*(?:\"[^\"]*\"|'[^']*')", re.IGNORECASE)
# Inside these, blanks and figures mean something of their own.
_KEPT = re.compile(rb"<(text|style|script|foreignObject|title|desc)\b.*?</\1\s*>|<!\[CDATA\[.*?\]\]>", re.DOTALL)
_GEOMETRY = re.compile(rb"(\s(?:d|points|x|y|x1|x2|y1|y2|cx|cy|r|rx|ry|width|height)=)(\"[^\"]*\"|'[^']*')")
_LONG_NUMBER = re.compile(rb"(?<![\w#.])([-+]?\d*\.\d{3,})(?![\w%.])")
_EMPTY = re.compile(rb"<(?:defs|g)\s*/>|<(defs|g)>\s*</\1>")
_BETWEEN, _BLANKS = re.compile(rb">\s+<"), re.compile(rb"\s+")
_TAG = re.compile(rb"<[^<>]*+>")
_FILTER = re.compile(rb"<(?:[\w.-]{1,40}:)?filter[\s>]", re.IGNORECASE)
_PAIRS = (
    (b"<!--", b"-->"), (b"<metadata", b"</metadata>"), (b"<?xpacket", b"?>"), (b"<!DOCTYPE", b">"), (b"[", b"]"),
    (b"<![CDATA[", b"]]>"), *((b"<" + name, b"</" + name) for name in
    (b"text", b"style", b"script", b"foreignObject", b"title", b"desc")),
)  # fmt: skip
_NAMESPACED = re.compile(rb"<(/?)([A-Za-z][\w.-]*+:[\w.-]++)[^<>]*?(/?)>")
_MOST_OPEN = 20
_DRAWN_SIDES = (256, 640)
_UNSEEN = 3
"""Levels of 256 by which no pixel may differ on average over a neighbourhood of 2 x 2."""


@dataclass(frozen=True, slots=True)
class Vector:
    """A smaller SVG file, and in words what was taken out or is still in it."""

    data: bytes
    words: tuple[str, ...]


def smaller_svg(data: bytes, without_scripts: bool = False) -> Vector:
    """The same drawing in fewer bytes. Scripts and event attributes stay unless asked, and are told of always.

    Raises PictureError for what can't be drawn. A drawing with filters, which may take any time to draw, stays as it
    is.
    """
    words = []
    if not _is_closed(data):
        raise PictureError("The drawing leaves too many elements or comments open to be followed.")
    scripts, events = len(_SCRIPT.findall(data)), len(_EVENT.findall(data))
    if scripts or events:
        what = f"{counted(scripts, 'script')} and {counted(events, 'event attribute')}"
        words.append(f"It holds {what}; they are {'taken out' if without_scripts else 'kept'}.")
    source = _EVENT.sub(b"", _SCRIPT.sub(b"", data)) if without_scripts else data
    if _FILTER.search(source):
        return Vector(source, (*words, "It holds filters, which may take any time to draw: it stays as it is."))
    drawn = [_draw(source, side) for side in _DRAWN_SIDES]
    for edits in ((_without_ballast, _rounded, _closed_up), (_without_ballast, _closed_up), (_without_ballast,)):
        smaller = source
        for edit in edits:
            smaller = edit(smaller)
        if len(smaller) < len(source) and _same(drawn, smaller):
            return Vector(smaller, tuple(words))
    return Vector(source, tuple(words))


def ballast_bytes(data: bytes) -> int:
    """How many bytes of a drawing draw nothing; 0 where it can't be followed."""
    return sum(len(found.group()) for found in _BALLAST.finditer(data)) if _is_closed(data) else 0


def _is_closed(data: bytes) -> bool:
    """Whether what opens is closed, but for a few: a search for an end that never comes goes through the whole file."""
    for opens, closes in _PAIRS:
        if data.count(opens, data.rfind(closes) + 1) > _MOST_OPEN:
            return False
    waiting: dict[bytes, int] = {}
    for found in _NAMESPACED.finditer(data):
        name = found.group(2)
        waiting[name] = waiting.get(name, 0) + (-1 if found.group(1) else 0 if found.group(3) else 1)
    return sum(max(0, n) for n in waiting.values()) <= _MOST_OPEN


def _without_ballast(data: bytes) -> bytes:
    return _EMPTY.sub(b"", _outside(data, lambda part: _BALLAST.sub(b"", part)))


def _rounded(data: bytes) -> bytes:
    """Figures of geometry with two decimals: a hundredth of a unit of the drawing's own."""

    def figures(found: re.Match[bytes]) -> bytes:
        return found.group(1) + _LONG_NUMBER.sub(_two_decimals, found.group(2))

    return _outside(data, lambda part: _GEOMETRY.sub(figures, part))


def _two_decimals(found: re.Match[bytes]) -> bytes:
    return f"{float(found.group(1)):.2f}".rstrip("0").rstrip(".").encode() or b"0"


def _closed_up(data: bytes) -> bytes:
    """Blanks between tags gone, blanks within tags single."""
    return _outside(data, lambda part: _TAG.sub(lambda t: _BLANKS.sub(b" ", t.group()), _BETWEEN.sub(b"><", part)))


def _outside(data: bytes, edit: Callable[[bytes], bytes]) -> bytes:
    """Edits everything but the elements that are kept."""
    parts, at = [], 0
    for kept in _KEPT.finditer(data):
        parts += [edit(data[at : kept.start()]), kept.group()]
        at = kept.end()
    return b"".join([*parts, edit(data[at:])]).strip()


def drawn(data: bytes, side: int) -> NDArray[np.uint8]:
    """The drawing as height x width x 4, sRGB, `side` pixels on its longer side. Raises PictureError.

    What holds filters is not drawn: it may take any time.
    """
    if _FILTER.search(data):
        raise PictureError("It holds filters, which may take any time to draw.")
    try:
        image = pyvips.Image.thumbnail_buffer(data, side, height=side, size="both")
        return np.asarray(image.numpy(), np.uint8)
    except pyvips.Error as error:
        raise PictureError("The drawing can't be drawn.") from error


def _draw(data: bytes, side: int) -> NDArray[np.float32]:
    try:
        image = pyvips.Image.thumbnail_buffer(data, side, height=side, size="both")
        return np.asarray(image.shrink(2, 2).numpy(), np.float32)
    except pyvips.Error as error:
        raise PictureError("The drawing can't be drawn, so nobody can say whether it stays the same.") from error


def _same(drawn: list[NDArray[np.float32]], data: bytes) -> bool:
    try:
        others = [_draw(data, side) for side in _DRAWN_SIDES]
    except PictureError:
        return False
    return all(a.shape == b.shape and float(np.abs(a - b).max()) <= _UNSEEN for a, b in zip(drawn, others, strict=True))
