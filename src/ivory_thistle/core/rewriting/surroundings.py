"""What may change around an `img` without its page looking different.

Works on the page's tree and style sheets, before and after a rewriting, and needs no browser: an element keeps its look
when it matches the same rules as before and the elements added around it have no say in any of them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any
from xml.etree.ElementTree import Element

import cssselect2
from cssselect2.compiler import CompiledSelector

from ivory_thistle.core.references.addresses import base_of, join
from ivory_thistle.core.references.markup import tags
from ivory_thistle.core.references.source import Edit, Source
from ivory_thistle.core.rewriting.declared import (
    INHERITED,
    is_as_declared,
    is_fixed,
    is_seen_through,
    is_sizable,
    words_of,
)
from ivory_thistle.core.rewriting.selectors import widened
from ivory_thistle.core.selection.cascade import (
    ON_LAYOUT,
    Declared,
    Rule,
    RuleReader,
    every_name,
    matcher_of,
    read_declarations,
)
from ivory_thistle.core.selection.document import Document, stripped
from ivory_thistle.core.selection.policy import allows_inline, sources_of

_MARK = "data-thistle-mark"
_MARKED = frozenset({"img", "picture", "source"})
_BLOCKS = frozenset({"block", "inline", "inline-block", "list-item", "flow-root", "none"})
_OWN_LAYOUT = frozenset({"button", "summary", "legend", "select", "option", "td", "th", "table", "tr", "ruby", "rt"})
_SAYS_SRC = re.compile(r"src|attribute|cssText", re.IGNORECASE)
_SAYS_PLACE = re.compile(r"parent|sibling|child|closest|insert|before|after|remove|matches", re.IGNORECASE)


_Places = frozenset[tuple[int, tuple[int, ...]]]


@dataclass(frozen=True, slots=True)
class Terms:
    """What the page allows one `img`. `alone`: no element may be added around it.

    `fixed`: its box is the same whatever size its file has; `as_declared`: and as wide as its `width` attribute says,
    at most; `sizable`: width and height attributes may be added;
    `by_script`: a handler sets its address, so no `srcset` may go before it.
    """

    alone: bool = False
    fixed: bool = False
    as_declared: bool = False
    sizable: bool = False
    by_script: bool = False


CAUTIOUS = Terms(alone=True)
"""For an `img` whose place in the tree is not known."""


class Surroundings:
    """One page with its style sheets; `read_sheet` gives the text at an absolute address (None: it can't be had)."""

    def __init__(
        self, source: Source, base: str, read_sheet: Callable[[str], str | None], has_script: bool = True
    ) -> None:
        self._source, self._read_sheet = source, read_sheet
        self._has_script = has_script
        self._understood = True
        self._by_place: set[int] = set()
        self._marks = [
            Edit(at, at, f' {_MARK}="{tag.start}"')
            for tag in tags(source.text)
            if tag.name in _MARKED and not tag.closing and (at := tag.start + 1 + len(tag.name))
        ]
        self._before = _Tree(self._marked(()))
        self._base = base_of(base, self._before.document.base)
        self._rules = self._read_rules()
        self._everything = matcher_of(self._rules)
        self._placed = matcher_of(self._rules, lambda selector: id(selector) in self._by_place)

    def _marked(self, edits: Iterable[Edit]) -> Source:
        # Marks last: where both stand at one place, an added attribute comes first.
        return Source.from_bytes(self._source.apply([*edits, *self._marks]), self._source.encoding)

    def _read_rules(self) -> list[Rule]:
        classes = self._before.classes if self._has_script else None

        def compiled(text: str) -> tuple[CompiledSelector, ...]:
            wide, understood = widened(text, classes)
            self._understood &= understood
            self._by_place |= {id(w.compiled) for w in wide if w.by_place}
            return tuple(w.compiled for w in wide)

        reader = RuleReader(self._read_sheet, every_name, compiled, ON_LAYOUT | {"supports"})
        for node in self._before.document.elements:
            media = stripped(node.get("media"))
            conditions = (media,) if media else ()
            if node.tag == "style":
                reader.read("".join(node.itertext()), self._base, conditions)
            elif node.tag == "link" and "stylesheet" in (node.get("rel") or "").lower().split():
                address = join(self._base, stripped(node.get("href")))
                text = self._read_sheet(address) if address else None
                if text is not None and address is not None:
                    reader.read(text, address, conditions)
        return reader.rules

    @property
    def images(self) -> list[int]:
        """Where the tags of the page's `img`s begin, in tree order."""
        return [mark for mark, node in self._before.marked.items() if node.tag == "img"]

    @cached_property
    def terms(self) -> Mapping[int, Terms]:
        """What each `img` of the page is allowed, by where its tag begins; those the tree lacks are not in it."""
        return {mark: self._terms(node) for mark, node in self._before.marked.items() if node.tag == "img"}

    def _terms(self, node: Element) -> Terms:
        handlers = " ".join(value for name, value in node.items() if name.startswith("on"))
        declared = self._declared(self._before, node)
        parent = self._before.document.parents.get(node)
        in_picture = parent is not None and parent.tag == "picture"
        above = self._before.document.parents.get(parent) if in_picture and parent is not None else parent
        return Terms(
            alone=bool(_SAYS_PLACE.search(handlers)) or self._forbids_styles or not self._understood,
            fixed=is_fixed(node, declared),
            as_declared=is_as_declared(node, declared),
            sizable=not in_picture and is_sizable(node, declared) and self._in_plain_flow(above),
            by_script=bool(_SAYS_SRC.search(handlers)),
        )

    @cached_property
    def _forbids_styles(self) -> bool:
        """Whether a policy in the page forbids `style` attributes."""
        listed = (sources_of("style-src", text) for text in self._before.document.policies)
        return any(sources is not None and not allows_inline(sources) for sources in listed)

    def _ruled(self, tree: _Tree, node: Element) -> list[tuple[Declared, bool]]:
        """Every declaration of a style sheet that may hold for an element, and whether it always applies."""
        return [
            (declared, not rule.conditions)
            for _, _, _, rule in self._everything.match(tree.wrapped[node])
            for declared in rule.declarations
        ]

    def _declared(self, tree: _Tree, node: Element) -> list[tuple[Declared, bool]]:
        """The same with those of its own `style` attribute."""
        inline = read_declarations(node.get("style") or "", self._base, every_name)
        return [*self._ruled(tree, node), *((declared, True) for declared in inline)]

    def _in_plain_flow(self, node: Element | None) -> bool:
        """Whether an element lays out what is in it in lines and blocks."""
        if node is None or node.tag in _OWN_LAYOUT:
            return False
        displays = [words_of(d) for d, _ in self._declared(self._before, node) if d.property in ("display", "columns")]
        return all(len(words) == 1 and words[0] in _BLOCKS for words in displays)

    def disturbed(self, edits: Iterable[Edit]) -> frozenset[int]:
        """The `img`s (by where their tags begin) whose edits change which rules hold for any element.

        All that are wrapped, where the tree itself changes.
        """
        after = _Tree(self._marked(edits))
        wrapped = {mark: node for mark, node in after.marked.items() if node.tag == "img" and after.is_wrapped(node)}
        if not after.is_like(self._before):
            return frozenset(wrapped) or frozenset(m for m, n in after.marked.items() if n.tag == "img")
        guilty: set[int] = set()
        for mark, node in after.marked.items():
            if node.tag != "img":
                continue
            heeded = self._heeds_wrapper(after, node) if mark in wrapped else self._heeds_sources(after, node)
            before = self._before.marked.get(mark)
            if heeded or before is None or self._places(after, node) != self._places_before(before):
                guilty.add(mark)
        for was, now in zip(self._before.original, after.original, strict=True):
            if now.tag != "img" and self._places(after, now) != self._places_before(was):
                guilty |= after.near(now)
        return frozenset(guilty)

    def keeps_rules(self, edits: Iterable[Edit]) -> bool:
        """Whether every element matches the same rules after edits that add attributes and no element."""
        after = _Tree(self._marked(edits))
        pairs = zip(self._before.original, after.original, strict=False)
        return after.is_like(self._before) and all(self._places(after, b) == self._places_before(a) for a, b in pairs)

    def _places(self, tree: _Tree, node: Element) -> _Places:
        """The rules that hold for an element by its place, each with how much it weighs: a rule may hold twice."""
        return frozenset((id(rule), specificity) for specificity, _, _, rule in self._placed.match(tree.wrapped[node]))

    def _places_before(self, node: Element) -> _Places:
        known = self._before.places.get(node)
        if known is None:
            known = self._before.places[node] = self._places(self._before, node)
        return known

    def _heeds_sources(self, after: _Tree, img: Element) -> bool:
        """Whether a rule would show a `source` that was added before an `img`."""
        return any(d.property == "display" for node in after.added_beside(img) for d, _ in self._ruled(after, node))

    def _heeds_wrapper(self, after: _Tree, img: Element) -> bool:
        """Whether the `picture` added around an `img` has a say in how it looks, or its sources have."""
        picture = after.document.parents[img]
        of_img = self._declared(after, img)
        takes_over = any(
            d.property not in INHERITED and not d.property.startswith("--") and "inherit" in words_of(d)
            for d, _ in of_img
        )
        ours = {id(d) for d, _ in of_img}
        counts = any(is_seen_through(d, id(d) in ours) for d, _ in self._ruled(after, picture))
        return takes_over or counts or self._heeds_sources(after, img)


def _may_be_added(node: Element) -> bool:
    """Whether an element is one that a rewriting adds; preloads show nothing, so that all of them are passed over."""
    is_preload = node.tag == "link" and (node.get("rel") or "").lower() == "preload"
    return is_preload or (node.tag in ("picture", "source") and not node.get(_MARK))


class _Tree:
    """A page's tree whose `img`, `picture` and `source` elements are marked, but for those that were added."""

    def __init__(self, source: Source) -> None:
        self.document = Document(source)
        self.original = [e for e in self.document.elements if not _may_be_added(e)]
        self.marked = {int(e.get(_MARK) or 0): e for e in self.original if e.tag in _MARKED and e.get(_MARK)}
        self.places: dict[Element, _Places] = {}

    @cached_property
    def wrapped(self) -> dict[Element, Any]:
        """Each element as the selector library sees it."""
        root = cssselect2.ElementWrapper.from_html_root(self.document.root)
        return {wrapper.etree_element: wrapper for wrapper in root.iter_subtree()}

    @property
    def classes(self) -> frozenset[str]:
        """All classes of the page's elements."""
        return frozenset(name for e in self.original for name in (e.get("class") or "").split())

    def is_wrapped(self, node: Element) -> bool:
        """Whether an added `picture` holds an element."""
        parent = self.document.parents.get(node)
        return parent is not None and parent.tag == "picture" and parent.get(_MARK) is None

    def added_beside(self, node: Element) -> list[Element]:
        """The `source`s that were added before an element."""
        parent = self.document.parents.get(node)
        return [c for c in (parent if parent is not None else ()) if c.tag == "source" and c.get(_MARK) is None]

    def _home(self, node: Element) -> Element | None:
        parent = self.document.parents.get(node)
        while parent is not None and parent.tag == "picture" and parent.get(_MARK) is None:
            parent = self.document.parents.get(parent)
        return parent

    def is_like(self, other: _Tree) -> bool:
        """Whether both hold the same elements in the same places, added ones apart."""
        return self._shape == other._shape

    @cached_property
    def _shape(self) -> list[tuple[str, str | None, int]]:
        numbers = {node: n for n, node in enumerate(self.original)}
        return [
            (node.tag, node.get(_MARK), numbers.get(home, -1) if (home := self._home(node)) is not None else -1)
            for node in self.original
        ]

    def near(self, node: Element) -> set[int]:
        """The `img`s that may bear on an element's rules: in it, beside it, or beside what holds it.

        Of a `source`, those of its `picture`; else wrapped ones.
        """
        parent = self.document.parents.get(node)
        if node.tag == "source" and parent is not None:
            return {int(e.get(_MARK) or 0) for e in parent if e.tag == "img"}
        homes: set[Element] = {node}
        at: Element | None = node
        while at is not None:
            at = self._home(at)
            if at is not None:
                homes.add(at)
        inside = {id(e) for e in node.iter()}
        wrapped = {m: n for m, n in self.marked.items() if n.tag == "img" and self.is_wrapped(n)}
        close = {m for m, n in wrapped.items() if id(n) in inside or self._home(n) in homes}
        return close or set(wrapped)
