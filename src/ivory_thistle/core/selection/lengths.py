"""CSS lengths and the math functions in them, resolved to px without a document.

https://drafts.csswg.org/css-values/ . Font-relative units count the initial font (16 px; `ex` and `ch` half of
it, as the standard allows where the font is not known).
"""

from __future__ import annotations

import math
import re
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

Value = tuple[float, int, int]
"""A number with its powers of length and of resolution: (3, 0, 0) is the number 3, (3, 1, 0) is 3 px."""
_SIMPLE = frozenset({"calc", "-webkit-calc", "min", "max", "clamp"})
_BRACKET = re.compile(r"[()\[\]{}]")
_MOST_DEPTH = 40
_CONSTANTS = {"pi": math.pi, "e": math.e, "infinity": math.inf, "-infinity": -math.inf, "nan": math.nan}
RESOLUTIONS = {"dppx": 1.0, "x": 1.0, "dpi": 1 / 96, "dpcm": 2.54 / 96}
"""Device pixels a CSS px, by unit."""
_ANGLES = {"deg": math.pi / 180, "rad": 1.0, "grad": math.pi / 200, "turn": 2 * math.pi}


def significant(nodes: Sequence[Any]) -> list[Any]:
    """Component values without blanks and comments."""
    return [n for n in nodes if n.type not in ("whitespace", "comment")]


def length_in_px(node: Any, screen: Screen) -> float | None:
    """A length or math function in px; None for what is no length (a bare 0 is one, also as the result of a function).

    Where a length is asked for, a math function that gives the number 0 is taken as one by browsers.
    """
    value = _value(node, screen)
    if value is None or value[2]:
        return None
    return value[0] if value[1] == 1 or (value[1] == 0 and value[0] == 0) else None


def source_length_in_px(node: Any, screen: Screen) -> float | None:
    """A length in `sizes`, in px; None for what is none there.

    Chromium reads fewer functions there than in style sheets, and no number as a length but a bare 0. A function's
    result below 0 counts as 0; a length below 0 is none.
    """
    if node.type == "number" and node.value == 0:
        return 0.0
    value = _value(node, screen) if _is_simple(node) else None
    if value is None or value[1:] != (1, 0) or (value[0] < 0 and node.type != "function"):
        return None
    return max(0.0, value[0])


def _is_simple(node: Any) -> bool:
    waiting = [node]
    while waiting:
        at = waiting.pop()
        if at.type == "ident" or (at.type == "function" and at.lower_name not in _SIMPLE):
            return False
        waiting += getattr(at, "content", None) or getattr(at, "arguments", None) or ()
    return True


def number(node: Any, screen: Screen) -> float | None:
    """A number or a math function that gives one."""
    value = _value(node, screen)
    return value[0] if value and value[1:] == (0, 0) else None


def resolution(node: Any, screen: Screen) -> float | None:
    """A resolution or a math function that gives one, in device pixels a CSS px."""
    value = _value(node, screen)
    return value[0] if value and value[1:] == (0, 1) else None


def _value(node: Any, screen: Screen) -> Value | None:
    if node.type == "number":
        return node.value, 0, 0
    if node.type == "dimension":
        if node.lower_unit in RESOLUTIONS:
            return node.value * RESOLUTIONS[node.lower_unit], 0, 1
        size = _unit(node.lower_unit, screen)
        return (node.value * size, 1, 0) if size is not None else None
    if node.type == "() block":
        return _sum(significant(node.content), screen)
    if node.type == "function":
        return _function(node, screen)
    return None


_OF_CONTAINERS = frozenset({"cqw", "cqh", "cqi", "cqb", "cqmin", "cqmax"})


def _unit(unit: str, screen: Screen) -> float | None:
    if unit in _ABSOLUTE:
        return _ABSOLUTE[unit]
    base = unit[1:] if len(unit) > 2 and unit[0] in "sld" else unit
    sides = {
        "vw": screen.width, "vh": screen.height, "vi": screen.width, "vb": screen.height,
        "vmin": min(screen.width, screen.height), "vmax": max(screen.width, screen.height),
    }  # fmt: skip
    # What stands in no container takes the screen for it (https://drafts.csswg.org/css-contain-3/#container-lengths).
    base = base.replace("cq", "v").replace("vi", "vw").replace("vb", "vh") if base in _OF_CONTAINERS else base
    return sides[base] / 100 if base in sides else None


def _function(node: Any, screen: Screen) -> Value | None:
    """https://drafts.csswg.org/css-values-4/#math"""
    name = node.lower_name
    if name in _ANGLE_FUNCTIONS:
        return _trigonometry(name, significant(node.arguments), screen)
    arguments = comma_parts(significant(node.arguments))
    strategy = "nearest"
    if name == "round" and arguments and len(arguments[0]) == 1 and arguments[0][0].type == "ident":
        strategy = arguments[0][0].lower_value
        arguments = arguments[1:]
    parts = [_sum(part, screen) for part in arguments]
    if not parts or any(p is None for p in parts):
        return None
    values = [p for p in parts if p is not None]
    kinds = {v[1:] for v in values}
    if len(kinds) > 1:
        return None
    numbers = [v[0] for v in values]
    power, per = values[0][1:]
    if name in ("calc", "-webkit-calc"):
        return values[0] if len(values) == 1 else None
    if name == "sign":
        return (float((numbers[0] > 0) - (numbers[0] < 0)), 0, 0) if len(numbers) == 1 else None
    plain = (power, per) == (0, 0)
    result = _result(name, numbers, strategy, plain)
    return None if result is None else (result, power, per)


_ANGLE_FUNCTIONS: dict[str, Callable[[float], float]] = {"sin": math.sin, "cos": math.cos, "tan": math.tan}


def _trigonometry(name: str, nodes: list[Any], screen: Screen) -> Value | None:
    """The sine and the like of an angle; a bare number counts as radians."""
    if len(nodes) == 1 and nodes[0].type == "dimension" and nodes[0].lower_unit in _ANGLES:
        angle: float | None = nodes[0].value * _ANGLES[nodes[0].lower_unit]
    else:
        value = _sum(nodes, screen)
        angle = value[0] if value and value[1:] == (0, 0) else None
    return None if angle is None else (_ANGLE_FUNCTIONS[name](angle), 0, 0)


def _result(name: str, numbers: list[float], strategy: str, plain: bool) -> float | None:
    """What a math function makes of numbers of one kind; `plain`: they are without unit. None for no such function."""
    try:
        if name in ("min", "max"):
            return min(numbers) if name == "min" else max(numbers)
        if name == "hypot":
            return math.hypot(*numbers)
        if name == "clamp" and len(numbers) == 3:
            return max(numbers[0], min(numbers[1], numbers[2]))
        if name == "abs" and len(numbers) == 1:
            return abs(numbers[0])
        if name == "round":
            step = numbers[1] if len(numbers) == 2 else 1.0 if plain and len(numbers) == 1 else 0.0
            return _ROUNDED[strategy](numbers[0] / step) * step
        if name == "mod" and len(numbers) == 2:
            return numbers[0] - math.floor(numbers[0] / numbers[1]) * numbers[1]
        if name == "rem" and len(numbers) == 2:
            return math.fmod(numbers[0], numbers[1])
        if name == "pow" and len(numbers) == 2 and plain:
            return float(numbers[0] ** numbers[1])
        if name in ("sqrt", "exp") and len(numbers) == 1 and plain:
            return math.sqrt(numbers[0]) if name == "sqrt" else math.exp(numbers[0])
        if name == "log" and plain:
            return math.log(*numbers)
    except (ArithmeticError, ValueError, TypeError, KeyError):
        return None
    return None


_ROUNDED: dict[str, Callable[[float], float]] = {
    "nearest": lambda x: math.floor(x + 0.5), "up": math.ceil, "down": math.floor, "to-zero": math.trunc,
}  # fmt: skip


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
    return _joined(nodes, ("*", "/"), lambda part: _term(part, screen), _multiply)


def _term(part: list[Any], screen: Screen) -> Value | None:
    if len(part) != 1:
        return None
    if part[0].type == "ident" and part[0].lower_value in _CONSTANTS:
        return _CONSTANTS[part[0].lower_value], 0, 0
    return _value(part[0], screen)


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
    return (a[0] + b[0] if plain else a[0] - b[0], *a[1:]) if a[1:] == b[1:] else None


def _multiply(a: Value, b: Value, plain: bool) -> Value | None:
    if plain:
        return a[0] * b[0], a[1] + b[1], a[2] + b[2]
    quotient = a[0] / b[0] if b[0] else math.copysign(math.inf, a[0]) if a[0] else math.nan
    return quotient, a[1] - b[1], a[2] - b[2]


def component_values(text: str) -> list[Any]:
    """A text as component values (CSS Syntax); one error where brackets nest deeper than any real value's do."""
    if _depth(text) > _MOST_DEPTH:
        return [tinycss2.ast.ParseError(1, 1, "too-deep", "Brackets nest too deeply.")]
    return list(tinycss2.parse_component_value_list(text, skip_comments=True))


def _depth(text: str) -> int:
    """How deeply brackets nest, at most: closing ones are counted as if all fitted."""
    depth = most = 0
    for found in _BRACKET.finditer(text):
        depth = depth + 1 if found.group() in "([{" else max(0, depth - 1)
        most = max(most, depth)
    return most
