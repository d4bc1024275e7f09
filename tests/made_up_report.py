"""A made-up report for tests, whose names hold what markup, tables and spreadsheets could take wrongly."""

from __future__ import annotations

from dataclasses import replace

from ivory_thistle.core.reports.audience import usual_audience
from ivory_thistle.core.reports.groups import Group
from ivory_thistle.core.reports.report import ByReference, Checked, ImageLine, MadeFile, PageRow, Report
from ivory_thistle.core.reports.weight import Weight
from ivory_thistle.core.selection.screen import Screen

PHONE, DESKTOP = Screen("phone", 390, 844, 3), Screen("desktop", 1920, 1080)
TIERS = ("avif", "webp", "baseline")


def row(page: str, before: int, after: int, screen: str = "phone", tier: str = "avif") -> PageRow:
    """A page whose pictures all come at opening."""
    return PageRow(page, screen, tier, Weight(before, before, 3, 3), Weight(after, after, 2, 2))


def a_report(**others: object) -> Report:
    """Two pages on two screens in all tiers; names hold what markup, tables and spreadsheets could take wrongly."""
    names = ('news/<script>alert("1")</script>|*_.html', "=cmd()|' /C calc'!A0.html")
    rows = tuple(
        row(page, 6_000_000 - 100_000 * n, 900_000 + 50_000 * n, screen.name, tier)
        for page in names for screen in (PHONE, DESKTOP) for n, tier in enumerate(TIERS)
    )  # fmt: skip
    images = (
        ImageLine("img/<b>a.jpg", "jpeg", 4000, 3000, 5_000_000, "hero", "photograph", 2,
                  files=(MadeFile("img/a-800.avif", "avif", "avif", 800, 600, 90_000, 75.2),)),
        ImageLine("img/b.gif", "gif", 9, 9, 99, "icon", "graphic", 1, "left", "Already small: under 6 kB."),
    )  # fmt: skip
    whole = ByReference(
        9_000_000, {"avif": 1, "webp": 2, "baseline": 3},
        (Group("role", "hero", 1, 9_000_000, {"avif": 1, "webp": 2, "baseline": 3}),), 4, 99,
    )  # fmt: skip
    plain = Report(
        "Tea & <i>cake</i>", "markup", (PHONE, DESKTOP), TIERS, rows, whole, usual_audience((PHONE, DESKTOP)),
        images=images, checked=Checked("2026-11-26 10:00 UTC", 12, 0),
    )  # fmt: skip
    return replace(plain, **others)  # type: ignore[arg-type]
