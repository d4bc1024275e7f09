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
_WHOLE = range(-(2**63), 2**63)
"""What a whole number may be (TOML 1.0.0, "Integer"); Python can't even print much larger ones."""
_HALF_LETTER = re.compile("[\ud800-\udfff]")
"""A surrogate by itself, as JSON can write it."""


def read_toml(text: str) -> dict[str, Any]:
    """The values of a TOML text. Raises UnusableInput, where it can with a line."""
    if len(text) > MOST_CHARACTERS:
        raise UnusableInput(f"TOML may have {MOST_CHARACTERS // 1000} kB.")
    values: dict[str, Any] = _read(tomllib.loads, text, "TOML")
    return values


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
