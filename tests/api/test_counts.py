"""Counts are made once for as long as they hold."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

from ivory_thistle.api.counts import Counts


def test_counted_once_until_forgotten() -> None:
    """Per capture and question; forgetting one capture leaves the others."""
    counts, made = Counts(), []

    def count(value: str) -> str:
        made.append(value)
        return value

    for _ in range(3):
        assert counts.get(1, "a", lambda: count("one")) == "one"
        assert counts.get(2, "a", lambda: count("two")) == "two"
        assert counts.get(1, "b", lambda: count("three")) == "three"
    assert made == ["one", "two", "three"]
    counts.forget(1)
    assert counts.get(1, "a", lambda: count("again")) == "again"
    assert counts.get(2, "a", lambda: count("never")) == "two"


def test_the_oldest_are_dropped() -> None:
    """Memory stays bounded: what was not asked for the longest goes first."""
    counts = Counts()
    for n in range(3_000):
        counts.get(1, str(n), lambda n=n: n)  # type: ignore[misc]
    assert counts.get(1, "2999", lambda: -1) == 2999
    assert counts.get(1, "0", lambda: -1) == -1


def test_heavy_ones_leave_room_for_fewer() -> None:
    """By what each takes; the newest stays, however heavy it is."""
    counts = Counts(most=10, weigh=len)
    for name in ("aaaa", "bbbb", "cccc"):
        counts.get(1, name, lambda name=name: name)  # type: ignore[misc]
    assert [counts.get(1, name, lambda: "") for name in ("cccc", "bbbb")] == ["cccc", "bbbb"]
    assert counts.get(1, "aaaa", lambda: "x" * 40) == "x" * 40
    assert counts.get(1, "aaaa", lambda: "") == "x" * 40
    assert counts.get(1, "cccc", lambda: "d") == "d"
    counts.forget(1)
    assert counts.get(1, "e", lambda: "e") == "e" and counts.get(1, "f", lambda: "f") == "f"
    assert counts.get(1, "e", lambda: "") == "e"


def test_several_that_ask_at_once_wait_for_one() -> None:
    """Ten threads, one count; one that fails leaves the next to count."""
    counts, made, asked = Counts(), [], threading.Semaphore(0)

    def slow() -> int:
        # The first is not done before all have asked.
        for _ in range(0 if made else 10):
            asked.acquire()
        made.append(1)
        if len(made) == 1:
            raise ValueError
        return 7

    def ask(_: int) -> int:
        asked.release()
        try:
            return counts.get(1, "a", slow)
        except ValueError:
            return 0

    with ThreadPoolExecutor(10) as pool:
        assert sorted(pool.map(ask, range(10))) == [0, *[7] * 9]
    assert len(made) == 2


def test_what_an_audit_overtakes_is_not_kept() -> None:
    """It was counted on what is no longer so."""
    counts = Counts()

    def overtaken() -> str:
        counts.forget(1)
        return "old"

    assert counts.get(1, "a", overtaken) == "old"
    assert counts.get(1, "a", lambda: "new") == "new"
