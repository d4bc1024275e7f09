"""A page as the tree that a browser builds of it, with what its elements say about pictures."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from xml.etree.ElementTree import Element

from ivory_thistle.core.references.source import Source
from ivory_thistle.core.selection.candidates import SourceElement
from ivory_thistle.core.selection.tree import XLINK, tree_of

_BLANKS = "\t\n\f\r "


@dataclass(frozen=True, slots=True)
class ImageElement:
    """One `img` with what selects its file: its attributes and the `source`s before it in its `picture`."""

    src: str | None
    srcset: str | None
    sizes: str | None
    sources: tuple[SourceElement, ...]
    lazy: bool
    node: Element

    @property
    def declared(self) -> tuple[int, int]:
        """The `width` and `height` attributes in CSS px; 0 where one is missing or no plain number."""
        return _pixels(self.node.get("width")) or 0, _pixels(self.node.get("height")) or 0

    @property
    def declared_width(self) -> int | None:
        """The `width` attribute in CSS px; None where it is missing or no plain number."""
        return _pixels(self.node.get("width"))


class Document:
    """The tree of a page."""

    def __init__(self, source: Source) -> None:
        self.root: Element = tree_of(source.characters())
        self.encoding = source.encoding

    @cached_property
    def parents(self) -> dict[Element, Element]:
        """The parent of every element but the root."""
        return {child: parent for parent in self.root.iter() for child in parent}

    @cached_property
    def elements(self) -> list[Element]:
        """Every element in tree order, without what stands in a `template`."""
        return list(_outside_templates(self.root))

    @property
    def base(self) -> str | None:
        """The `href` of the first `base` that has one."""
        return next((e.get("href") for e in self.elements if e.tag == "base" and e.get("href") is not None), None)

    @cached_property
    def policies(self) -> list[str]:
        """The content security policies that the page itself declares."""
        metas = (e for e in self.elements if e.tag == "meta")
        return [
            e.get("content") or "" for e in metas if stripped(e.get("http-equiv")).lower() == "content-security-policy"
        ]

    @cached_property
    def images(self) -> list[ImageElement]:
        """Every `img` in tree order."""
        return [self._image(e) for e in [*self.elements, *self.shadowed] if e.tag == "img"]

    @cached_property
    def shadowed(self) -> list[Element]:
        """Every element in a declared shadow tree; the page's style sheets don't reach them."""
        shadows = [e for e in self.root.iter("template") if _is_shadow(e)]
        return [e for shadow in shadows for child in shadow for e in _outside_templates(child)]

    @cached_property
    def templates(self) -> list[Element]:
        """Every element in a `template` that is none of a shadow tree: what only scripts bring into the page."""
        found: list[Element] = []
        waiting = [(self.root, False)]
        while waiting:
            at, inside = waiting.pop()
            if inside and isinstance(at.tag, str):
                found.append(at)
            below = inside or (at.tag == "template" and not _is_shadow(at))
            waiting += [(child, below) for child in at]
        return found

    def _image(self, node: Element) -> ImageElement:
        sources: list[SourceElement] = []
        parent = self.parents.get(node)
        if parent is not None and parent.tag == "picture":
            for sibling in parent:
                if sibling is node:
                    break
                if sibling.tag == "source":
                    sources.append(SourceElement(*(sibling.get(n) for n in ("srcset", "sizes", "media", "type"))))
        lazy = (node.get("loading") or "").lower() == "lazy"
        return ImageElement(node.get("src"), node.get("srcset"), node.get("sizes"), tuple(sources), lazy, node)


def _is_shadow(template: Element) -> bool:
    """Whether a `template` becomes a shadow tree. https://html.spec.whatwg.org/#attr-template-shadowrootmode"""
    return (template.get("shadowrootmode") or "").lower() in ("open", "closed")


def _outside_templates(node: Element) -> Iterator[Element]:
    waiting = [node]
    while waiting:
        at = waiting.pop()
        if not isinstance(at.tag, str):  # a comment
            continue
        yield at
        if at.tag != "template":
            waiting += reversed(at)


def _pixels(value: str | None) -> int | None:
    found = re.match(r"[\t\n\f\r ]*\+?(\d{1,9})", value or "")
    return int(found.group(1)) if found and not (value or "").rstrip(_BLANKS).endswith("%") else None


def link_address(node: Element) -> str:
    """The address in `href` or `xlink:href` of an SVG element."""
    return (node.get("href") or node.get(XLINK + "href") or "").strip(_BLANKS)


def stripped(value: str | None) -> str:
    """An attribute's value without the blanks around it; empty where it is missing."""
    return (value or "").strip(_BLANKS)
