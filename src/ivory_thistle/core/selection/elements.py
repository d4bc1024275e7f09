"""The `img` elements of a page with what selects their file, and the files that a screen and tier load."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.markup import Tag, tags
from ivory_thistle.core.references.page import attribute_text
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.selection.candidates import SourceElement, choose
from ivory_thistle.core.selection.screen import Screen

_INERT = frozenset({"noscript", "template"})


@dataclass(frozen=True, slots=True)
class ImageElement:
    """One `img` that a browser with scripting sees; `start` is where its tag begins in the source's text."""

    src: str | None
    srcset: str | None
    sizes: str | None
    sources: tuple[SourceElement, ...]
    lazy: bool
    start: int


def image_elements(source: Source) -> Iterator[ImageElement]:
    """Every `img` in source order, with the `source`s before it in its `picture`.

    What stands in `noscript` or `template` is not loaded and left out.
    """
    inert = 0
    in_picture = False
    sources: list[SourceElement] = []
    for tag in tags(source.text):
        if tag.name in _INERT:
            inert = max(0, inert - 1) if tag.closing else inert + 1
        elif inert:
            continue
        elif tag.name == "picture":
            in_picture, sources = not tag.closing, []
        elif tag.closing:
            continue
        elif tag.name == "source" and in_picture:
            sources.append(_source(tag, source))
        elif tag.name == "img":
            lazy = (tag.value("loading") or "").lower() == "lazy"
            text = {name: attribute_text(tag, name, source) for name in ("src", "srcset", "sizes")}
            before = tuple(sources) if in_picture else ()
            yield ImageElement(text["src"], text["srcset"], text["sizes"], before, lazy, tag.start)


def _source(tag: Tag, source: Source) -> SourceElement:
    text = {name: attribute_text(tag, name, source) for name in ("srcset", "sizes", "media", "type")}
    return SourceElement(text["srcset"], text["sizes"], text["media"], text["type"])


def loaded_file(
    element: ImageElement, base: str, index: FileIndex, screen: Screen, shown_types: frozenset[str]
) -> str | None:
    """The site's file that an `img` loads; None where it loads none of the site's own.

    `base` is the absolute address that the page's references resolve against.
    """
    choice = choose(element.src, element.srcset, element.sizes, element.sources, screen, shown_types)
    if not choice:
        return None
    target = index.resolve(base, choice.address.strip("\t\n\f\r "))
    return target.path if target.kind in ("local", "missing") else None
