"""Counts are made once for as long as they hold."""

from __future__ import annotations

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
