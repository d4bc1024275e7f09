"""The sentences of a report, in words for those who pay for a site as well as for those who make it."""

from __future__ import annotations

from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.reports.report import Report, total

_MB = 1_000_000


def plain_bytes(size: float) -> str:
    """Bytes in GB, MB or kB of 1,000, with as many digits as one reads."""
    if abs(size) >= 999.95 * _MB:
        return f"{size / _MB / 1000:,.1f} GB"
    if abs(size) >= _MB:
        return f"{size / _MB:,.1f} MB"
    if abs(size) >= 9_950:
        return f"{size / 1000:,.0f} kB"
    return f"{size / 1000:.1f} kB" if size else "0 kB"


def less(before: float, after: float) -> str:
    """By how many per cent something became less, or more."""
    if not before:
        return "0 %"
    share = 100 * (before - after) / before
    if 99.5 <= share < 100:
        # Nothing is "100 % less" while something is left.
        return f"{min(share, 99.9):.1f} % less"
    return f"{share:.0f} % less" if share >= 0 else f"{-share:.0f} % more"


def main_view(report: Report) -> tuple[str, Tier]:
    """The screen and the tier that a report is told for first: the most visited ones."""
    screens, tiers = report.audience.screens, report.audience.tiers
    screen = max((s.name for s in report.screens), key=lambda name: screens.get(name, 0.0), default="")
    tier = max(report.tiers, key=lambda name: tiers.get(name, 0.0), default="")
    return screen, tier


def headline(report: Report, screen: str = "", tier: Tier = "", opening: bool = True) -> str:
    """What came of it, in one sentence; of the most visited screen and tier where none are given."""
    first = main_view(report)
    if not report.rows:
        whole = report.by_reference
        after = whole.after.get(tier or first[1], whole.before)
        return f"The images in use weigh {plain_bytes(after)} instead of {plain_bytes(whole.before)}, each file once."
    screen, tier = screen or first[0], tier or first[1]
    t = total(report.of(screen, tier), report.policy, opening)
    words = TIERS[tier].words if tier in TIERS else f"browsers that show {tier}"
    pages = "1 page weighs" if t.pages == 1 else f"{t.pages:,} pages weigh"
    when = "at opening" if opening else "scrolled through"
    over = "none is over budget any more" if t.over_before else "none is over budget"
    if t.over_after:
        over = "1 is still over budget" if t.over_after == 1 else f"{t.over_after:,} are still over budget"
    weights = f"{plain_bytes(t.after)} instead of {plain_bytes(t.before)}"
    return f"On a {screen}, for {words}, {pages} {weights} {when}; {over}."
