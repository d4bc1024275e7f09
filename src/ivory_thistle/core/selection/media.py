"""Media queries, parsed and evaluated for a screen.

https://drafts.csswg.org/mediaqueries-5/ . Unknown features make their part unknown (`None`), which counts as
false at the end but is not turned into true by `not`.
"""

from __future__ import annotations

from typing import Any

from ivory_thistle.core.selection.lengths import comma_parts, component_values, length_in_px, number, significant
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen

Truth = bool | None
"""True, false, or unknown."""

_RESOLUTION = {"dppx": 1.0, "x": 1.0, "dpi": 1 / 96, "dpcm": 2.54 / 96}
_COMPARE = {
    "<": lambda a, b: a < b, "<=": lambda a, b: a <= b, ">": lambda a, b: a > b, ">=": lambda a, b: a >= b,
    "=": lambda a, b: a == b,
}  # fmt: skip
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "="}


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
    if not parts:
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


def evaluate_condition(parts: list[Any], screen: Screen, allow_or: bool = True) -> Truth | str:
    """A media condition: true, false, unknown, or "error" where it is none.

    https://drafts.csswg.org/mediaqueries-5/#typedef-media-condition
    """
    if not parts:
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


def _numeric(name: str, screen: Screen) -> float | None:
    """The screen's value of a feature that has an order: px, dppx or a plain number."""
    values = {
        "width": screen.width, "height": screen.height, "device-width": screen.width,
        "device-height": screen.height, "resolution": screen.density,
        "-webkit-device-pixel-ratio": screen.density, "aspect-ratio": screen.width / screen.height,
        "device-aspect-ratio": screen.width / screen.height, "color": 8, "color-index": 0, "monochrome": 0,
        "grid": 0,
    }  # fmt: skip
    return values.get(name)


def _discrete(name: str, screen: Screen) -> str | None:
    """The screen's value of a feature of words, as a desktop browser without preferences tells it."""
    values = {
        "orientation": "portrait" if screen.height >= screen.width else "landscape",
        "prefers-color-scheme": "dark" if screen.dark else "light",
        "prefers-reduced-motion": "no-preference", "prefers-contrast": "no-preference",
        "prefers-reduced-data": "no-preference", "prefers-reduced-transparency": "no-preference",
        "hover": "hover", "any-hover": "hover", "pointer": "fine", "any-pointer": "fine", "update": "fast",
        "overflow-block": "scroll", "overflow-inline": "scroll", "scan": "progressive", "scripting": "enabled",
        "display-mode": "browser", "forced-colors": "none", "inverted-colors": "none", "color-gamut": "srgb",
        "dynamic-range": "standard", "video-dynamic-range": "standard",
    }  # fmt: skip
    return values.get(name)


def _boolean(name: str, screen: Screen) -> Truth:
    value = _numeric(name, screen)
    if value is not None:
        return value != 0
    word = _discrete(name, screen)
    return word not in ("none", "no-preference") if word is not None else None


def _plain(name: str, value: list[Any], screen: Screen) -> Truth:
    for prefix, compare in (("min-", ">="), ("max-", "<="), ("-webkit-min-", ">="), ("-webkit-max-", "<=")):
        if name.startswith(prefix):
            bare = name.replace(prefix, "-webkit-" if prefix.startswith("-webkit") else "", 1)
            wanted = _measure(bare, value, screen)
            have = _numeric(bare, screen)
            return None if wanted is None or have is None else _COMPARE[compare](have, wanted)
    have = _numeric(name, screen)
    if have is not None:
        wanted = _measure(name, value, screen)
        return None if wanted is None else abs(have - wanted) < 1e-9
    word = _discrete(name, screen)
    if word is None or len(value) != 1 or not _word(value[0]):
        return None
    return _word(value[0]) == word if _known_word(name, _word(value[0])) else None


def _known_word(name: str, word: str) -> bool:
    """False for values that a feature does not have: they make the condition unknown."""
    words = {
        "orientation": {"portrait", "landscape"},
        "prefers-color-scheme": {"light", "dark"},
        "hover": {"none", "hover"},
        "any-hover": {"none", "hover"},
        "pointer": {"none", "coarse", "fine"},
        "any-pointer": {"none", "coarse", "fine"},
    }
    return word in words.get(name, {word})


def _measure(name: str, value: list[Any], screen: Screen) -> float | None:
    """What a feature is compared with, in the unit of `_numeric`."""
    if name in ("width", "height", "device-width", "device-height"):
        return length_in_px(value[0], screen) if len(value) == 1 else None
    if name == "resolution":
        if len(value) != 1 or value[0].type != "dimension" or value[0].lower_unit not in _RESOLUTION:
            return None
        return float(value[0].value) * _RESOLUTION[value[0].lower_unit]
    if name in ("aspect-ratio", "device-aspect-ratio"):
        return _ratio(value, screen)
    return number(value[0], screen) if len(value) == 1 else None


def _ratio(value: list[Any], screen: Screen) -> float | None:
    numbers = [number(v, screen) for v in value if not (v.type == "literal" and v.value == "/")]
    if not 1 <= len(numbers) <= 2 or any(n is None or n < 0 for n in numbers):
        return None
    first, second = numbers[0] or 0.0, (numbers[1] or 0.0) if len(numbers) == 2 else 1.0
    return first / second if second else float("inf")


def _range(parts: list[Any], screen: Screen) -> Truth:
    """`(width >= 600px)`, `(600px <= width < 900px)`. https://drafts.csswg.org/mediaqueries-5/#mq-range-context"""
    sides: list[list[Any]] = [[]]
    marks: list[str] = []
    at = 0
    while at < len(parts):
        node = parts[at]
        if node.type == "literal" and node.value in ("<", ">", "=", "<=", ">="):
            mark = node.value
            follows = parts[at + 1] if at + 1 < len(parts) else None
            if mark in "<>" and follows is not None and follows.type == "literal" and follows.value == "=":
                mark, at = mark + "=", at + 1
            marks.append(mark)
            sides.append([])
        else:
            sides[-1].append(node)
        at += 1
    if len(marks) == 1 and len(sides[0]) == 1 and _numeric(_word(sides[0][0]), screen) is not None:
        return _compared(_word(sides[0][0]), marks[0], sides[1], screen)
    if len(marks) == 1 and len(sides[1]) == 1:
        return _compared(_word(sides[1][0]), _MIRRORED[marks[0]], sides[0], screen)
    if len(marks) == 2 and len(sides[1]) == 1 and marks[0][0] == marks[1][0] != "=":
        name = _word(sides[1][0])
        return _both(
            _compared(name, _MIRRORED[marks[0]], sides[0], screen), _compared(name, marks[1], sides[2], screen)
        )
    return None


def _compared(name: str, mark: str, value: list[Any], screen: Screen) -> Truth:
    have = _numeric(name, screen)
    wanted = _measure(name, value, screen) if value and have is not None else None
    return None if have is None or wanted is None else _COMPARE[mark](have, wanted)
