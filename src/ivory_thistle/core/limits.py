"""Limits of time for the work on one page or picture: the core says where they begin, others keep the clock."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext

Within = Callable[[int], AbstractContextManager[None]]
"""Given a size in bytes: a block that raises an error of its own when it takes too long for that."""


def unlimited(size: int) -> AbstractContextManager[None]:
    """No limit."""
    return nullcontext()
