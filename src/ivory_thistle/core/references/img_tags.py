"""The `img` tags of a page with the attributes that findings ask for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ivory_thistle.core.references.markup import tags
from ivory_thistle.core.references.page import attribute_text, declared_length
from ivory_thistle.core.references.pictures import Pictures
from ivory_thistle.core.references.source import Source

_INERT = frozenset({"noscript", "template"})


@dataclass(frozen=True, slots=True)
class ImgTag:
    """One `img`: `line` from 1; `alt` is None without the attribute; `linked`: it stands inside a link."""

    line: int
    src: str
    srcset: str
    sizes: str | None
    alt: str | None
    width: int
    height: int
    lazy: bool
    priority: str
    linked: bool
    in_picture: bool


def img_tags(source: Source) -> Iterator[ImgTag]:
    """Every `img` that a browser with scripting sees, in source order."""
    inert = 0
    linked = False
    pictures = Pictures()
    for tag in tags(source.text):
        if tag.name in _INERT:
            inert = max(0, inert - 1) if tag.closing else inert + 1
        if inert or tag.name in _INERT:
            continue
        pictures.see(tag)
        if tag.name == "a":
            linked = not tag.closing
        elif tag.name == "img" and not tag.closing:
            text = {n: attribute_text(tag, n, source) for n in ("src", "srcset", "sizes", "alt")}
            yield ImgTag(
                line=source.line_of(tag.start),
                src=text["src"] or "",
                srcset=text["srcset"] or "",
                sizes=text["sizes"],
                alt=text["alt"],
                width=declared_length(tag, "width"),
                height=declared_length(tag, "height"),
                lazy=(tag.value("loading") or "").lower() == "lazy",
                priority=(tag.value("fetchpriority") or "").lower(),
                linked=linked,
                in_picture=pictures.inside,
            )
