"""Which CSS declarations about pictures win for an element on a screen, and the pictures in them.

Rules are read once (`read_rules`) and asked for each screen: conditions of `@media`, `@supports`, `@import` and
`@layer`, selectors, specificity and order as https://drafts.csswg.org/css-cascade-5/#cascading says. What depends
on a layout (`@container`) or on a person (`:hover`) is taken as not so; the former leaves doubt.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import takewhile
from math import inf
from typing import Any

import cssselect2
import tinycss2
from cssselect2.compiler import CompiledSelector

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.addresses import join
from ivory_thistle.core.selection.css_pictures import PICTURED, address_of, addresses_in, longhand
from ivory_thistle.core.selection.css_validity import is_void, supported
from ivory_thistle.core.selection.lengths import comma_parts, significant
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.screen import Screen

_MAX_IMPORT_DEPTH = 12
_MOST_IMPORTS = 1_000
_MOST_NESTED = 100
_LONGEST_NESTED = 20_000
_NO_SCREEN = "not all"
_KEPT = PICTURED | {"display", "content-visibility"}
ON_LAYOUT = frozenset({"container", "scope", "starting-style"})
"""Rules in these hold or not by how things are laid out, by what stands around them, or by the time."""
_UNCERTAIN = ON_LAYOUT | {"keyframes", "-webkit-keyframes", "property", "function"}
_STATES = re.compile(r":(?:active|focus|hover|target|visited)\b", re.IGNORECASE)
_OF_OTHERS = re.compile(r":(?:local-link|muted|paused|playing|target-within)\b|\ss\s*\]", re.IGNORECASE)
"""Selectors that cssselect2 knows and Chromium 156 does not (found out by asking it)."""

ReadSheet = Callable[[str], str | None]
"""Gives the text of the style sheet at an absolute address; None where it can't be had."""


@dataclass(frozen=True, slots=True)
class Declared:
    """One declaration, under its longhand's name; `base` is what its addresses resolve against."""

    property: str
    value: Sequence[Any]
    important: bool
    base: str


@dataclass(frozen=True, slots=True)
class Rule:
    """Selectors with the declarations that bear on pictures; it holds where all `conditions` do.

    Nobody can say by the sheets alone whether a `doubtful` one holds: its conditions match no screen.
    """

    selectors: tuple[CompiledSelector, ...]
    declarations: tuple[Declared, ...]
    conditions: tuple[str, ...]
    layer: tuple[float, ...]
    doubtful: bool = False


@dataclass(slots=True)
class _Layers:
    """Layers in the order of their first appearance, as keys that sort as the cascade does."""

    order: dict[tuple[str, ...], int] = field(default_factory=dict)
    anonymous: int = 0

    def named(self, parent: tuple[str, ...], text: str) -> tuple[str, ...]:
        name = (*parent, *(p.strip() for p in text.split("."))) if text.strip() else (*parent, self._fresh())
        for end in range(1, len(name) + 1):
            self.order.setdefault(name[:end], len(self.order))
        return name

    def _fresh(self) -> str:
        self.anonymous += 1
        return f"\0{self.anonymous}"

    def key(self, name: tuple[str, ...]) -> tuple[float, ...]:
        return (*(float(self.order[name[:end]]) for end in range(1, len(name) + 1)), inf)


class RuleReader:
    """Reads style sheets, in the order of the document, into `rules`.

    `wanted` tells by its name whether a declaration is kept; `compiled` makes selectors of a text. Rules in at-rules of
    the names `doubtful` are kept as doubtful ones. Raises UnusableInput for sheets that nest rules or import one
    another beyond what any site does.
    """

    def __init__(
        self,
        read_sheet: ReadSheet,
        wanted: Callable[[str], bool] | None = None,
        compiled: Callable[[str], tuple[CompiledSelector, ...]] | None = None,
        doubtful: frozenset[str] = ON_LAYOUT,
    ) -> None:
        self.rules: list[Rule] = []
        self.uncertain: set[str] = set()
        """Absolute addresses of which nobody can say by the sheets alone whether they are loaded."""
        self._imports = 0
        self._read_sheet, self._layers, self._doubtful = read_sheet, _Layers(), doubtful
        self._wanted = wanted or _bears_on_pictures
        self._compiled = compiled or _compiled

    def read(self, text: str, base: str, conditions: tuple[str, ...] = ()) -> None:
        """A whole style sheet; `base` is the absolute address it was loaded from."""
        self._nodes(_parsed(text), _Place(base, conditions, (), None, (base,), 0))

    def _nodes(self, nodes: Iterable[Any], place: _Place) -> None:
        if place.nested > _MOST_NESTED:
            raise UnusableInput(f"Its style sheets nest rules more than {_MOST_NESTED} deep.")
        imports_begin = imports_end = False
        for node in nodes:
            if node.type == "at-rule":
                name = node.lower_at_keyword
                if name == "import":
                    if not imports_end and node.content is None:
                        imports_begin = True
                        self._import(node, place)
                    continue
                # Names of layers may stand before imports, not between them.
                is_before = name == "charset" or (name == "layer" and not imports_begin)
                imports_end |= not is_before or node.content is not None
                self._at_rule(node, place)
            elif node.type == "qualified-rule":
                imports_end = True
                self._rule(node, place)

    def _import(self, node: Any, place: _Place) -> None:
        """https://drafts.csswg.org/css-cascade-5/#at-import"""
        parts = significant(node.prelude)
        address = address_of(parts[0]) if parts else None
        if address is None or len(place.sheets) > _MAX_IMPORT_DEPTH:
            return
        layer, conditions, rest = place.layer, place.conditions, parts[1:]
        if rest and rest[0].type == "ident" and rest[0].lower_value == "layer":
            layer, rest = self._layers.named(layer, ""), rest[1:]
        elif rest and rest[0].type == "function" and rest[0].lower_name == "layer":
            layer, rest = self._layers.named(layer, tinycss2.serialize(rest[0].arguments)), rest[1:]
        if rest and rest[0].type == "function" and rest[0].lower_name == "supports":
            if not supported([_block(rest[0].arguments)]) and not supported(rest[0].arguments):
                return
            rest = rest[1:]
        if rest:
            conditions = (*conditions, tinycss2.serialize(rest))
        target = join(place.base, address)
        # Chromium does not load a sheet again that is among those that led to it.
        if target is None or target in place.sheets:
            return
        self._imports += 1
        if self._imports > _MOST_IMPORTS:
            raise UnusableInput(f"Its style sheets import one another more than {_MOST_IMPORTS:,} times.")
        text = self._read_sheet(target)
        if text is not None:
            self._nodes(_parsed(text), _Place(target, conditions, layer, None, (*place.sheets, target), 0))

    def _at_rule(self, node: Any, place: _Place) -> None:
        name, prelude = node.lower_at_keyword, node.prelude
        if name == "layer" and node.content is None:
            for part in tinycss2.serialize(prelude).split(","):
                self._layers.named(place.layer, part)
            return
        if node.content is None:
            return
        # What a browser knows of selectors and fonts is not told here.
        if name in _UNCERTAIN or (name == "supports" and _asks_by_function(prelude)):
            self.uncertain.update(addresses_in(node.content, place.base))
        if name == "media":
            place = place.under(conditions=(*place.conditions, tinycss2.serialize(prelude)))
        elif name == "layer":
            place = place.under(layer=self._layers.named(place.layer, tinycss2.serialize(prelude)))
        elif name in self._doubtful:
            place = place.under(conditions=(*place.conditions, _NO_SCREEN))
        elif name != "supports" or not supported(prelude):
            return
        if place.parent is None:
            self._nodes(_rules_in(node), place.under(nested=place.nested + 1))
        else:
            self._block(node, place.parent, place)

    def _rule(self, node: Any, place: _Place) -> None:
        selector = _selector_of(node)
        if place.parent is not None:
            inner = f":is({place.parent})"
            parts = (tinycss2.serialize(part).strip() for part in comma_parts(node.prelude))
            selector = ", ".join(p.replace("&", inner) if "&" in p else f"{inner} {p}" for p in parts)
            if len(selector) > _LONGEST_NESTED:
                raise UnusableInput("Its style sheets nest selectors that multiply beyond measure.")
        self._block(node, selector, place.under(parent=selector))

    def _block(self, rule: Any, selector: str, place: _Place) -> None:
        place = place.under(nested=place.nested + 1)
        declared, nested = _block_of(rule, place.base, self._wanted)
        compiled = self._compiled(selector) if declared else ()
        if declared and (_STATES.search(selector) or len(compiled) < len(_parts_of(selector))):
            # A page may focus something itself, and a browser may understand more selectors.
            self.uncertain.update(a for d in declared for a in addresses_in(d.value, d.base))
        if compiled:
            layer = self._layers.key(place.layer)
            doubtful = _NO_SCREEN in place.conditions
            self.rules.append(Rule(compiled, declared, place.conditions, layer, doubtful))
        self._nodes(nested, place)


# The pages of a site share their sheets: each is parsed once, and so is each of its rules.


@lru_cache(64)
def _parsed(text: str) -> tuple[Any, ...]:
    return tuple(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True))


@lru_cache(20_000)
def _rules_in(node: Any) -> tuple[Any, ...]:
    return tuple(tinycss2.parse_rule_list(node.content, skip_comments=True, skip_whitespace=True))


@lru_cache(50_000)
def _block_of(rule: Any, base: str, wanted: Callable[[str], bool]) -> tuple[tuple[Declared, ...], tuple[Any, ...]]:
    """The declarations of a rule that are wanted, and the rules that are nested in it."""
    declared: list[Declared] = []
    nested: list[Any] = []
    for node in tinycss2.parse_blocks_contents(rule.content, skip_comments=True, skip_whitespace=True):
        if node.type == "declaration":
            declared += _declared(node, base, wanted)
        elif node.type in ("qualified-rule", "at-rule"):
            nested.append(node)
    return tuple(declared), tuple(nested)


@lru_cache(50_000)
def _selector_of(node: Any) -> str:
    return str(tinycss2.serialize(node.prelude))


@dataclass(frozen=True, slots=True)
class _Place:
    """Where a rule stands: its sheet's address, the conditions and layer around it, the selector it is nested in.

    `sheets` are the addresses that led here, the own last; `nested` counts the blocks around it.
    """

    base: str
    conditions: tuple[str, ...]
    layer: tuple[str, ...]
    parent: str | None
    sheets: tuple[str, ...]
    nested: int

    def under(self, **changes: Any) -> _Place:
        values = {n: getattr(self, n) for n in ("base", "conditions", "layer", "parent", "sheets", "nested")}
        return _Place(**(values | changes))


def _asks_by_function(prelude: Sequence[Any]) -> bool:
    """Whether a condition of `@supports` asks with a function, like `selector()`."""
    return any(
        n.type == "function" or (n.type == "() block" and _asks_by_function(_before_colon(n.content))) for n in prelude
    )


def _before_colon(content: Sequence[Any]) -> Sequence[Any]:
    """A condition in brackets; of a declaration in brackets, its name."""
    return list(takewhile(lambda node: node != ":", content))


def _block(content: Sequence[Any]) -> Any:
    return tinycss2.ast.ParenthesesBlock(0, 0, list(content))


@lru_cache(50_000)
def _compiled(selector: str) -> tuple[CompiledSelector, ...]:
    """Each selector of a list by itself, so that one that is not understood leaves the others."""
    found: list[CompiledSelector] = []
    for part in _parts_of(selector):
        if _OF_OTHERS.search(tinycss2.serialize(part)):
            continue
        try:
            found += cssselect2.compile_selector_list(part)
        except cssselect2.SelectorError:
            continue
    return tuple(found)


@lru_cache(50_000)
def _parts_of(selector: str) -> Sequence[Sequence[Any]]:
    """The selectors of a list."""
    return comma_parts(tinycss2.parse_component_value_list(selector, skip_comments=True))


def every_name(name: str) -> bool:
    """Wants every declaration."""
    return True


def _bears_on_pictures(name: str) -> bool:
    return name.startswith("--") or name in _KEPT


def _declared(node: Any, base: str, wanted: Callable[[str], bool]) -> Iterator[Declared]:
    name = longhand(node.name)
    names = sorted(_KEPT) if name == "all" else [name]
    if not is_void(name, node.value):
        yield from (Declared(name, node.value, node.important, base) for name in names if wanted(name))


def read_declarations(text: str, base: str, wanted: Callable[[str], bool] = _bears_on_pictures) -> tuple[Declared, ...]:
    """The declarations of a `style` attribute that are wanted by their names."""
    nodes = tinycss2.parse_blocks_contents(text, skip_comments=True, skip_whitespace=True)
    return tuple(d for n in nodes if n.type == "declaration" for d in _declared(n, base, wanted))


def matcher_of(rules: Iterable[Rule], taken: Callable[[CompiledSelector], bool] = lambda selector: True) -> Any:
    """A cssselect2.Matcher that finds, by those of their selectors that are taken, which rules match an element."""
    matcher = cssselect2.Matcher()
    for rule in rules:
        for selector in filter(taken, rule.selectors):
            matcher.add_selector(selector, rule)
    return matcher


def holds(rule: Rule, screen: Screen) -> bool:
    """Whether all the media conditions around a rule match a screen."""
    return all(matches_media(c, screen) for c in rule.conditions)
