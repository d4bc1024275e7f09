"""Which tests run by day: a part that covers every kind of behaviour, in a few minutes; `--whole` runs all of them.

- `whole`: never by day.
- `daily(n)`: of a test's many cases, n are run by day, drawn by the seed, so that all have their day.
- `--seed`: the day's date where none is given; it is printed, and the same seed draws the same cases.

A test that is named (by its id or -k) always runs, with all of its cases.
"""

from __future__ import annotations

import os
import random
from collections import defaultdict
from collections.abc import Iterator
from datetime import date

import pytest

from cpu import tree_seconds

BUDGET_SECONDS, SLOW_BUDGET_SECONDS = 10.0, 45.0
"""CPU that a test of every day may take, and one that is marked `slow`; `slow(n)` may take n seconds."""


def pytest_addoption(parser: pytest.Parser) -> None:
    """The two options."""
    parser.addoption("--whole", action="store_true", help="run everything, not the part of every day")
    parser.addoption("--seed", default=date.today().isoformat(), help="what draws the cases of a day (its date)")


def pytest_configure(config: pytest.Config) -> None:
    """Says in the environment what is run, for what processes of tests do."""
    if config.getoption("whole"):
        os.environ.pop("THISTLE_DAILY", None)
    else:
        os.environ["THISTLE_DAILY"] = "1"
    config.pluginmanager.register(_ToldAtOnce(config))


def pytest_report_header(config: pytest.Config) -> str:
    """How to run the same again."""
    if config.getoption("whole"):
        return "everything"
    return f"the part of every day; ./thistle test --seed {config.getoption('seed')} runs the same cases"


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leaves out what is not for today."""
    named = config.getoption("keyword") or any("::" in one for one in config.args)
    if config.getoption("whole") or named:
        return
    drawn = _drawn(items, config.getoption("seed"))
    today = [i for i in items if not i.get_closest_marker("whole") and drawn.get(i.nodeid, True)]
    config.hook.pytest_deselected(items=[i for i in items if i not in set(today)])
    items[:] = today


def _drawn(items: list[pytest.Item], seed: str) -> dict[str, bool]:
    """Of the cases of tests with a `daily` mark, whether each is run."""
    cases: dict[str, list[pytest.Item]] = defaultdict(list)
    for item in items:
        if item.get_closest_marker("daily"):
            cases[item.nodeid.partition("[")[0]].append(item)
    found = {}
    for name, all_of_it in cases.items():
        mark = all_of_it[0].get_closest_marker("daily")
        assert mark is not None
        chosen = random.Random(f"{seed} {name}").sample(all_of_it, min(mark.args[0], len(all_of_it)))
        found |= {item.nodeid: item in chosen for item in all_of_it}
    return found


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call(item: pytest.Item) -> Iterator[None]:
    """Holds a test of every day to its CPU time: a busy machine makes none slower by that."""
    before = tree_seconds()
    outcome = yield
    took = tree_seconds() - before
    item.user_properties.append(("cpu", round(took, 2)))
    slow = item.get_closest_marker("slow")
    allowed = (slow.args[0] if slow.args else SLOW_BUDGET_SECONDS) if slow else BUDGET_SECONDS
    if took > allowed and not item.config.getoption("whole") and not item.get_closest_marker("whole"):
        pytest.fail(
            f"It took {took:.1f} s of CPU; by day {allowed:g} s are allowed. Mark it, or make it less.", pytrace=False
        )
    return outcome


class _ToldAtOnce:
    """Names a test that failed when it does: whoever watches need not wait for the end."""

    def __init__(self, config: pytest.Config) -> None:
        self._config = config

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """One line, with where it broke."""
        terminal = self._config.pluginmanager.get_plugin("terminalreporter")
        if report.failed and terminal:
            words = report.longreprtext.strip().splitlines()
            terminal.ensure_newline()
            terminal.write_line(f"failed: {report.nodeid[:150]}: {words[-1][:200] if words else report.when}")


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """What took most, in seconds of CPU."""
    took = [
        (dict(report.user_properties)["cpu"], report.nodeid)
        for report in terminalreporter.getreports("passed") + terminalreporter.getreports("failed")
        if report.when == "call" and "cpu" in dict(report.user_properties)
    ]
    if took:
        terminalreporter.write_line(f"{sum(seconds for seconds, _ in took):.0f} s of CPU in all; most of it:")
    for seconds, name in sorted(took, reverse=True)[: terminalreporter.config.getoption("durations") or 5]:
        terminalreporter.write_line(f"{seconds:8.1f}  {name[:150]}")
