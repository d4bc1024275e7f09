"""Chromium's answers, recorded: daily tests hold our predictions against them without a browser.

`./thistle test --whole` asks Chromium again, writes what it says to tests/recorded, and fails where that is not what
was recorded, with the difference in words. Who then commits the new files accepts the drift.
"""

from __future__ import annotations

import json
import re
import subprocess
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, replace
from difflib import unified_diff
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest

from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.browser import MeasuredPlacement, PageMeasurement, measure_pages
from ivory_thistle.intake.chromium import browser_binary

PLACE = Path(__file__).with_name("recorded")
_MOST_LINES = 12


class Recording:
    """The answers to one test's questions, in a file of its own."""

    def __init__(self, test: str, whole: bool) -> None:
        self._place = PLACE / f"{_file_name(test)}.json"
        self._whole = whole
        self._kept: dict[str, Any] = json.loads(self._place.read_text()) if self._place.exists() else {}
        self._now: dict[str, Any] = {}

    def answer(self, question: str, ask: Callable[[], Any]) -> Any:
        """Chromium's answer as JSON has it: the recorded one by day, a fresh one in the whole."""
        if not self._whole:
            assert question in self._kept.get("answers", {}), f"{question}: never recorded; run ./thistle test --whole"
            return self._kept["answers"][question]
        self._now[question] = json.loads(json.dumps(ask()))
        return self._now[question]

    def close(self) -> None:
        """Writes what was asked; fails where Chromium says something else than was recorded."""
        if not self._whole or not self._now:
            return
        before = self._kept.get("answers")
        if before == self._now:
            return
        PLACE.mkdir(exist_ok=True)
        kept = {"browser": browser_version(), "answers": self._now}
        self._place.write_text(json.dumps(kept, ensure_ascii=False, separators=(",", ":"), sort_keys=True) + "\n")
        if before is not None:
            words = "\n".join(list(_differences(before, self._now))[:_MOST_LINES])
            pytest.fail(f"{browser_version()} answers otherwise than {self._kept['browser']}:\n{words}", pytrace=False)


@cache
def browser_version() -> str:
    """The browser's name and version."""
    call = [browser_binary() or "", "--version"]
    return subprocess.run(call, capture_output=True, text=True, check=True).stdout.strip()


def _differences(before: Any, now: Any) -> Iterator[str]:
    """Both sides line by line, those that differ."""
    sides = [json.dumps(side, indent=0, ensure_ascii=False, sort_keys=True).splitlines() for side in (before, now)]
    for line in unified_diff(*sides, "recorded", "now", n=0, lineterm=""):
        if not line.startswith(("---", "+++")):
            yield line[:300]


def _file_name(test: str) -> str:
    """Of a test's id: readable, and its own however long the id is."""
    path, _, name = test.partition("::")
    plain = re.sub(r"\W+", "-", f"{Path(path).stem.removeprefix('test_')}-{name.removeprefix('test_')}").strip("-")
    # Two ids may differ in signs alone.
    return f"{plain[:60].rstrip('-')}-{sha256(test.encode()).hexdigest()[:6]}" if "[" in name else plain


class RecordedMeasuring:
    """Stands in for `measure_pages`: the same measurements, from a recording."""

    def __init__(self, recording: Recording) -> None:
        self._recording, self._calls = recording, 0

    def __call__(
        self, address: str, pages: Sequence[str], screens: Sequence[Screen], on_page: Callable[[PageMeasurement], None],
        **others: Any,
    ) -> None:  # fmt: skip
        """Tells of each page on each screen, in the order of pages and screens."""
        assert not others.get("looks"), "what pages look like is not recorded"
        self._calls += 1

        def ask() -> dict[str, Any]:
            found: dict[str, Any] = {}

            def keep(measured: PageMeasurement) -> None:
                # What hangs on time (paints, shifts) is not recorded: it differs from one look to the next.
                boxes = tuple(_as_recorded(box, address) for box in measured.placements)
                # Which comes first is chance.
                came = tuple(sorted(measured.requests, key=lambda one: one.address))
                told = PageMeasurement(measured.page, measured.screen, boxes, came, problem=measured.problem)
                found[f"{measured.page} on {measured.screen}"] = asdict(told)

            measure_pages(address, pages, screens, keep, **others)
            return found

        told = self._recording.answer(f"measured {self._calls}", ask)
        for page in pages:
            for screen in screens:
                on_page(_measurement(told[f"{page} on {screen.name}"]))


def _as_recorded(box: MeasuredPlacement, address: str) -> MeasuredPlacement:
    """To a tenth of a CSS px, and without the port that the site was served on."""
    sides = {side: round(getattr(box, side), 1) for side in ("x", "y", "width", "height")}
    return replace(box, address=box.address.replace(address, "http://site.invalid"), **sides)


def _measurement(values: dict[str, Any]) -> PageMeasurement:
    lists = {
        "placements": tuple(MeasuredPlacement(**one) for one in values["placements"]),
        "requests": tuple(Loaded(**one) for one in values["requests"]),
        "shifting": tuple(values["shifting"]),
        "errors": tuple(values["errors"]),
    }
    return PageMeasurement(**{**values, **lists})
