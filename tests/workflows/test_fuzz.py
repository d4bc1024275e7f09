"""Published files changed at random: everything that reads them takes them, in time and within its memory."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from fuzz import TARGETS, corpora, tried

pytestmark = pytest.mark.whole

COUNTS = {"picture": 200, "zip": 200, "har": 200, "web": 60}


@pytest.fixture(scope="module")
def corpus() -> Iterator[Path]:
    """Seeds of every kind."""
    with corpora() as folder:
        yield folder


@pytest.mark.parametrize("target", TARGETS)
def test_hostile_input_is_taken(corpus: Path, target: str) -> None:
    """A fixed part; ./thistle fuzz MINUTES tries others for as long as one likes."""
    assert [found.words for found in tried(corpus, target, 1, COUNTS.get(target, 120))] == []
