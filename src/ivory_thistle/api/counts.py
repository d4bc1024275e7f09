"""Counts over a whole capture, kept for as long as its audit stays the same."""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

T = TypeVar("T")
_MOST = 2_000


class Counts:
    """A capture is never changed; its roles and findings are, by an audit: `forget` is told then.

    Of several that ask the same at once, one counts and the others wait for it. What was not asked for the longest is
    dropped when all that is kept comes to more than `most`, of which each takes as much as `weigh` says.
    """

    def __init__(self, most: int = _MOST, weigh: Callable[[Any], int] = lambda _: 1) -> None:
        self._most, self._weigh, self._weight = most, weigh, 0
        self._kept: OrderedDict[tuple[int, str], Any] = OrderedDict()
        self._audits: Counter[int] = Counter()
        self._counting: dict[tuple[int, str], Lock] = {}
        self._lock = Lock()

    def get(self, capture_id: int, what: str, count: Callable[[], T], keeps: Callable[[T], bool] = lambda _: True) -> T:
        """What was counted before, or is counted now; `keeps` tells whether that will stay true."""
        key = (capture_id, what)
        with self._lock:
            if key in self._kept:
                return self._known(key)  # type: ignore[no-any-return]
            mine = self._counting.setdefault(key, Lock())
        with mine:
            with self._lock:
                if key in self._kept:
                    return self._known(key)  # type: ignore[no-any-return]
                begun = self._audits[capture_id]
            value = count()
            with self._lock:
                self._counting.pop(key, None)
                # What an audit has overtaken is true for this answer alone.
                if begun == self._audits[capture_id] and keeps(value):
                    self._kept[key] = value
                    self._weight += self._weigh(value)
                while self._weight > self._most and len(self._kept) > 1:
                    self._drop(next(iter(self._kept)))
        return value

    def _known(self, key: tuple[int, str]) -> Any:
        self._kept.move_to_end(key)
        return self._kept[key]

    def _drop(self, key: tuple[int, str]) -> None:
        self._weight -= self._weigh(self._kept.pop(key))

    def forget(self, capture_id: int) -> None:
        """Counts of a capture are no longer current."""
        with self._lock:
            self._audits[capture_id] += 1
            for key in [k for k in self._kept if k[0] == capture_id]:
                self._drop(key)
