"""Counts over a whole capture, kept for as long as its audit stays the same."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

T = TypeVar("T")
_MOST = 2_000


class Counts:
    """A capture is never changed; its roles and findings are, by an audit: `forget` is told then."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, str], Any] = OrderedDict()
        self._lock = Lock()

    def get(self, capture_id: int, what: str, count: Callable[[], T]) -> T:
        """What was counted before, or is counted now."""
        key = (capture_id, what)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                known: T = self._kept[key]
                return known
        value = count()
        with self._lock:
            self._kept[key] = value
            if len(self._kept) > _MOST:
                self._kept.popitem(last=False)
        return value

    def forget(self, capture_id: int) -> None:
        """Counts of a capture are no longer current."""
        with self._lock:
            for key in [k for k in self._kept if k[0] == capture_id]:
                del self._kept[key]
