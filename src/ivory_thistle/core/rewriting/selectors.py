"""Selectors read as widely as they may ever match: in any state of a page, with any class that a script may add."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import cssselect2
import tinycss2
from cssselect2.compiler import CompiledSelector

from ivory_thistle.core.selection.lengths import comma_parts

_STRUCTURAL = frozenset(
    {"first-child", "last-child", "only-child", "nth-child", "nth-last-child", "first-of-type", "last-of-type",
     "only-of-type", "nth-of-type", "nth-last-of-type", "empty", "root"}
)  # fmt: skip
_LISTS = frozenset({"is", "where", "has", "matches"})
_BY_PLACE = re.compile(r"[>+~\[*]|picture|source|:(?:first|last|only|nth|empty|has|not)\b", re.IGNORECASE)
_GONE = "\0"
_EMPTY_COMPOUND = re.compile(rf"(^|[\s>+~,(]){_GONE}+(?=$|[\s>+~,)])")


@dataclass(frozen=True, slots=True)
class Wide:
    """A selector as widely as it may match. `by_place`: an element added around another, or attributes, may decide."""

    compiled: CompiledSelector
    by_place: bool


def widened(text: str, classes: Collection[str] | None) -> tuple[tuple[Wide, ...], bool]:
    """The selectors of a list, and whether all were understood.

    Pseudo-elements and states (`:hover`) are taken as given. `classes` are those of the page: others are taken as given
    too where the selector names one of these, since a script may add them (None: the page runs no script). Names in a
    selector that the page has none of leave it as it is: such rules are meant for other pages.
    """
    found: list[Wide] = []
    understood = True
    for part, named, has_id in _parts(text):
        dropped = frozenset[str]()
        if classes is not None:
            unknown = frozenset(name for name in named if name not in classes)
            dropped = unknown if len(unknown) < len(named) or has_id else dropped
        wide, known = _wide(part, dropped)
        found += wide
        understood &= known
    return tuple(found), understood


@lru_cache(50_000)
def _parts(text: str) -> tuple[tuple[str, frozenset[str], bool], ...]:
    """Each selector of a list with the classes it names, and whether it names an id."""
    found = []
    for part in comma_parts(tinycss2.parse_component_value_list(text, skip_comments=True)):
        named = frozenset(
            after.value
            for dot, after in pairwise(part)
            if dot.type == "literal" and dot.value == "." and after.type == "ident"
        )
        found.append((tinycss2.serialize(part), named, any(n.type == "hash" for n in part)))
    return tuple(found)


@lru_cache(50_000)
def _wide(text: str, dropped: frozenset[str]) -> tuple[tuple[Wide, ...], bool]:
    """One selector without its states and the dropped classes, and whether it was understood."""
    nodes = tinycss2.parse_component_value_list(text, skip_comments=True)
    wide = _EMPTY_COMPOUND.sub(r"\1*", "".join(_pieces(nodes, dropped))).replace(_GONE, "")
    by_place = _BY_PLACE.search(wide) is not None
    try:
        return tuple(Wide(c, by_place) for c in cssselect2.compile_selector_list(wide)), True
    except cssselect2.SelectorError:
        return (), not by_place


def _pieces(nodes: Sequence[Any], dropped: frozenset[str]) -> Iterator[str]:
    at = 0
    while at < len(nodes):
        node = nodes[at]
        after = nodes[at + 1] if at + 1 < len(nodes) else None
        if node.type == "literal" and node.value == ":" and after is not None:
            if after.type == "literal" and after.value == ":":
                yield _GONE
                at += 3
                continue
            yield _pseudo(after, dropped)
            at += 2
            continue
        if node.type == "literal" and node.value == "." and after is not None and after.type == "ident":
            yield _GONE if after.value in dropped else tinycss2.serialize([node, after])
            at += 2
            continue
        yield " " if node.type == "whitespace" else tinycss2.serialize([node])
        at += 1


def _pseudo(node: Any, dropped: frozenset[str]) -> str:
    """A pseudo-class: kept where it speaks of the tree, gone where it speaks of a state."""
    name = node.lower_value if node.type == "ident" else node.lower_name if node.type == "function" else ""
    if name in _STRUCTURAL:
        return f":{tinycss2.serialize([node])}"
    if name in _LISTS:
        parts = [_EMPTY_COMPOUND.sub(r"\1*", "".join(_pieces(part, dropped))) for part in comma_parts(node.arguments)]
        return f":{name}({','.join(parts)})"
    if name == "not":
        inner = tinycss2.serialize(node.arguments)
        parts = ["".join(_pieces(part, dropped)) for part in comma_parts(node.arguments)]
        return _GONE if any(_GONE in part for part in parts) else f":not({inner})"
    return _GONE
