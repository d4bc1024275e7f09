"""Media queries, parsed and evaluated for a screen.

https://drafts.csswg.org/mediaqueries-5/ . Unknown features and values make their part unknown (`None`), which counts as
false at the end but is not turned into true by `not`. What is no query at all is an "error", and matches nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ivory_thistle.core.selection.lengths import (
    comma_parts,
    component_values,
    length_in_px,
    number,
    resolution,
    significant,
)
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen

Truth = bool | None
"""True, false, or unknown."""

_TOLERANCE = 1 / 64
"""Chromium compares what it measures in units of a 64th of a px."""
_COMPARE: Mapping[str, Callable[[float, float, float], bool]] = {
    "<": lambda a, b, off: a < b - off,
    "<=": lambda a, b, off: a <= b + off,
    ">": lambda a, b, off: a > b + off,
    ">=": lambda a, b, off: a >= b - off,
    "=": lambda a, b, off: abs(a - b) <= off,
}
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "="}
_PREFIXES = (("-webkit-min-", "-webkit-", ">="), ("-webkit-max-", "-webkit-", "<="), ("min-", "", ">="),
             ("max-", "", "<="))  # fmt: skip

Value = tuple[float, float]
"""What a feature is compared with, as a fraction: screens of no height have a ratio too."""


@dataclass(frozen=True, slots=True)
class _Range:
    """A feature with an order: what the screen has, and how a value is read (None: it is none of the feature's)."""

    have: Callable[[Screen], Value]
    read: Callable[[list[Any], Screen], Value | None]
    tolerance: float = _TOLERANCE


@dataclass(frozen=True, slots=True)
class _Words:
    """A feature of words: all that it may be asked for, and those that hold on a screen.

    `nothing` are words that make the bare feature false.
    """

    known: frozenset[str]
    held: Callable[[Screen], frozenset[str]]
    nothing: frozenset[str] = frozenset({"none", "no-preference"})


def _length(value: list[Any], screen: Screen) -> Value | None:
    found = length_in_px(value[0], screen) if len(value) == 1 else None
    return None if found is None else (found, 1.0)


def _integer(value: list[Any], screen: Screen) -> Value | None:
    """A whole number; a math function's result is rounded to one."""
    found = number(value[0], screen) if len(value) == 1 else None
    if found is None or (value[0].type == "number" and not value[0].is_integer):
        return None
    return float(round(found)), 1.0


def _plain_number(value: list[Any], screen: Screen) -> Value | None:
    found = number(value[0], screen) if len(value) == 1 else None
    return None if found is None else (found, 1.0)


def _resolution(value: list[Any], screen: Screen) -> Value | None:
    found = resolution(value[0], screen) if len(value) == 1 else None
    negative = value[0].type == "dimension" if len(value) == 1 else False
    return None if found is None or (found < 0 and negative) else (found, 1.0)


def _ratio(value: list[Any], screen: Screen) -> Value | None:
    parts = [v for v in value if not (v.type == "literal" and v.value == "/")]
    numbers = [number(v, screen) for v in parts]
    slashes = len(value) - len(parts)
    if not 1 <= len(numbers) <= 2 or slashes != len(numbers) - 1 or any(n is None or n < 0 for n in numbers):
        return None
    across, down = numbers[0] or 0.0, (numbers[1] or 0.0) if len(numbers) == 2 else 1.0
    return (across, down) if across or down else (1.0, 0.0)


def _of_words(text: str, *held: str) -> _Words:
    return _Words(frozenset(text.split()), lambda screen: frozenset(held))


def _one_of(otherwise: str, word: str, holds: Callable[[Screen], bool], *others: str) -> _Words:
    """A feature that is `word` on the screens for which that `holds`; `others` may be asked for too."""
    return _Words(frozenset({otherwise, word, *others}), lambda s: frozenset({word if holds(s) else otherwise}))


_WIDTH = _Range(lambda s: (s.width, 1.0), _length)
_HEIGHT = _Range(lambda s: (s.height, 1.0), _length)
_ASPECT = _Range(lambda s: (s.width, s.height), _ratio)
_RANGES: Mapping[str, _Range] = {
    "width": _WIDTH, "height": _HEIGHT, "device-width": _WIDTH, "device-height": _HEIGHT,
    "aspect-ratio": _ASPECT, "device-aspect-ratio": _ASPECT,
    "resolution": _Range(lambda s: (s.density, 1.0), _resolution, 1e-3),
    "-webkit-device-pixel-ratio": _Range(lambda s: (s.density, 1.0), _plain_number, 1e-3),
    "color": _Range(lambda s: (8.0, 1.0), _integer),
    "color-index": _Range(lambda s: (0.0, 1.0), _integer),
    "monochrome": _Range(lambda s: (0.0, 1.0), _integer),
}  # fmt: skip
_SWITCHES: Mapping[str, int] = {"grid": 0, "-webkit-transform-3d": 1}
"""Features that are 0 or 1."""
_COUNTS: Mapping[str, int] = {"horizontal-viewport-segments": 1, "vertical-viewport-segments": 1}
"""Features with a number and, in Chromium, no order."""
_POINTER = _one_of("fine", "coarse", lambda s: s.touch, "none")
_HOVER = _one_of("hover", "none", lambda s: s.touch)
_WORDS: Mapping[str, _Words] = {
    "orientation": _one_of("portrait", "landscape", lambda s: s.width > s.height),
    "prefers-color-scheme": _one_of("light", "dark", lambda s: s.dark),
    "scan": _of_words("interlace progressive"),
    "update": _of_words("none slow fast", "fast"),
    "overflow-block": _of_words("none scroll paged", "scroll"),
    "overflow-inline": _of_words("none scroll", "scroll"),
    "color-gamut": _of_words("srgb p3 rec2020", "srgb"),
    "video-color-gamut": _of_words("srgb p3 rec2020", "srgb"),
    "dynamic-range": _of_words("standard high", "standard"),
    "video-dynamic-range": _of_words("standard high", "standard"),
    "inverted-colors": _of_words("none inverted", "none"),
    "pointer": _POINTER,
    "any-pointer": _POINTER,
    "hover": _HOVER,
    "any-hover": _HOVER,
    "prefers-reduced-motion": _of_words("no-preference reduce", "no-preference"),
    "prefers-reduced-transparency": _of_words("no-preference reduce", "no-preference"),
    "prefers-reduced-data": _of_words("no-preference reduce", "no-preference"),
    "prefers-contrast": _of_words("no-preference less more custom", "no-preference"),
    "forced-colors": _of_words("none active", "none"),
    "scripting": _of_words("none initial-only enabled", "enabled"),
    "display-mode": _of_words(
        "fullscreen standalone minimal-ui browser picture-in-picture window-controls-overlay borderless tabbed",
        "browser",
    ),
    "device-posture": _of_words("continuous folded", "continuous"),
}
"""As a browser without preferences tells them, with a mouse or a touch screen; none says yet how a screen scans."""


@lru_cache(1_000)
def matches_media(text: str, screen: Screen) -> bool:
    """Whether a media query list matches; an empty one does.

    https://drafts.csswg.org/mediaqueries-5/#mq-list
    """
    nodes = component_values(text)
    if not significant(nodes):
        return True
    return any(_query(q, screen) is True for q in comma_parts(nodes))


def is_understood(text: str) -> bool:
    """False for a media query list that can match on no screen because nothing of it is understood."""
    nodes = component_values(text)
    return not significant(nodes) or any(_query(q, DEFAULT_SCREENS[0]) is not None for q in comma_parts(nodes))


def _word(node: Any) -> str:
    return str(node.lower_value) if node.type == "ident" else ""


def _query(nodes: list[Any], screen: Screen) -> Truth:
    """https://drafts.csswg.org/mediaqueries-5/#typedef-media-query ; unknown for what is none ("not all")."""
    parts = significant(nodes)
    if not parts or _is_broken(parts):
        return None
    condition = evaluate_condition(parts, screen)
    if condition != "error":
        return condition  # type: ignore[return-value]
    negated = _word(parts[0]) == "not"
    if negated or _word(parts[0]) == "only":
        parts = parts[1:]
    if not parts or not _word(parts[0]) or _word(parts[0]) in ("not", "and", "or", "only", "layer"):
        return None
    result: Truth = _word(parts[0]) in ("all", "screen")
    if len(parts) > 1:
        if _word(parts[1]) != "and" or len(parts) < 3:
            return None
        rest = evaluate_condition(parts[2:], screen, allow_or=False)
        if rest == "error":
            return None
        result = _both(result, rest)  # type: ignore[arg-type]
    return _not(result) if negated else result


def _is_broken(nodes: Iterable[Any]) -> bool:
    """Whether a token stands anywhere in it that no value may hold, as a bracket that nothing opened.

    https://drafts.csswg.org/css-syntax-3/#typedef-any-value
    """
    waiting = list(nodes)
    while waiting:
        node = waiting.pop()
        if node.type == "error":
            return True
        waiting += getattr(node, "content", None) or getattr(node, "arguments", None) or ()
    return False


def evaluate_condition(parts: list[Any], screen: Screen, allow_or: bool = True) -> Truth | str:
    """A media condition: true, false, unknown, or "error" where it is none.

    https://drafts.csswg.org/mediaqueries-5/#typedef-media-condition
    """
    if not parts or _is_broken(parts):
        return "error"
    if _word(parts[0]) == "not":
        return _not(_in_parens(parts[1], screen)) if len(parts) == 2 and _is_term(parts[1]) else "error"
    if not _is_term(parts[0]):
        return "error"
    result = _in_parens(parts[0], screen)
    joiner = ""
    for at in range(1, len(parts), 2):
        word = _word(parts[at])
        if word not in ("and", "or") or (joiner and word != joiner) or (word == "or" and not allow_or):
            return "error"
        if at + 1 >= len(parts) or not _is_term(parts[at + 1]):
            return "error"
        joiner = word
        term = _in_parens(parts[at + 1], screen)
        result = _both(result, term) if word == "and" else _either(result, term)
    return result


def _is_term(node: Any) -> bool:
    return node.type in ("() block", "function")


def _not(value: Truth) -> Truth:
    return None if value is None else not value


def _both(a: Truth, b: Truth) -> Truth:
    if a is False or b is False:
        return False
    return None if a is None or b is None else True


def _either(a: Truth, b: Truth) -> Truth:
    if a is True or b is True:
        return True
    return None if a is None or b is None else False


def _in_parens(node: Any, screen: Screen) -> Truth:
    if node.type == "function":
        return None
    parts = significant(node.content)
    inner = evaluate_condition(parts, screen)
    if inner != "error":
        return inner  # type: ignore[return-value]
    return _feature(parts, screen)


def _feature(parts: list[Any], screen: Screen) -> Truth:
    """`(name)`, `(name: value)` or a range. https://drafts.csswg.org/mediaqueries-5/#mq-features"""
    if len(parts) == 1:
        return _boolean(_word(parts[0]), screen)
    if len(parts) >= 3 and _word(parts[0]) and parts[1].type == "literal" and parts[1].value == ":":
        return _plain(_word(parts[0]), parts[2:], screen)
    return _range(parts, screen)


def _boolean(name: str, screen: Screen) -> Truth:
    """A feature by its bare name. https://drafts.csswg.org/mediaqueries-5/#mq-boolean-context"""
    if name in _RANGES:
        return _RANGES[name].have(screen)[0] != 0
    if name in _SWITCHES:
        return _SWITCHES[name] == 1
    if name in _COUNTS:
        return _COUNTS[name] != 0
    if name in _WORDS:
        return not _WORDS[name].held(screen) <= _WORDS[name].nothing
    return None


def _plain(name: str, value: list[Any], screen: Screen) -> Truth:
    """`(name: value)`, the name with or without `min-` and `max-`."""
    for prefix, stands_for, mark in _PREFIXES:
        if name.startswith(prefix):
            return _compared(stands_for + name.removeprefix(prefix), mark, value, screen)
    if name in _RANGES:
        return _compared(name, "=", value, screen)
    if name in _SWITCHES:
        asked = _integer(value, screen)
        return asked[0] == _SWITCHES[name] if asked and asked[0] in (0, 1) else None
    if name in _COUNTS:
        asked = _integer(value, screen)
        return asked[0] == _COUNTS[name] if asked else None
    word = _word(value[0]) if len(value) == 1 else ""
    feature = _WORDS.get(name)
    return word in feature.held(screen) if feature and word in feature.known else None


def _range(parts: list[Any], screen: Screen) -> Truth:
    """`(width >= 600px)`, `(600px <= width < 900px)`. https://drafts.csswg.org/mediaqueries-5/#mq-range-context"""
    sides: list[list[Any]] = [[]]
    marks: list[str] = []
    last: Any = None
    for node in parts:
        if node.type != "literal" or node.value not in ("<", ">", "=", "<=", ">="):
            sides[-1].append(node)
            continue
        joins = bool(marks) and not sides[-1] and marks[-1] in "<>" and node.value == "="
        if joins and node.source_column == last.source_column + 1 and node.source_line == last.source_line:
            marks[-1] += "="
        else:
            marks.append(node.value)
            sides.append([])
        last = node
    if len(marks) == 1 and len(sides[0]) == 1 and _word(sides[0][0]) in _RANGES:
        return _compared(_word(sides[0][0]), marks[0], sides[1], screen)
    if len(marks) == 1 and len(sides[1]) == 1:
        return _compared(_word(sides[1][0]), _MIRRORED[marks[0]], sides[0], screen)
    if len(marks) == 2 and len(sides[1]) == 1 and marks[0][0] == marks[1][0] != "=":
        name = _word(sides[1][0])
        first = _compared(name, _MIRRORED[marks[0]], sides[0], screen)
        second = _compared(name, marks[1], sides[2], screen)
        return None if first is None or second is None else first and second
    return None


def _compared(name: str, mark: str, value: list[Any], screen: Screen) -> Truth:
    feature = _RANGES.get(name)
    wanted = feature.read(value, screen) if feature and value else None
    if feature is None or wanted is None:
        return None
    have = feature.have(screen)
    # Fractions are compared crosswise: no division by a side of 0.
    return _COMPARE[mark](have[0] * wanted[1], wanted[0] * have[1], feature.tolerance)
