"""TOML that people hand in, read within limits."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from typing import Any

from ivory_thistle.core.errors import UnusableInput

MOST_CHARACTERS = 200_000
_WHOLE = range(-(2**63), 2**63)
"""What a whole number may be (TOML 1.0.0, "Integer"); Python can't even print much larger ones."""


def read_toml(text: str) -> dict[str, Any]:
    """The values of a TOML text. Raises UnusableInput, where it can with a line."""
    if len(text) > MOST_CHARACTERS:
        raise UnusableInput(f"TOML may have {MOST_CHARACTERS // 1000} kB.")
    try:
        values = tomllib.loads(text)
    # Not only TOMLDecodeError: Python refuses to read whole numbers of many digits.
    except (ValueError, RecursionError) as error:
        raise UnusableInput(f"This is no TOML: {error}.") from error
    if any(isinstance(value, int) and value not in _WHOLE for value in _every(values)):
        raise UnusableInput("This is no TOML: a whole number has more than 64 bits.")
    return values


def _every(value: Any) -> Iterator[Any]:
    waiting = [value]
    while waiting:
        one = waiting.pop()
        yield one
        if isinstance(one, Mapping):
            waiting.extend(one.values())
        elif isinstance(one, list):
            waiting.extend(one)
