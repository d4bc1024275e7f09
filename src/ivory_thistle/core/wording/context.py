"""What stands around the images of a page: captions, headings and the text before and after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from ivory_thistle.core.references.markup import Tag, tags, unescape_attribute
from ivory_thistle.core.references.page import attribute_text, declared_length
from ivory_thistle.core.references.source import Source

_HEADINGS = frozenset({"h1", "h2", "h3", "h4", "h5", "h6"})
_AROUND = 160
"""Characters of text that are told before and after an image."""
_LONGEST = 300


@dataclass(frozen=True, slots=True)
class ImageContext:
    """One `img`: where its tag begins, its line, its address, and its `alt` (None without the attribute).

    `heading` is the nearest before it, `caption` that of its figure, `link_text` what else the link around it says.
    `hidden`: assistive technology is told to pass it by. `width` and `height` are declared, in CSS px (0: not).
    """

    at: int
    line: int
    address: str
    alt: str | None
    heading: str = ""
    caption: str = ""
    link_text: str = ""
    before: str = ""
    after: str = ""
    hidden: bool = False
    linked: bool = False
    width: int = 0
    height: int = 0


@dataclass(slots=True)
class _Reader:
    """Goes through a page once."""

    source: Source
    texts: list[str] = field(default_factory=list)
    found: list[ImageContext] = field(default_factory=list)
    places: list[int] = field(default_factory=list)
    heading: str = ""
    open_heading: int | None = None
    open_caption: int | None = None
    open_link: tuple[int, int] | None = None
    figures: list[int] = field(default_factory=list)

    def text(self, start: int, end: int) -> None:
        said = " ".join(unescape_attribute(self.source.decode(self.source.text[start:end])).split())
        if said:
            self.texts.append(said)

    def see(self, tag: Tag) -> None:
        if tag.name in _HEADINGS:
            self._see_heading(tag)
        elif tag.name == "figure":
            self._see_figure(tag)
        elif tag.name == "figcaption":
            self._see_caption(tag)
        elif tag.name == "a":
            self._see_link(tag)
        elif tag.name == "img" and not tag.closing:
            self._see_image(tag)

    def _see_heading(self, tag: Tag) -> None:
        if not tag.closing:
            self.open_heading = len(self.texts)
        elif self.open_heading is not None:
            self.heading = _joined(self.texts[self.open_heading :])
            self.open_heading = None

    def _see_figure(self, tag: Tag) -> None:
        if not tag.closing:
            self.figures.append(len(self.found))
        elif self.figures:
            self.figures.pop()

    def _see_caption(self, tag: Tag) -> None:
        if not tag.closing:
            self.open_caption = len(self.texts)
        elif self.open_caption is not None and self.figures:
            caption = _joined(self.texts[self.open_caption :])
            for n in range(self.figures[-1], len(self.found)):
                self.found[n] = replace(self.found[n], caption=caption)
            self.open_caption = None

    def _see_link(self, tag: Tag) -> None:
        if not tag.closing:
            self.open_link = (len(self.texts), len(self.found))
        elif self.open_link is not None:
            text, first = _joined(self.texts[self.open_link[0] :]), self.open_link[1]
            for n in range(first, len(self.found)):
                self.found[n] = replace(self.found[n], link_text=text)
            self.open_link = None

    def _see_image(self, tag: Tag) -> None:
        role = (tag.value("role") or "").strip().lower()
        self.places.append(len(self.texts))
        self.found.append(
            ImageContext(
                at=tag.start, line=self.source.line_of(tag.start),
                address=(attribute_text(tag, "src", self.source) or "").strip(),
                alt=attribute_text(tag, "alt", self.source), heading=self.heading,
                hidden=role in ("presentation", "none") or (tag.value("aria-hidden") or "").lower() == "true",
                linked=self.open_link is not None,
                width=declared_length(tag, "width"), height=declared_length(tag, "height"),
            )
        )  # fmt: skip


def image_contexts(source: Source) -> list[ImageContext]:
    """Every `img` of a page with what stands around it, in source order."""
    reader, at = _Reader(source), 0
    for tag in tags(source.text):
        reader.text(at, tag.start)
        # What a raw text element holds is no text of the page, but for its title.
        at = tag.raw_text[1] if tag.raw_text else tag.end
        reader.see(tag)
    reader.text(at, len(source.text))
    return [
        replace(image, before=_ending(reader.texts[:place][-8:]), after=_beginning(reader.texts[place : place + 8]))
        for image, place in zip(reader.found, reader.places, strict=True)
    ]


def _joined(texts: Sequence[str]) -> str:
    return " ".join(texts)[:_LONGEST]


def _beginning(texts: Sequence[str]) -> str:
    return " ".join(texts)[:_AROUND]


def _ending(texts: Sequence[str]) -> str:
    return " ".join(texts)[-_AROUND:]
