"""How far a stage is, told as done of total, and its end by a person's wish."""

from __future__ import annotations

import time
from collections.abc import Callable
from math import inf

Progress = Callable[[int, int], None]


def nothing(done: int, total: int) -> None:
    """A progress that is not shown."""


class StoppedError(Exception):
    """A stage was stopped before its end."""


def ender(stop: Callable[[], bool], seconds: float = 0.5) -> Callable[[], None]:
    """What a stage calls again and again: it raises StoppedError once it should `stop`, asked no more often than so."""
    asked = -inf

    def end() -> None:
        nonlocal asked
        if time.monotonic() - asked < seconds:
            return
        asked = time.monotonic()
        if stop():
            raise StoppedError

    return end
