"""Limits of time within this process, for pages: pictures are limited in processes of their own."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType
from typing import NoReturn

from ivory_thistle.core.errors import ThistleError

_SECONDS, _SECONDS_A_MEGABYTE = 30.0, 30.0


class TookTooLongError(ThistleError):
    """The work on one page took too long for its size."""


def seconds_for(size: int) -> float:
    """How long the work on a page of so many bytes may take."""
    return _SECONDS + _SECONDS_A_MEGABYTE * size / 1e6


@contextmanager
def in_time(size: int) -> Iterator[None]:
    """Raises TookTooLongError within the block once it has taken too long for so many bytes.

    It works by an alarm, which the main thread alone can have: elsewhere there is no limit. A limit within another
    counts for both.
    """
    if threading.current_thread() is not threading.main_thread() or signal.getitimer(signal.ITIMER_REAL)[0]:
        yield
        return
    seconds = seconds_for(size)

    def late(number: int, frame: FrameType | None) -> NoReturn:
        raise TookTooLongError(f"It was not done within {seconds:.0f} seconds.")

    before = signal.signal(signal.SIGALRM, late)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
