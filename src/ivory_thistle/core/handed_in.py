"""TOML and JSON that people hand in, read within limits."""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Iterator, Mapping
from math import isfinite
from typing import Any

from ivory_thistle.core.errors import UnusableInput

MOST_CHARACTERS = 200_000
"""Of a TOML text."""
MOST_PARTS = 32
"""Of a name with dots; what reads TOML takes time that grows with the square of them."""
_IN_TOML = re.compile(
    r'"""(?:[^"\\]|\\.|"(?!""))*+(?:"{3,5}+)?|'
    r"'''(?:[^']|'(?!''))*+(?:'{3,5}+)?|"
    r'"(?:[^"\\\n]|\\.)*+"?|'
    r"'[^'\n]*+'?|#[^\n]*+|(?P<dot>\.)|(?P<end>[,=\[\]{}\n])",
    re.DOTALL,
)
"""Texts and comments as a whole, and what joins or ends names (TOML 1.0.0, "Keys").

A text that does not end takes all that is left, so that none is looked for twice: what reads TOML stops there.
"""
_WHOLE = range(-(2**63), 2**63)
"""What a whole number may be (TOML 1.0.0, "Integer"); Python can't even print much larger ones."""
_HALF_LETTER = re.compile("[\ud800-\udfff]")
"""A surrogate by itself, as JSON can write it."""


def read_toml(text: str) -> dict[str, Any]:
    """The values of a TOML text. Raises UnusableInput, where it can with a line."""
    if len(text) > MOST_CHARACTERS:
        raise UnusableInput(f"TOML may have {MOST_CHARACTERS // 1000} kB.")
    if _longest_name(text) > MOST_PARTS:
        raise UnusableInput(f"This is no TOML of ours: a name has more than {MOST_PARTS} parts.")
    values: dict[str, Any] = _read(tomllib.loads, text, "TOML")
    return values


def _longest_name(text: str) -> int:
    """The parts of the name with the most of them, in linear time."""
    most = parts = 1
    for found in _IN_TOML.finditer(text):
        if found["dot"]:
            parts += 1
            most = max(most, parts)
        elif found["end"]:
            parts = 1
    return most


def read_json(data: bytes) -> Any:
    """The values of a JSON text, all of whose numbers are finite. Raises UnusableInput."""
    return _read(json.loads, data, "JSON", only_finite=True)


def _read(loads: Callable[[Any], Any], text: str | bytes, what: str, only_finite: bool = False) -> Any:
    try:
        values = loads(text)
    # Not only what each reader raises by itself: Python refuses to read whole numbers of many digits.
    except (ValueError, RecursionError) as error:
        raise UnusableInput(f"This is no {what}: {error}.") from error
    for value in _every(values):
        if isinstance(value, int) and value not in _WHOLE:
            raise UnusableInput(f"This is no {what}: a whole number has more than 64 bits.")
        if isinstance(value, str) and not is_text(value):
            raise UnusableInput(f"This is no {what}: half of a letter stands alone.")
        if only_finite and isinstance(value, float) and not isfinite(value):
            raise UnusableInput(f"This is no {what}: a number is not finite.")
    return values


def is_text(value: str) -> bool:
    """Whether it can be written, as text of half letters can't."""
    return _HALF_LETTER.search(value) is None


def _every(value: Any) -> Iterator[Any]:
    """The values and names in something, however deep."""
    waiting = [value]
    while waiting:
        one = waiting.pop()
        yield one
        if isinstance(one, Mapping):
            waiting.extend(one)
            waiting.extend(one.values())
        elif isinstance(one, list):
            waiting.extend(one)
