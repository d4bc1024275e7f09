"""Which CSS declarations Chromium understands at all, and which conditions of `@supports` hold."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from ivory_thistle.core.selection.css_pictures import IMAGE_SETS, PICTURED, addresses_in, longhand
from ivory_thistle.core.selection.css_properties import PROPERTIES
from ivory_thistle.core.selection.lengths import RESOLUTIONS, comma_parts, significant

_OF_OTHERS = ("-khtml-", "-moz-", "-ms-", "-o-")
_REPLACED = frozenset({"var", "env", "attr", "if"})
"""What only the element tells: a declaration with one is valid until then."""
_NAMES = """
url image image-set -webkit-image-set -webkit-cross-fade -webkit-gradient paint
linear-gradient radial-gradient conic-gradient repeating-linear-gradient repeating-radial-gradient
repeating-conic-gradient -webkit-linear-gradient -webkit-radial-gradient -webkit-repeating-linear-gradient
-webkit-repeating-radial-gradient
rgb rgba hsl hsla hwb lab lch oklab oklch color color-mix contrast-color light-dark
calc -webkit-calc min max clamp round mod rem sin cos tan asin acos atan atan2 pow sqrt hypot log exp abs sign random
counter counters
blur brightness contrast drop-shadow grayscale hue-rotate invert opacity saturate sepia
inset circle ellipse polygon path rect xywh shape
"""
_FUNCTIONS = _REPLACED | frozenset(_NAMES.split())
"""The functions that Chromium 156 knows in values of properties with pictures (found out by asking it)."""
_PICTURES = frozenset({"url", *IMAGE_SETS})
_LISTS = frozenset({"background-image", "mask-image", "cursor"})
"""Properties whose values are lists of which each part holds one picture at most."""
_NO_WORD = re.compile(r"[\x00-\x20\ufffd]")
"""What escapes like `\\9` and `\\0` make of a word: only old browsers read on."""


def is_void(name: str, value: Iterable[Any]) -> bool:
    """Whether a declaration is invalid by a function: of another browser, or that Chromium knows not or otherwise.

    `name` is a longhand's. Which functions are known is told of properties with pictures alone; so is what else makes
    these invalid at a glance: an empty part of a list, two pictures in one, words that are none, as old browsers took.
    """
    nodes = significant(list(value))
    functions = [n for n in nodes if n.type == "function"]
    if name.startswith("--") or any(n.lower_name in _REPLACED or n.lower_name.startswith("--") for n in functions):
        return False
    if name not in PICTURED:
        return any(n.lower_name.startswith(_OF_OTHERS) for n in functions)
    return any(n.lower_name not in _FUNCTIONS or _is_misused(n) for n in functions) or _is_malformed(name, nodes)


def _is_malformed(name: str, nodes: Sequence[Any]) -> bool:
    """By the shape alone; colours, lengths and most words are not looked at."""
    if any(n.type == "ident" and _NO_WORD.search(n.value) for n in nodes) or any(n == "!" for n in nodes):
        return True
    if name not in _LISTS or not any(_is_picture(n) for n in nodes):
        return False
    parts = comma_parts(nodes)
    if any(not part or sum(map(_is_picture, part)) > 1 for part in parts):
        return True
    # https://drafts.csswg.org/css-ui-4/#cursor : a keyword stands behind all pictures.
    return name == "cursor" and any(map(_is_picture, parts[-1]))


def _is_picture(node: Any) -> bool:
    return bool(node.type == "url" or (node.type == "function" and node.lower_name in _PICTURES))


def _is_misused(function: Any) -> bool:
    if function.lower_name == "url":
        # Modifiers of an address: https://drafts.csswg.org/css-values-5/#request-url-modifiers
        return len(significant(function.arguments)) > 1
    if function.lower_name == "image":
        return any(addresses_in(function.arguments, "http://site.invalid/"))
    return function.lower_name in IMAGE_SETS and (
        any(n.type == "dimension" and n.lower_unit in RESOLUTIONS and n.value < 0 for n in function.arguments)
        or not all(comma_parts(significant(function.arguments)))
    )


def supported(prelude: Sequence[Any]) -> bool:
    """An `@supports` condition, for a browser that knows every value without a function that `is_void` finds.

    https://drafts.csswg.org/css-conditional-3/#at-supports
    """
    nodes = significant(prelude)
    if not nodes:
        return False
    if nodes[0].type == "ident" and nodes[0].lower_value == "not":
        return not supported(nodes[1:])
    words = [n.lower_value for n in nodes[1::2] if n.type == "ident"]
    parts = nodes[0::2]
    if words and words[0] in ("and", "or"):
        truths = [supported([p]) for p in parts]
        return all(truths) if words[0] == "and" else any(truths)
    if nodes[0].type == "() block":
        inner = significant(nodes[0].content)
        is_nested = bool(inner) and (inner[0].type in ("() block", "function") or _is_not(inner[0]))
        return supported(inner) if is_nested else _is_known(inner)
    return bool(nodes[0].type == "function" and nodes[0].lower_name == "selector")


def _is_known(declaration: Sequence[Any]) -> bool:
    if len(declaration) < 2 or declaration[0].type != "ident" or declaration[1] != ":":
        return False
    name = longhand(declaration[0].value)
    return (name.startswith("--") or name in PROPERTIES) and not is_void(name, declaration[2:])


def _is_not(node: Any) -> bool:
    return bool(node.type == "ident" and node.lower_value == "not")
