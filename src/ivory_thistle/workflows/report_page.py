"""A report as one HTML page that needs no network and no script, and as PDF."""

from __future__ import annotations

from base64 import b64encode
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import pyvips
from jinja2 import Environment, PackageLoader, StrictUndefined

from ivory_thistle.core.formats.tiers import TIERS, Tier, and_older
from ivory_thistle.core.reports.browser_shares import SHARES_DATE, SHARES_SOURCE
from ivory_thistle.core.reports.report import (
    DATA_PLAN,
    ImageLine,
    MadeFile,
    PageRow,
    Report,
    expected,
    states,
    still_over,
    totals,
)
from ivory_thistle.core.reports.sentences import headline, less, main_view, plain_bytes
from ivory_thistle.intake.printing import print_html

_MOST_DETAILED, _MOST_IMAGES, _MOST_PAGES = 60, 60, 2_000
_SIDE, _QUALITY = 96, 55
_MOST_THUMBNAIL = 6_000
"""Bytes of one thumbnail; a larger one is left out."""
_GROUPS = ("role", "format", "folder", "kind")
_MOST_GROUPS = 12

Thumbnails = Callable[[str], bytes | None]
"""Gives a small picture of an image by its path; None where there is none."""


@dataclass(frozen=True, slots=True)
class _Strip:
    row: PageRow
    allowed: int
    was: str
    now: str
    before_width: float
    after_width: float
    allowed_at: float


@dataclass(frozen=True, slots=True)
class _Treated:
    line: ImageLine
    file: MadeFile
    thumbnail: str


def report_html(report: Report, thumbnails: Thumbnails = lambda path: None) -> bytes:
    """The report as a page of its own. What sites and people wrote is text in it, never markup."""
    environment = Environment(
        loader=PackageLoader("ivory_thistle", "workflows"), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    environment.filters |= {"size": plain_bytes, "share": lambda value: f"{value:.2g}"}
    screen, tier = main_view(report)
    main_rows = report.of(screen, tier)
    images = sorted(_treated(report, tier), key=lambda pair: pair[1].bytes - pair[0].bytes)
    lines = report.connections
    text = environment.get_template("report_page.html").render(
        report=report, headline=headline(report), screen=screen, tier=tier, less=less, words=_words,
        heavier=sorted({row.page for row in report.rows if row.is_heavier}),
        mean=expected(report), plan=DATA_PLAN, views=report.audience.total_views(report.pages),
        totals=totals(report, opening=True), line=lines[len(lines) // 2], pages=_strips(main_rows, report),
        over=still_over(main_rows, report.policy), rows=_detailed(report),
        images=[_Treated(line, file, _embedded(thumbnails(line.path))) for line, file in images[:_MOST_IMAGES]],
        more_images=max(0, len(images) - _MOST_IMAGES), left=_left(report), whole=report.by_reference,
        parts=[
            (by, some) for by in _GROUPS
            if (some := [g for g in report.by_reference.groups if g.by == by][:_MOST_GROUPS])
        ],
        source=SHARES_SOURCE, date=SHARES_DATE,
    )  # fmt: skip
    return text.encode()


def pictured(report: Report) -> list[str]:
    """The images that the page shows small, by path."""
    pairs = sorted(_treated(report, main_view(report)[1]), key=lambda pair: pair[1].bytes - pair[0].bytes)
    return [line.path for line, _ in pairs[:_MOST_IMAGES]]


def report_pdf(report: Report, thumbnails: Thumbnails = lambda path: None) -> bytes:
    """The same page, printed by Chromium. Raises UnusableInput where none is installed."""
    return print_html(report_html(report, thumbnails))


def _words(tier: Tier) -> str:
    return TIERS[tier].words if tier in TIERS else f"browsers that show {tier}"


def _strips(rows: Sequence[PageRow], report: Report) -> list[_Strip]:
    """The pages, the heaviest before first; all on one scale."""
    allowed = {row.page: report.policy.allowed(row.page, row.screen).bytes for row in rows}
    # One page that is allowed far more than any weighs does not make all others small.
    scale = max([1, *(max(row.before.opening, row.after.opening) for row in rows)]) * 1.05
    found = []
    for row in sorted(rows, key=lambda r: -r.before.opening)[:_MOST_PAGES]:
        was, now = states(row, report.policy)
        at = min(99.5, 100 * allowed[row.page] / scale)
        before, after = (round(100 * size / scale, 2) for size in (row.before.opening, row.after.opening))
        found.append(_Strip(row, allowed[row.page], was, now, before, after, round(at, 2)))
    return found


def _detailed(report: Report) -> list[tuple[str, list[PageRow]]]:
    """The rows of each page; nothing for a site of so many pages that nobody would read it here."""
    by_page: dict[str, list[PageRow]] = defaultdict(list)
    for row in report.rows:
        by_page[row.page].append(row)
    return list(by_page.items()) if len(by_page) <= _MOST_DETAILED else []


def _treated(report: Report, tier: Tier) -> list[tuple[ImageLine, MadeFile]]:
    """Each treated image with the widest file that the tier's browsers show."""
    older = and_older(tier) if tier in TIERS else ()
    found = []
    for line in report.images:
        shown = [f for f in line.files if f.tier in older]
        best = max(shown, key=lambda f: (-older.index(f.tier), f.width), default=None)
        if best:
            found.append((line, best))
    return found


def _left(report: Report) -> list[tuple[str, list[ImageLine]]]:
    """Images that stay as they were, by reason, the most bytes first."""
    by_reason: dict[str, list[ImageLine]] = defaultdict(list)
    for line in report.images:
        if line.state != "treated":
            by_reason[line.reason or "No smaller file was worth it."].append(line)
    return sorted(by_reason.items(), key=lambda item: -sum(line.bytes for line in item[1]))


def _embedded(picture: bytes | None) -> str:
    """A thumbnail as a data URI, small; empty where there is none. `picture` is one that we made ourselves."""
    if not picture:
        return ""
    try:
        small = pyvips.Image.thumbnail_buffer(picture, _SIDE, height=_SIDE, size="down")
        data = bytes(small.webpsave_buffer(Q=_QUALITY, effort=4, keep="none"))
    except pyvips.Error:
        return ""
    return f"data:image/webp;base64,{b64encode(data).decode()}" if len(data) <= _MOST_THUMBNAIL else ""
