"""Waiting for what is to come, in place of a stretch of time."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable


def until(condition: Callable[[], object], seconds: float = 300, every: float = 0.1) -> None:
    """Waits for a condition; each question costs what the work itself could use."""
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline, "it did not come to pass"
        threading.Event().wait(every)
