"""The pictures that a page's style sheets paint on a screen: the cascade run over the page's tree."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from math import inf
from operator import itemgetter
from typing import Any
from xml.etree.ElementTree import Element

import cssselect2
import tinycss2

from ivory_thistle.core.references.css import css_string
from ivory_thistle.core.selection.cascade import Declared, Rule, holds, matcher_of, read_declarations
from ivory_thistle.core.selection.css_pictures import PICTURED, pictures_in
from ivory_thistle.core.selection.document import Document, stripped
from ivory_thistle.core.selection.lengths import significant
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.selection.variables import Variables

_WITHOUT_BOX = frozenset(
    {"head", "link", "meta", "script", "style", "template", "title", "base", "noscript", "datalist", "param", "rp",
     "area", "track", "source"}
)  # fmt: skip
_REPLACED = frozenset({"img", "input", "video", "object", "embed", "iframe", "canvas", "audio"})
_BACKGROUND_ATTRIBUTE = frozenset({"body", "table", "thead", "tbody", "tfoot", "tr", "td", "th"})
_BORNE_BY = {"first-line": frozenset({"background-image"}), "marker": frozenset({"content"})}
"""Pseudo-elements that bear few properties (https://drafts.csswg.org/css-pseudo-4/)."""
_UNSEEN = frozenset(
    {"selection", "target-text", "search-text", "spelling-error", "grammar-error", "highlight", "backdrop"}
)  # fmt: skip
"""Pseudo-elements that are there once a person does something."""

_CHOOSING = frozenset({"attr", "if", "light-dark"})
"""Functions that take one of their pictures by what is not told here."""

Weight = tuple[bool, bool, tuple[float, ...], tuple[int, ...], int]
"""How a declaration sorts in the cascade: important, inline, layer, specificity, order."""
Style = dict[str, Declared]
"""The winning declaration of each property."""


@dataclass(frozen=True, slots=True)
class Painted:
    """One picture that a box loads for its style; `pseudo` names the pseudo-element, empty for the element."""

    address: str
    property: str
    pseudo: str
    node: Element


@dataclass(frozen=True, slots=True)
class Look:
    """What the style sheets of a page come to on a screen, in tree order.

    `boxless` elements have no box. Of the `doubted` ones nobody can say by the sheets alone whether they have one, nor
    of the `unsure` addresses whether they are loaded.
    """

    painted: Sequence[Painted]
    boxless: Set[Element]
    doubted: Set[Element]
    unsure: Set[str]


@dataclass(frozen=True, slots=True)
class _Pictured:
    """A value of a property that may hold pictures, and what its addresses resolve against."""

    value: Sequence[Any]
    base: str
    property: str
    pseudo: str
    node: Element


@dataclass(frozen=True, slots=True)
class _Styled:
    """The same with values for addresses: those on which all screens agree on which the same rules hold."""

    pictured: list[_Pictured] = field(default_factory=list)
    boxless: set[Element] = field(default_factory=set)
    doubted: set[Element] = field(default_factory=set)
    unsure: list[_Pictured] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Around:
    """What an element has from those around it: variables, whether it is hidden, and what of this is in doubt."""

    variables: Variables = field(default_factory=lambda: Variables({}))
    hidden: bool = False
    box_in_doubt: bool = False
    variables_in_doubt: bool = False


class Painter:
    """The cascade of one page: `rules` as read from its style sheets, `base` what its own addresses resolve against.

    `inline`: its `style` attributes count.
    """

    def __init__(self, document: Document, rules: Sequence[Rule], base: str, inline: bool = True) -> None:
        self._document, self._rules, self._base, self._inline = document, rules, base, inline
        self._known: dict[tuple[bool, ...], _Styled] = {}
        self._on_screens: dict[Screen, _Styled] = {}
        doubtful = [rule for rule in rules if rule.doubtful]
        self._doubtful = matcher_of(doubtful) if doubtful else None

    def paint(self, screen: Screen, shown: frozenset[str]) -> Look:
        """Every picture loaded for its style on a screen by a browser that shows the media types `shown`."""
        if screen not in self._on_screens:
            self._on_screens[screen] = self._styled(screen)
        styled = self._on_screens[screen]

        def addresses(p: _Pictured) -> list[str]:
            return pictures_in(p.value, p.base, screen, shown)

        painted = [Painted(a, p.property, p.pseudo, p.node) for p in styled.pictured for a in addresses(p)]
        return Look(painted, styled.boxless, styled.doubted, {a for p in styled.unsure for a in addresses(p)})

    def _styled(self, screen: Screen) -> _Styled:
        """The cascade on a screen; the same for all screens on which the same rules hold."""
        holding = tuple(holds(rule, screen) for rule in self._rules)
        if holding in self._known:
            return self._known[holding]
        matcher = matcher_of(rule for rule, applies in zip(self._rules, holding, strict=True) if applies)
        styled = _Styled()
        wrapped = cssselect2.ElementWrapper.from_html_root(self._document.root)
        waiting: list[tuple[Any, _Around]] = [(wrapped, _Around())]
        while waiting:
            element, around = waiting.pop()
            waiting += reversed(self._visit(element, matcher, around, styled))
        self._known[holding] = styled
        return styled

    def _visit(self, element: Any, matcher: Any, around: _Around, styled: _Styled) -> list[tuple[Any, _Around]]:
        """Notes what one element shows; gives its children that may have boxes, with what is around them."""
        node = element.etree_element
        styles, doubts = self._styles(element, matcher), self._doubts(element)
        own = styles.pop("", {})
        around = _Around(
            variables=around.variables.below(_variables_of(own)),
            hidden=around.hidden or not _has_box(node, own),
            box_in_doubt=around.box_in_doubt or any(_bears_on_box(d, node, own) for pseudo, d in doubts if not pseudo),
            variables_in_doubt=around.variables_in_doubt or any(d.property.startswith("--") for _, d in doubts),
        )
        if around.hidden and not around.box_in_doubt:
            styled.boxless.update(_with_descendants(node))
            return []
        if around.hidden:
            styled.boxless.add(node)
        if around.box_in_doubt:
            styled.doubted.add(node)
        doubted = {(pseudo, d.property) for pseudo, d in doubts}
        for pictured, by_variable in _pictured(node, own, styles, around.variables):
            in_doubt = around.box_in_doubt or (by_variable and around.variables_in_doubt) or _chooses(pictured.value)
            if in_doubt or (pictured.pseudo, pictured.property) in doubted:
                styled.unsure.append(pictured)
            if not around.hidden:
                styled.pictured.append(pictured)
        going_on: list[tuple[Any, _Around]] = []
        for child in element.iter_children():
            if (_skips(own) and not around.box_in_doubt) or (_closed(node) and child.local_name != "summary"):
                styled.boxless.update(_with_descendants(child.etree_element))
            else:
                going_on.append((child, replace(around, hidden=around.hidden or _skips(own))))
        return going_on

    def _doubts(self, element: Any) -> list[tuple[str, Declared]]:
        """The declarations that may hold for an element, each with its pseudo-element."""
        matched = self._doubtful.match(element) if self._doubtful else ()
        return [(pseudo or "", declared) for _, _, pseudo, rule in matched for declared in rule.declarations]

    def _styles(self, element: Any, matcher: Any) -> dict[str, Style]:
        """The winning declarations of an element and its pseudo-elements.

        https://drafts.csswg.org/css-cascade-5/#cascade-sort
        """
        offered: dict[str, dict[str, list[tuple[Weight, Declared]]]] = defaultdict(lambda: defaultdict(list))

        def offer(pseudo: str, declared: Declared, weight: Weight) -> None:
            offered[pseudo][declared.property].append((weight, declared))

        node = element.etree_element
        hint = stripped(node.get("background")) if node.tag in _BACKGROUND_ATTRIBUTE else ""
        if hint:
            value = tinycss2.parse_component_value_list(f"url({css_string(hint)})")
            offer("", Declared("background-image", value, False, self._base), (False, False, (-inf,), (0, 0, 0), -1))
        for specificity, order, pseudo, rule in matcher.match(element):
            for declared in rule.declarations:
                offer(pseudo or "", declared, (declared.important, False, _layer(rule, declared), specificity, order))
        own = node.get("style") if self._inline else ""
        for declared in read_declarations(own or "", self._base):
            offer("", declared, (declared.important, True, (inf,), (0, 0, 0), 0))
        return {
            pseudo: {name: won for name, among in offers.items() if (won := _winner(among))}
            for pseudo, offers in offered.items()
        }


def _pictured(
    node: Element, own: Style, styles: Mapping[str, Style], variables: Variables
) -> Iterator[tuple[_Pictured, bool]]:
    """What an element and its pseudo-elements show, and whether a variable has a part in it."""
    for pseudo, style in [("", own), *sorted(styles.items())]:
        # Chromium loads for a pseudo-element whose content is said, though it be none (asked).
        if pseudo in _UNSEEN or (pseudo in ("before", "after") and "content" not in style):
            continue
        if pseudo and (_skips(own) or _is_not_displayed(style)):
            continue
        if pseudo == "marker" and not _is_list_item(node, own):
            continue
        known = variables.below(_variables_of(style)) if pseudo else variables
        for name in sorted(style.keys() & _BORNE_BY.get(pseudo, PICTURED)):
            declared = style[name]
            value = known.substituted(declared.value) or ()
            if any(n.type in ("url", "function") for n in value):
                yield _Pictured(value, declared.base, name, pseudo, node), _varies(declared.value)


def _chooses(value: Sequence[Any]) -> bool:
    """Whether a function takes one of several pictures by attributes, styles or the colour scheme."""
    functions = [n for n in value if n.type == "function"]
    return any(n.lower_name in _CHOOSING or _chooses(n.arguments) for n in functions)


def _varies(value: Sequence[Any]) -> bool:
    return any(n.type == "function" and (n.lower_name == "var" or _varies(n.arguments)) for n in value)


def _bears_on_box(doubtful: Declared, node: Element, own: Style) -> bool:
    """Whether a declaration that may hold would take an element's box, or give it one, or what it holds."""
    if doubtful.property == "display":
        return (_words(doubtful.value) == ["none"]) == _has_box(node, own)
    return doubtful.property == "content-visibility" and (_words(doubtful.value) == ["hidden"]) != _skips(own)


def _variables_of(style: Style) -> Mapping[str, Sequence[Any]]:
    return {name: declared.value for name, declared in style.items() if name.startswith("--")}


def _with_descendants(node: Element) -> Iterator[Element]:
    return (inner for inner in node.iter() if isinstance(inner.tag, str))


def _winner(offers: list[tuple[Weight, Declared]]) -> Declared | None:
    """The last of the heaviest; `revert-layer` gives way to what lower layers say.

    https://drafts.csswg.org/css-cascade-5/#revert-layer
    """
    given_way: object = None
    # The sort is stable, and later ones win.
    in_order = sorted(offers, key=itemgetter(0))
    for (important, inline, layer, *_), declared in reversed(in_order):
        if (important, inline, layer) == given_way:
            continue
        if _words(declared.value) != ["revert-layer"]:
            return declared
        given_way = important, inline, layer
    return None


def _words(value: Sequence[Any]) -> list[str]:
    return [n.lower_value for n in significant(value) if n.type == "ident"]


def _layer(rule: Rule, declared: Declared) -> tuple[float, ...]:
    """Later layers win; among important declarations, earlier ones do."""
    return tuple(-n for n in rule.layer) if declared.important else rule.layer


def _has_box(node: Element, style: Style) -> bool:
    """False for `display: none`, said by the page or by the browser's own style sheet.

    https://html.spec.whatwg.org/#hidden-elements
    """
    declared = style.get("display")
    if declared:
        shown = _words(declared.value)
        # https://drafts.csswg.org/css-display-4/#unbox : without a box of its own, nothing is left of a picture.
        return shown != ["none"] and not (shown == ["contents"] and node.tag in _REPLACED)
    if node.tag in _WITHOUT_BOX or node.get("hidden") is not None or node.get("popover") is not None:
        return False
    if node.tag == "dialog":
        return node.get("open") is not None
    return not (node.tag == "input" and (node.get("type") or "").lower() == "hidden")


def _is_not_displayed(style: Style) -> bool:
    declared = style.get("display")
    return declared is not None and _words(declared.value) == ["none"]


def _skips(style: Style) -> bool:
    """Whether what an element holds is not painted (https://drafts.csswg.org/css-contain-2/#content-visibility)."""
    declared = style.get("content-visibility")
    return declared is not None and _words(declared.value) == ["hidden"]


def _is_list_item(node: Element, style: Style) -> bool:
    declared = style.get("display")
    return "list-item" in _words(declared.value) if declared else node.tag in ("li", "summary")


def _closed(node: Element) -> bool:
    return node.tag == "details" and node.get("open") is None
