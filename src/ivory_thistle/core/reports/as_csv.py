"""A report as CSV: a row for each page, screen and tier."""

from __future__ import annotations

from collections.abc import Sequence

from ivory_thistle.core.cells import csv_of
from ivory_thistle.core.reports.report import PageRow, Report, states
from ivory_thistle.core.reports.weight import Weight

_WEIGHT = ("opening", "scrolled", "requests_at_opening", "requests")


def report_csv(report: Report) -> bytes:
    """RFC 4180 CSV. Sizes are in bytes, seconds are for what comes at opening, paints are in milliseconds.

    Measured columns are empty where no browser loaded the page.
    """
    sides = ("before", "after", "measured_before", "measured_after")
    head = [
        "page", "screen", "tier", *(f"{side}_{name}" for side in sides for name in _WEIGHT),
        "saved_opening", "saved_scrolled", "allowed", "state_before", "state_after",
        *(f"seconds_{side} ({line.name})" for line in report.connections for side in ("before", "after")),
        "paint_before", "paint_after",
    ]  # fmt: skip
    return csv_of([head, *([row.page, *_cells(row, report)] for row in report.rows)])


def _cells(row: PageRow, report: Report) -> Sequence[object]:
    measured = row.measured
    waits = (round(line.seconds(w.opening), 2) for line in report.connections for w in (row.before, row.after))
    return [
        row.screen, row.tier, *_weight(row.before), *_weight(row.after),
        *_weight(measured.before if measured else None), *_weight(measured.after if measured else None),
        row.before.opening - row.after.opening, row.before.scrolled - row.after.scrolled,
        report.policy.allowed(row.page, row.screen).bytes, *states(row, report.policy), *waits,
        measured.paint_before if measured else None, measured.paint_after if measured else None,
    ]  # fmt: skip


def _weight(weight: Weight | None) -> Sequence[int | None]:
    return [getattr(weight, name) if weight else None for name in _WEIGHT]
