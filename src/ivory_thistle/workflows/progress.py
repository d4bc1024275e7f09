"""How far a stage is: told as done of total."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[int, int], None]


def nothing(done: int, total: int) -> None:
    """A progress that is not shown."""
