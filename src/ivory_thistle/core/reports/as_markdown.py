"""A report as Markdown, short enough to paste into a pull request."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from ivory_thistle.core.reports.report import PageRow, Report, expected, states, still_over, totals
from ivory_thistle.core.reports.sentences import headline, less, main_view, plain_bytes

_MOST_PAGES = 20
_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~&@]|:(?=//)|(?<=[wW])\.)")
"""What has a meaning in Markdown, and in addresses that GitHub makes links of without being asked
(https://github.github.com/gfm/#autolinks-extension-)."""


def report_markdown(report: Report) -> str:
    """The headline, all totals, and the pages that save most (on the view that the headline tells)."""
    return "\n".join(_lines(report)) + "\n"


def _lines(report: Report) -> Iterator[str]:
    screen, tier = main_view(report)
    yield f"## Image weight of {_escaped(report.site)}"
    yield ""
    yield _escaped(headline(report))
    if not report.rows:
        return
    yield ""
    yield "| Screen | Browsers | Before | After | Saved | Requests | Over budget |"
    yield "|---|---|---:|---:|---:|---:|---:|"
    for t in totals(report, opening=True):
        requests, over = f"{t.requests_before:,} → {t.requests_after:,}", f"{t.over_before} → {t.over_after}"
        cells = (t.screen, t.tier, plain_bytes(t.before), plain_bytes(t.after), less(t.before, t.after), requests, over)
        yield f"| {' | '.join(map(_escaped, cells))} |"
    mean = expected(report)
    yield ""
    before, after = plain_bytes(mean.before), plain_bytes(mean.after)
    yield f"A page view scrolled through, in the mean of all visitors: {before} before, {after} after."
    yield ""
    yield from _pages(report.of(screen, tier), report)
    for one in still_over(report.of(screen, tier), report.policy):
        yield f"- {_escaped(one.page)} is still {plain_bytes(one.over)} over its budget. {_escaped(one.words)}"


def _pages(rows: Sequence[PageRow], report: Report) -> Iterator[str]:
    best = sorted(rows, key=lambda r: r.after.opening - r.before.opening)
    yield "| Page | Before | After | Saved | Budget |"
    yield "|---|---:|---:|---:|---|"
    for row in best[:_MOST_PAGES]:
        before, after = row.before.opening, row.after.opening
        was, now = states(row, report.policy)
        cells = (row.page, plain_bytes(before), plain_bytes(after), less(before, after), f"{was} → {now}")
        yield f"| {' | '.join(map(_escaped, cells))} |"
    if len(best) > _MOST_PAGES:
        yield f"\n{len(best) - _MOST_PAGES} more pages."
    yield ""


def _escaped(text: str) -> str:
    """Text that Markdown shows as it is."""
    return _SPECIAL.sub(r"\\\1", " ".join(text.split()))
