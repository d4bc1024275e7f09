"""CSS lengths and the math functions in them, resolved to px without a document.

https://drafts.csswg.org/css-values/ . Font-relative units count the initial font (16 px; `ex` and `ch` half of
it, as the standard allows where the font is not known).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import tinycss2

from ivory_thistle.core.selection.screen import Screen

_FONT = 16.0
_ABSOLUTE = {
    "px": 1.0, "in": 96.0, "cm": 96 / 2.54, "mm": 9.6 / 2.54, "q": 2.4 / 2.54, "pt": 96 / 72, "pc": 16.0,
    "em": _FONT, "rem": _FONT, "ex": _FONT / 2, "rex": _FONT / 2, "ch": _FONT / 2, "rch": _FONT / 2,
    "ic": _FONT, "ric": _FONT,
}  # fmt: skip

Value = tuple[float, int]
"""A number with its power of length: (3, 0) is the number 3, (3, 1) is 3 px."""


def significant(nodes: Sequence[Any]) -> list[Any]:
    """Component values without blanks and comments."""
    return [n for n in nodes if n.type not in ("whitespace", "comment")]


def length_in_px(node: Any, screen: Screen) -> float | None:
    """A length or math function in px; None for what is no length (a bare 0 is one)."""
    if node.type == "number" and node.value == 0:
        return 0.0
    value = _value(node, screen)
    return value[0] if value and value[1] == 1 else None


def number(node: Any, screen: Screen) -> float | None:
    """A number or a math function that gives one."""
    value = _value(node, screen)
    return value[0] if value and value[1] == 0 else None


def _value(node: Any, screen: Screen) -> Value | None:
    if node.type == "number":
        return node.value, 0
    if node.type == "dimension":
        size = _unit(node.lower_unit, screen)
        return (node.value * size, 1) if size is not None else None
    if node.type == "() block":
        return _sum(significant(node.content), screen)
    if node.type == "function":
        return _function(node, screen)
    return None


def _unit(unit: str, screen: Screen) -> float | None:
    if unit in _ABSOLUTE:
        return _ABSOLUTE[unit]
    base = unit[1:] if len(unit) > 2 and unit[0] in "sld" else unit
    sides = {
        "vw": screen.width, "vh": screen.height, "vi": screen.width, "vb": screen.height,
        "vmin": min(screen.width, screen.height), "vmax": max(screen.width, screen.height),
    }  # fmt: skip
    return sides[base] / 100 if base in sides else None


def _function(node: Any, screen: Screen) -> Value | None:
    name = node.lower_name
    parts = [_sum(part, screen) for part in comma_parts(significant(node.arguments))]
    if name in ("calc", "-webkit-calc"):
        return parts[0] if len(parts) == 1 else None
    if any(p is None for p in parts) or not parts:
        return None
    values = [p for p in parts if p is not None]
    power = values[0][1]
    if any(v[1] != power for v in values):
        return None
    numbers = [v[0] for v in values]
    if name == "min":
        return min(numbers), power
    if name == "max":
        return max(numbers), power
    if name == "clamp" and len(numbers) == 3:
        return max(numbers[0], min(numbers[1], numbers[2])), power
    if name == "abs" and len(numbers) == 1:
        return abs(numbers[0]), power
    return None


def comma_parts(nodes: Sequence[Any]) -> list[list[Any]]:
    """Component values split at their top-level commas; one empty part for none."""
    parts: list[list[Any]] = [[]]
    for n in nodes:
        if n.type == "literal" and n.value == ",":
            parts.append([])
        else:
            parts[-1].append(n)
    return parts


def _sum(nodes: list[Any], screen: Screen) -> Value | None:
    """Terms joined by + and -; a sign without blanks belongs to the number after it and can't join."""
    return _joined(nodes, ("+", "-"), lambda part: _product(part, screen), _add)


def _product(nodes: list[Any], screen: Screen) -> Value | None:
    return _joined(nodes, ("*", "/"), lambda part: _value(part[0], screen) if len(part) == 1 else None, _multiply)


def _joined(
    nodes: list[Any],
    marks: tuple[str, str],
    read: Callable[[list[Any]], Value | None],
    join: Callable[[Value, Value, bool], Value | None],
) -> Value | None:
    parts: list[list[Any]] = [[]]
    between: list[str] = []
    for n in nodes:
        if n.type == "literal" and n.value in marks:
            between.append(n.value)
            parts.append([])
        else:
            parts[-1].append(n)
    total = read(parts[0]) if parts[0] else None
    for mark, part in zip(between, parts[1:], strict=True):
        value = read(part) if part else None
        total = join(total, value, mark == marks[0]) if total and value else None
    return total


def _add(a: Value, b: Value, plain: bool) -> Value | None:
    return (a[0] + b[0] if plain else a[0] - b[0], a[1]) if a[1] == b[1] else None


def _multiply(a: Value, b: Value, plain: bool) -> Value | None:
    if plain:
        return a[0] * b[0], a[1] + b[1]
    return (a[0] / b[0], a[1] - b[1]) if b[0] else None


def component_values(text: str) -> list[Any]:
    """A text as component values (CSS Syntax)."""
    return list(tinycss2.parse_component_value_list(text, skip_comments=True))
