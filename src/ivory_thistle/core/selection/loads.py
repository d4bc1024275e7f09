"""What a page loads on a screen: every picture with its address, before any browser is asked.

Which elements load what was found out by asking Chromium (tests/workflows/test_truth.py asks it again).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal
from urllib.parse import urldefrag
from xml.etree.ElementTree import Element

import tinycss2

from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.references.addresses import FileIndex, base_of, join, page_address
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.core.references.source import read_css_source, read_html_source
from ivory_thistle.core.references.srcset import parse_srcset
from ivory_thistle.core.selection.candidates import (
    Choice,
    begins_with_auto,
    best_candidate,
    choose,
    source_size,
    type_is_shown,
    usable_set,
)
from ivory_thistle.core.selection.cascade import RuleReader
from ivory_thistle.core.selection.css_pictures import addresses_in
from ivory_thistle.core.selection.document import Document, ImageElement, link_address, stripped
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.paint import Look, Painted, Painter
from ivory_thistle.core.selection.policy import allows, allows_inline, sources_of
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.selection.tree import SVG

LoadKind = Literal["img", "input", "poster", "svg", "plugged", "background", "before", "after", "preload"]
_PLUGGED = {"object": "data", "embed": "src"}
_CSS = "text/css"
_SVG_PICTURES = frozenset({f"{SVG}image", f"{SVG}feImage", f"{SVG}use"})

LAZY_DISTANCE = 1250
"""Chromium loads lazy pictures that lie so many CSS px below the screen, on a common connection."""


@dataclass(frozen=True, slots=True)
class Load:
    """One picture loaded: the site's file `path` (None: another host's), from `address` without its fragment.

    `lazy`: only once it comes near the screen. `width` and `height` are the slot in CSS px as the markup lets one
    guess it; 0 where it says nothing. `place` tells the same use apart from others on every screen and tier: the
    element's number in the tree, and the property and pseudo-element that names the picture.
    """

    path: str | None
    address: str
    kind: LoadKind
    place: tuple[int, str]
    element: str
    lazy: bool = False
    width: float = 0.0
    height: float = 0.0
    fit: str = ""
    alt: str | None = None


@dataclass(frozen=True, slots=True)
class Loaded:
    """One picture file loaded from an address: its bytes, and whether that was before any scrolling.

    `guessed`: it stands for a load that the page's markup does not foretell.
    """

    address: str
    path: str
    bytes: int
    opening: bool
    guessed: bool = False


def sheet_reader(index: FileIndex, read: Callable[[str], bytes], encoding: str) -> Callable[[str], str | None]:
    """Gives the text of the site's style sheet at an absolute address, for a page in `encoding`; None for others."""

    def sheet(address: str) -> str | None:
        target = index.resolve(address, address)
        if target.kind != "local":
            return None
        try:
            source = read_css_source(read(target.path), encoding)
        except OSError:
            return None
        return source.characters()

    return sheet


class PageOnScreens:
    """A page of a site, ready to be asked what it loads."""

    def __init__(self, path: str, site: SiteReading, read: Callable[[str], bytes]) -> None:
        self._site, self._read, self._index = site, read, site.index
        self._known: dict[tuple[Screen, frozenset[str]], list[Load]] = {}
        self._unsure: set[str] = set()
        self._policies: dict[str, list[tuple[str, ...]]] = {}
        self.document = Document(read_html_source(read(path)))
        self._own = page_address(path)
        self.base = base_of(self._own, self.document.base)

    @cached_property
    def _rules(self) -> RuleReader:
        sheet = sheet_reader(self._index, self._read, self.document.encoding)
        reader = RuleReader(sheet)
        preferred = ""
        for node in self.document.elements:
            if not _names_styles(node):
                continue
            # https://drafts.csswg.org/cssom/#preferred-css-style-sheet-set-name: the first name is that of all.
            title = node.get("title") or ""
            preferred = preferred or title
            if title not in ("", preferred):
                continue
            media = stripped(node.get("media"))
            conditions = (media,) if media else ()
            if node.tag != "link":
                if not all(allows_inline(sources, node.get("nonce") or "") for sources in self._listed("style-src")):
                    continue
                reader.read("".join(node.itertext()), self.base, conditions)
            else:
                address = join(self.base, stripped(node.get("href")))
                text = sheet(address) if address and self._is_allowed(address, "style-src") else None
                if text is not None and address is not None:
                    reader.read(text, address, conditions)
        for node in self.document.shadowed:
            if node.tag == "style":
                sheets = tinycss2.parse_component_value_list("".join(node.itertext()), skip_comments=True)
                reader.uncertain.update(addresses_in(sheets, self.base))
        return reader

    @cached_property
    def _painter(self) -> Painter:
        inline = all(allows_inline(sources) for sources in self._listed("style-src"))
        return Painter(self.document, self._rules.rules, self.base, inline)

    def loads(self, screen: Screen, shown: frozenset[str]) -> list[Load]:
        """Every picture that a browser showing the media types `shown` loads on a screen, in tree order.

        One address may come several times; it is loaded once.
        """
        if (screen, shown) not in self._known:
            self._known[screen, shown] = self._find_loads(screen, shown)
        return self._known[screen, shown]

    def uncertain(self) -> frozenset[str]:
        """The site's files of which its style sheets don't tell whether they are loaded, and what scripts may clone.

        Of what depends on the screen, that of `loads` so far.
        """
        sets = [(e.get("src"), e.get("srcset")) for e in self.document.templates]
        cloned = (address for named in sets for address in self._addresses(named))
        found = (self.file(urldefrag(address).url) for address in (*self._rules.uncertain, *self._unsure, *cloned))
        return frozenset(file.path for file in found if file)

    def offered(self, place: tuple[int, str], screen: Screen, shown: frozenset[str]) -> tuple[str, ...]:
        """All addresses that the `img` at a place may choose among on a screen; none for other elements."""
        image = self._images.get(place)
        return self._addresses(usable_set(image.src, image.srcset, image.sources, screen, shown)) if image else ()

    @cached_property
    def places_naming(self) -> Mapping[str, Sequence[tuple[int, str]]]:
        """The places of `img`s that name an address in any of their sources."""
        found: dict[str, list[tuple[int, str]]] = defaultdict(list)
        for place, image in self._images.items():
            sets = [(None, s.srcset) for s in image.sources] + [(image.src, image.srcset)]
            for address in {a for src, srcset in sets for a in self._addresses((src, srcset))}:
                found[address].append(place)
        return found

    @cached_property
    def _images(self) -> dict[tuple[int, str], ImageElement]:
        return {(self._number[image.node], ""): image for image in self.document.images}

    def _addresses(self, named: tuple[str | None, str | None]) -> tuple[str, ...]:
        src, srcset = named
        said = [c.address for c in parse_srcset(srcset).candidates] if srcset is not None else []
        absolute = (join(self.base, stripped(a)) for a in [*said, *([src] if src else [])])
        return tuple(urldefrag(a).url for a in absolute if a)

    def _find_loads(self, screen: Screen, shown: frozenset[str]) -> list[Load]:
        look = self._painter.paint(screen, shown)
        self._unsure |= look.unsure
        found = [*self._of_elements(screen, shown, look), *self._of_styles(look.painted, screen)]
        return [load for load in found if load.address and self._is_allowed(load.address)]

    def _is_allowed(self, address: str, directive: str = "img-src") -> bool:
        """Whether the policies in the page let it load a picture or style sheet."""
        return all(allows(sources, address, self._own) for sources in self._listed(directive))

    def _listed(self, directive: str) -> list[tuple[str, ...]]:
        if directive not in self._policies:
            listed = (sources_of(directive, text) for text in self.document.policies)
            self._policies[directive] = [sources for sources in listed if sources is not None]
        return self._policies[directive]

    @cached_property
    def _number(self) -> dict[Element, int]:
        return {node: number for number, node in enumerate([*self.document.elements, *self.document.shadowed])}

    def _of_elements(self, screen: Screen, shown: frozenset[str], look: Look) -> Iterator[Load]:
        images = {e.node: e for e in self.document.images}
        for node in [*self.document.elements, *self.document.shadowed]:
            if node in images:
                load = self._image(images[node], screen, shown)
                if load and not (load.lazy and self._lacks_box(node, load, look)):
                    yield load
            elif node.tag == "input" and (node.get("type") or "").lower() == "image":
                yield self._one("input", node, stripped(node.get("src")))
            elif node.tag == "video":
                yield self._one("poster", node, stripped(node.get("poster")))
            elif node.tag in _SVG_PICTURES:
                address = link_address(node)
                yield self._one("svg", node, "" if address.startswith("#") else address)
            elif node.tag in _PLUGGED:
                load = self._one("plugged", node, stripped(node.get(_PLUGGED[node.tag])))
                if self._facts(load.path) and not self._lacks_box(node, load, look):
                    yield load
            elif node.tag == "link":
                yield from self._link(node, screen, shown)

    def _lacks_box(self, node: Element, load: Load, look: Look) -> bool:
        """Whether an element that loads its picture with its box has none; notes the picture where that is in doubt."""
        if node in look.doubted:
            self._unsure.add(load.address)
        return node in look.boxless

    def _image(self, image: ImageElement, screen: Screen, shown: frozenset[str]) -> Load | None:
        # For `sizes=auto` the box decides; before layout the attribute is the best guess of it.
        declared = image.declared_width if image.lazy else None
        auto_width = float(min(declared, screen.width)) if declared is not None else None
        if image.lazy and begins_with_auto(image.sizes):
            self._unsure.update(self._addresses(usable_set(image.src, image.srcset, image.sources, screen, shown)))
        choice = choose(image.src, image.srcset, image.sizes, image.sources, screen, shown, auto_width)
        if not choice:
            return None
        load = self._one("img", image.node, stripped(choice.address))
        width, height = self._slot(image, load, choice, screen)
        return replace(load, lazy=image.lazy, width=width, height=height, alt=image.node.get("alt"))

    def _slot(self, image: ImageElement, load: Load, choice: Choice, screen: Screen) -> tuple[float, float]:
        """A guess from markup: what `sizes` says, else the attributes, else the file's pixels."""
        facts = self._facts(load.path)
        declared = image.declared
        ratio = declared[1] / declared[0] if all(declared) else facts.height / facts.width if facts else 0.0
        sizes = image.sizes if choice.source is None else image.sources[choice.source].sizes
        if sizes:
            width = source_size(sizes, screen)
        else:
            width = float(declared[0] or (facts.width / choice.density if facts and choice.density else 0))
        width = min(width, float(screen.width))
        return width, width * ratio

    def _link(self, node: Element, screen: Screen, shown: frozenset[str]) -> Iterator[Load]:
        """https://html.spec.whatwg.org/#link-type-preload, and #link-type-prefetch"""
        rels = (node.get("rel") or "").lower().split()
        if "prefetch" in rels:
            later = self._one("preload", node, stripped(node.get("href")))
            if self._facts(later.path):
                yield later
        if "preload" not in rels or (node.get("as") or "").lower() != "image":
            return
        kind = node.get("type")
        if not matches_media(node.get("media") or "", screen) or (kind and not type_is_shown(kind, shown)):
            return
        chosen = best_candidate(node.get("href"), node.get("imagesrcset"), node.get("imagesizes"), screen)
        if chosen:
            yield self._one("preload", node, stripped(chosen[0]))

    def _of_styles(self, painted: Sequence[Painted], screen: Screen) -> Iterator[Load]:
        seen: Counter[tuple[int, str]] = Counter()
        for p in painted:
            kind: LoadKind = "before" if p.pseudo == "before" else "after" if p.pseudo == "after" else "background"
            named = f"{p.property} {p.pseudo}"
            place = self._number[p.node], named
            load = self._resolved(kind, p.node, p.address, f"{named} {seen[place]}")
            seen[place] += 1
            facts = self._facts(load.path)
            width = float(min(facts.width, screen.width)) if facts else 0.0
            yield replace(load, width=width, height=width * facts.height / facts.width if facts else 0.0, fit="auto")

    def file(self, address: str) -> SiteFile | None:
        """The site's file at an absolute address."""
        target = self._index.resolve(address, address)
        return self._site.files.get(target.path) if target.kind == "local" else None

    def _facts(self, path: str | None) -> ImageFacts | None:
        file = self._site.files.get(path or "")
        return file.image if file and file.image and file.image.width else None

    def _one(self, kind: LoadKind, node: Element, address: str) -> Load:
        return self._resolved(kind, node, (join(self.base, address) if address else None) or "", "")

    def _resolved(self, kind: LoadKind, node: Element, absolute: str, named_by: str) -> Load:
        tag = node.tag.rpartition("}")[2]
        element = f"{tag}#{node.get('id')}" if node.get("id") else tag
        place = (self._number[node], named_by)
        if not absolute.startswith(("http:", "https:")):
            return Load(None, "", kind, place, element)
        bare = urldefrag(absolute).url
        target = self._index.resolve(bare, bare)
        return Load(target.path if target.kind == "local" else None, bare, kind, place, element)


def _names_styles(node: Element) -> bool:
    """Whether an element brings a style sheet that a browser applies unasked."""
    kind = (node.get("type") or "").lower()
    if node.tag in ("style", f"{SVG}style"):
        return kind in ("", _CSS)
    rels = set((node.get("rel") or "").lower().split()) if node.tag == "link" else set()
    is_applied = "stylesheet" in rels and "alternate" not in rels and node.get("disabled") is None
    return is_applied and kind.partition(";")[0].strip() in ("", _CSS)


def estimated(
    loads: Iterable[Load],
    file_of: Callable[[str], SiteFile],
    is_near: Callable[[str, LoadKind], bool] = lambda path, kind: False,
) -> tuple[Loaded, ...]:
    """What a page loads by its markup alone. A lazy picture comes at opening where `is_near` says so (path, kind).

    Without a word about them, lazy pictures are taken to lie below the first screen.
    """
    found: dict[str, Loaded] = {}
    for load in loads:
        if load.path is not None:
            before = load.address in found and found[load.address].opening
            opening = not load.lazy or before or is_near(load.path, load.kind)
            found[load.address] = Loaded(load.address, load.path, file_of(load.path).bytes, opening)
    return tuple(found.values())
