"""What one HTML page names: pictures with their places in the source, style sheets and the base address."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Literal, NamedTuple

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.css import CssReading, CssReference, read_css, read_style_attribute
from ivory_thistle.core.references.markup import Attribute, Tag, passing_over, tags, unescape_attribute
from ivory_thistle.core.references.pictures import Pictures
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.references.srcset import parse_srcset

_ICON_RELS = frozenset(
    {
        "icon",
        "apple-touch-icon",
        "apple-touch-icon-precomposed",
        "mask-icon",
        "apple-touch-startup-image",
        "image_src",
    }
)
_SOCIAL = frozenset(
    {
        "og:image",
        "og:image:url",
        "og:image:secure_url",
        "twitter:image",
        "twitter:image:src",
        "msapplication-tileimage",
    }
)
_CSS_HINT = re.compile(r"url\(|image-set\(", re.IGNORECASE)
LAZY_ATTRIBUTES = (
    "data-src", "data-original", "data-lazy", "data-lazy-src", "data-bg", "data-background", "data-background-image",
    "data-image", "data-poster", "data-srcset", "data-lazy-srcset",
)  # fmt: skip
"""Attributes from which scripts in common use load pictures later; one that ends in `srcset` holds candidates."""


Use = Literal["single", "candidate", "background", "preload", "social", "plain", "kept"]
"""How a placement can be rewritten: an `img` with one address; one candidate of a srcset; a CSS background;
a preload. "social" is read by crawlers only; "plain" takes one address and no fallback: a file that every browser
shows, of the original's own size, may stand there; "kept" stays as it is."""


@dataclass(frozen=True, slots=True)
class Reference:
    """One picture named by a page's own source.

    `start:end` spans the address (for CSS: the whole `url(...)`) in the source's text; `descriptor` is that
    of a srcset candidate, `declared_width` the `width` attribute in CSS px (0: none). `attribute` is "css"
    inside a `style` element; `tag_start` is where the tag begins. `choice_start` is where the element begins that loads
    one of its candidates only: the `picture` around a `source` or `img`, else the tag itself. `steady` is as in
    `CssReading.is_steady`.
    """

    address: str
    element: str
    attribute: str
    start: int
    end: int
    line: int
    descriptor: str = ""
    use: Use = "kept"
    declared_width: int = 0
    tag_start: int = 0
    choice_start: int = 0
    steady: bool = False


class Link(NamedTuple):
    """A plain link to a file (`a href`): the file is in use, but the page does not load it.

    `start:end` spans the address in the source's text.
    """

    address: str
    start: int = 0
    end: int = 0


@dataclass(slots=True)
class PageReading:
    """Everything that a page names, in source order.

    `faults` are those of its markup; whoever looks for them puts them there.
    """

    references: list[Reference] = field(default_factory=list)
    stylesheets: list[str] = field(default_factory=list)
    links: list[Link] = field(default_factory=list)
    base: str | None = None
    title: str = ""
    has_script: bool = False
    data_bytes: int = 0
    manifests: list[str] = field(default_factory=list)
    encoding: str = ""
    faults: list[Fault] = field(default_factory=list)


def read_page(source: Source, lazy_attributes: tuple[str, ...] = LAZY_ATTRIBUTES) -> PageReading:
    """Reads a page's source. Broken markup is read as browsers tokenize it; nothing is raised."""
    reading = PageReading(encoding=source.encoding)
    lines = _Lines(source.text)
    pictures = Pictures()
    over = passing_over(_NAMING, frozenset({"picture"}), frozenset({"style", "background", *lazy_attributes}))
    for tag in tags(source.text, over):
        pictures.see(tag)
        if tag.closing:
            continue
        for reference in _references_of(tag, pictures.inside, source, reading, lazy_attributes):
            if reference.address[:5].lower() == "data:":
                reading.data_bytes += len(reference.address)
                continue
            use = "kept" if pictures.treated and reference.attribute != "style" else reference.use
            line = lines.at(reference.start)
            chooser = tag.start if pictures.start is None else pictures.start
            placed = replace(reference, line=line, use=use, tag_start=tag.start, choice_start=chooser)
            reading.references.append(placed)
        _page_wide(tag, source, reading)
    return reading


_NAMING = frozenset(
    {"img", "source", "input", "video", "link", "meta", "image", "feimage", "use", "object", "embed", "base", "title",
     "a", "area", "style", "picture", "script"}
)  # fmt: skip


class _Lines:
    """Line numbers for rising positions, counted once over the text."""

    def __init__(self, text: str) -> None:
        self._text, self._at, self._line = text, 0, 1

    def at(self, position: int) -> int:
        if position < self._at:
            return self._text.count("\n", 0, position) + 1
        self._line += self._text.count("\n", self._at, position)
        self._at = position
        return self._line


def _page_wide(tag: Tag, source: Source, reading: PageReading) -> None:
    """Base address, title, style sheets and plain links."""
    href = attribute_text(tag, "href", source)
    if tag.name == "base" and href is not None and reading.base is None:
        reading.base = href
    elif tag.name == "title" and tag.raw_text and not reading.title:
        raw = source.decode(source.text[slice(*tag.raw_text)])
        reading.title = " ".join(unescape_attribute(raw).split())[:200]
    elif tag.name == "link" and href and "stylesheet" in (tag.value("rel") or "").lower().split():
        reading.stylesheets.append(href)
    elif tag.name == "script":
        reading.has_script = True
    elif tag.name == "link" and href and "manifest" in (tag.value("rel") or "").lower().split():
        reading.manifests.append(href)
    elif tag.name in ("a", "area") and href and (found := tag.get("href")):
        reading.links.append(Link(href, found.value_start, found.value_end))


def _references_of(
    tag: Tag, in_picture: bool, source: Source, reading: PageReading, lazy_attributes: tuple[str, ...]
) -> Iterator[Reference]:
    """The references that one start tag makes."""
    yield from _element_references(tag, in_picture, source, lazy_attributes)
    style = tag.get("style")
    if style and _CSS_HINT.search(style.raw):
        yield from _style_attribute(tag.name, style, source)
    if tag.name == "style" and tag.raw_text:
        start, end = tag.raw_text
        sheet = read_css(source.text[start:end], source.decode)
        reading.stylesheets += [i.address for i in sheet.imports]
        for r in sheet.references:
            yield Reference(r.address, "style", "css", start + r.start, start + r.end, 0, use=use_in_css(sheet, r))


def _element_references(
    tag: Tag, in_picture: bool, source: Source, lazy_attributes: tuple[str, ...]
) -> Iterator[Reference]:
    name = tag.name
    if name == "img":
        lazy_by_script = not tag.names.isdisjoint(lazy_attributes)
        yield from _single(tag, source, "src", "kept" if lazy_by_script else "single")
        yield from _set(tag, source, "srcset", "kept" if lazy_by_script else "candidate")
    elif name == "source" and in_picture:
        yield from _set(tag, source, "srcset", "candidate")
    elif name == "input" and (tag.value("type") or "").lower() == "image":
        yield from _single(tag, source, "src", "plain")
    elif name == "video":
        yield from _single(tag, source, "poster", "plain")
    elif name == "link":
        yield from _link(tag, source)
    elif name == "meta":
        said = (tag.value("property") or tag.value("name") or "").lower()
        if said in _SOCIAL:
            yield from _single(tag, source, "content", "social")
    elif name in ("image", "feimage", "use"):
        yield from _vector(tag, source)
    elif name == "object" and (tag.value("type") or "image/").lower().startswith("image/"):
        yield from (r for r in _single(tag, source, "data") if tag.value("type") or _looks_like_picture(r.address))
    elif name == "embed":
        yield from (r for r in _single(tag, source, "src") if _looks_like_picture(r.address))
    elif name in ("body", "table", "td", "th"):
        yield from _single(tag, source, "background", "plain")
    for attribute in () if tag.names.isdisjoint(lazy_attributes) else (a for a in lazy_attributes if a in tag.names):
        yield from (_set if attribute.endswith("srcset") else _single)(tag, source, attribute)


def _looks_like_picture(address: str) -> bool:
    return bool(re.search(r"\.(?:svg|png|jpe?g|webp|avif|gif|bmp)(?:[?#]|$)", address, re.IGNORECASE))


def _link(tag: Tag, source: Source) -> Iterator[Reference]:
    rels = set((tag.value("rel") or "").lower().split())
    is_preload = "preload" in rels and (tag.value("as") or "").lower() == "image"
    if rels & _ICON_RELS or is_preload:
        plain = is_preload and not tag.get("imagesrcset") and not tag.get("type")
        yield from _single(tag, source, "href", "preload" if plain else "kept")
    if is_preload:
        yield from _set(tag, source, "imagesrcset")


def use_in_css(sheet: CssReading, reference: CssReference) -> Use:
    """How a picture named in a style sheet can be rewritten."""
    if sheet.takes_fallback(reference):
        return "background"
    return "plain" if sheet.takes_one_address(reference) else "kept"


def _vector(tag: Tag, source: Source) -> Iterator[Reference]:
    for attribute in ("href", "xlink:href"):
        for reference in _single(tag, source, attribute, "kept" if tag.name == "use" else "plain"):
            if not reference.address.startswith("#"):
                yield reference


def _single(tag: Tag, source: Source, attribute: str, use: Use = "kept") -> Iterator[Reference]:
    found = tag.get(attribute)
    if found:
        address = unescape_attribute(source.decode(found.raw)).strip("\t\n\f\r ")
        if address:
            yield Reference(
                address, tag.name, attribute, found.value_start, found.value_end, 0,
                use=use, declared_width=declared_length(tag, "width"),
            )  # fmt: skip


def declared_length(tag: Tag, attribute: str) -> int:
    """The `width` or `height` attribute in CSS px; 0 where it is missing or a percentage."""
    found = re.match(r"\s*+(\d{1,9})(?:\.\d*+)?\s*+(?:px)?\s*+$", tag.value(attribute) or "")
    return int(found.group(1)) if found else 0


def _set(tag: Tag, source: Source, attribute: str, use: Use = "kept") -> Iterator[Reference]:
    """One reference a candidate; where the value holds character references the span is the whole value."""
    found = tag.get(attribute)
    if not found:
        return
    exact = "&" not in found.raw
    value = found.raw if exact else unescape_attribute(source.decode(found.raw))
    for number, c in enumerate(parse_srcset(value).candidates):
        # Not exact: the start still tells candidates apart.
        start, end = (c.start, c.end) if exact else (number, len(found.raw))
        start, end = start + found.value_start, end + found.value_start
        address = source.decode(c.address) if exact else c.address
        yield Reference(address, tag.name, attribute, start, end, 0, c.descriptor, use)


def _style_attribute(name: str, style: Attribute, source: Source) -> Iterator[Reference]:
    exact = "&" not in style.raw
    value = style.raw if exact else unescape_attribute(source.decode(style.raw))
    sheet = read_style_attribute(value, source.decode if exact else str)
    for r in sheet.references:
        start, end = (r.start, r.end) if exact else (0, len(style.raw))
        use: Use = use_in_css(sheet, r) if exact and style.quote else "kept"
        start, end = start + style.value_start, end + style.value_start
        yield Reference(r.address, name, "style", start, end, 0, use=use)


def attribute_text(tag: Tag, name: str, source: Source) -> str | None:
    """An attribute's true text: characters decoded, then character references; None without it."""
    found = tag.get(name)
    return unescape_attribute(source.decode(found.raw)) if found else None
