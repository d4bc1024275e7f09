"""A report on a treatment: what every page weighs before and after, on every screen and in every tier, and why."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate

from ivory_thistle.core.budgets.budget import BudgetState, state_of
from ivory_thistle.core.budgets.connection import DEFAULT_CONNECTIONS, Connection
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.reports.audience import Audience
from ivory_thistle.core.reports.groups import Group
from ivory_thistle.core.reports.predicted import Families, PageLoads
from ivory_thistle.core.reports.weight import NOTHING, Measured, Weight
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen

DATA_PLAN = 10_000_000_000
"""Bytes of the monthly plan that a visit is held against: 10 GB."""


@dataclass(frozen=True, slots=True)
class Change:
    """One picture of a page: the file loaded before (None: none was), and the one loaded after."""

    before: Loaded | None
    after: Loaded | None

    @property
    def saved(self) -> int:
        """Bytes that are not loaded any more."""
        return (self.before.bytes if self.before else 0) - (self.after.bytes if self.after else 0)


@dataclass(frozen=True, slots=True)
class PageRow:
    """One page on one screen in one tier. `measured` is there where Chromium loaded both sides.

    `changes` are its pictures, the heaviest before first; empty where nobody asked for them.
    """

    page: str
    screen: str
    tier: Tier
    before: Weight
    after: Weight
    measured: Measured | None = None
    changes: tuple[Change, ...] = ()

    @property
    def is_heavier(self) -> bool:
        """Whether the page weighs more than before, at opening or scrolled through, foretold or measured."""
        pairs = [(self.before, self.after)]
        if self.measured:
            pairs.append((self.measured.before, self.measured.after))
        return any(a.opening > b.opening or a.scrolled > b.scrolled for b, a in pairs)


PageWeights = Mapping[tuple[str, str, Tier], Sequence[Loaded]]
"""What pages were seen to load, by page, screen and tier."""


def page_rows(loads: Iterable[PageLoads], families: Mapping[str, Families], seen: PageWeights) -> tuple[PageRow, ...]:
    """A row for each page, screen and tier; what was `seen` before the treatment counts before what was foretold."""
    return tuple(
        page_row(_as_seen(one, families[one.page], seen.get((one.page, one.screen, one.tier))), families[one.page])
        for one in loads
    )


def _as_seen(loads: PageLoads, families: Families, seen: Sequence[Loaded] | None) -> PageLoads:
    """The loads with what was seen before. What a script loads, no markup foretells: it stays as it was."""
    if seen is None:
        return loads
    foretold = {families.of(one.path) for one in loads.before}
    by_script = tuple(one for one in seen if families.of(one.path) not in foretold)
    return replace(loads, before=tuple(seen), after=(*loads.after, *by_script))


def page_row(loads: PageLoads, families: Families) -> PageRow:
    """The row of a page's loads; files before and after are paired by the picture that they show."""
    sides: dict[str, tuple[list[Loaded], list[Loaded]]] = defaultdict(lambda: ([], []))
    for side, loaded in enumerate((loads.before, loads.after)):
        for one in loaded:
            sides[families.of(one.path)][side].append(one)
    changes = [change for before, after in sides.values() for change in _paired(before, after)]
    changes.sort(key=lambda c: -max(c.before.bytes if c.before else 0, c.after.bytes if c.after else 0))
    return PageRow(
        loads.page, loads.screen, loads.tier, Weight.of(loads.before), Weight.of(loads.after), changes=tuple(changes)
    )


def _paired(before: Sequence[Loaded], after: Sequence[Loaded]) -> Iterable[Change]:
    """A picture that is loaded in several sizes has several changes; those left alone come first."""
    same = {one.path: one for one in after}
    rest = [one for one in after if all(one.path != b.path for b in before)]
    for one in before:
        yield Change(one, same.get(one.path) or (rest.pop(0) if rest else None))
    for one in rest:
        yield Change(None, one)


@dataclass(frozen=True, slots=True)
class MadeFile:
    """One new file of an image."""

    path: str
    tier: Tier
    format: str
    width: int
    height: int
    bytes: int
    score: float | None = None


@dataclass(frozen=True, slots=True)
class ImageLine:
    """An image in use and what became of it; `state` is treated, left, held or failed, `reason` says why."""

    path: str
    format: str
    width: int
    height: int
    bytes: int
    role: str = ""
    kind: str = ""
    pages: int = 0
    state: str = "treated"
    reason: str = ""
    files: tuple[MadeFile, ...] = ()


@dataclass(frozen=True, slots=True)
class Checked:
    """What a check said: when it ended (empty: not told), of how many loads of pages, and how many failed."""

    at: str
    loads: int
    failed: int


@dataclass(frozen=True, slots=True)
class ByReference:
    """The site with each file once: bytes before, after by tier, by group; and the new files beside the originals."""

    before: int
    after: Mapping[Tier, int]
    groups: tuple[Group, ...] = ()
    new_files: int = 0
    new_bytes: int = 0


@dataclass(frozen=True, slots=True)
class Report:
    """Everything that a report tells; it holds nothing of the machine that it was made on."""

    site: str
    form: str
    screens: tuple[Screen, ...]
    tiers: tuple[Tier, ...]
    rows: tuple[PageRow, ...]
    by_reference: ByReference
    audience: Audience
    policy: Policy = field(default_factory=Policy)
    connections: tuple[Connection, ...] = DEFAULT_CONNECTIONS
    images: tuple[ImageLine, ...] = ()
    checked: Checked | None = None

    def of(self, screen: str, tier: Tier) -> tuple[PageRow, ...]:
        """The rows of one screen and tier."""
        return tuple(row for row in self.rows if row.screen == screen and row.tier == tier)

    @property
    def pages(self) -> tuple[str, ...]:
        """All pages, in the order of the rows."""
        return tuple(dict.fromkeys(row.page for row in self.rows))


@dataclass(frozen=True, slots=True)
class Total:
    """All pages on one screen in one tier: bytes and requests, and how many are over their budget.

    `heavier` are pages that weigh more than before. `measured_*` are None unless every page was measured.
    """

    screen: str
    tier: Tier
    pages: int
    before: int
    after: int
    requests_before: int
    requests_after: int
    over_before: int
    over_after: int
    heavier: tuple[str, ...]
    measured_before: int | None = None
    measured_after: int | None = None


def total(rows: Sequence[PageRow], policy: Policy, opening: bool) -> Total:
    """The sum of rows of one screen and tier, at opening or scrolled through."""
    first = rows[0] if rows else PageRow("", "", "", NOTHING, NOTHING)
    measured = [row.measured for row in rows if row.measured]
    whole = bool(rows) and len(measured) == len(rows)
    return Total(
        screen=first.screen,
        tier=first.tier,
        pages=len(rows),
        before=sum(row.before.bytes(opening) for row in rows),
        after=sum(row.after.bytes(opening) for row in rows),
        requests_before=sum(row.before.count(opening) for row in rows),
        requests_after=sum(row.after.count(opening) for row in rows),
        over_before=sum(states(row, policy, opening)[0] == "over" for row in rows),
        over_after=sum(states(row, policy, opening)[1] == "over" for row in rows),
        heavier=tuple(row.page for row in rows if row.is_heavier),
        measured_before=sum(m.before.bytes(opening) for m in measured) if whole else None,
        measured_after=sum(m.after.bytes(opening) for m in measured) if whole else None,
    )


def totals(report: Report, opening: bool) -> tuple[Total, ...]:
    """The totals of all screens and tiers."""
    found = (report.of(screen.name, tier) for screen in report.screens for tier in report.tiers)
    return tuple(total(rows, report.policy, opening) for rows in found if rows)


def states(row: PageRow, policy: Policy, opening: bool = True) -> tuple[BudgetState, BudgetState]:
    """How a page stands against its budget of bytes before and after, at opening or scrolled through."""
    allowed = policy.allowed(row.page, row.screen).bytes
    return state_of(row.before.bytes(opening), allowed), state_of(row.after.bytes(opening), allowed)


@dataclass(frozen=True, slots=True)
class Expected:
    """A visit of one page as the audience makes it, in the mean: bytes at opening and scrolled through."""

    before_opening: float
    after_opening: float
    before: float
    after: float

    @property
    def plan_share(self) -> float:
        """The share of a data plan that a page view takes after the treatment, scrolled through."""
        return self.after / DATA_PLAN


def expected(report: Report) -> Expected:
    """The mean over pages, screens and tiers, each as often as it is visited."""
    weights = report.audience.weights(report.screens, report.pages)
    sums = [0.0, 0.0, 0.0, 0.0]
    for row in report.rows:
        share = weights.get((row.page, row.screen, row.tier), 0.0)
        for n, size in enumerate((row.before.opening, row.after.opening, row.before.scrolled, row.after.scrolled)):
            sums[n] += share * size
    return Expected(*sums)


@dataclass(frozen=True, slots=True)
class StillOver:
    """A page that is over its budget after the treatment: by how many bytes, why, and what would be needed.

    `heaviest` are the files that it loads, the heaviest first.
    """

    page: str
    screen: str
    tier: Tier
    bytes: int
    allowed: int
    heaviest: tuple[Loaded, ...]

    @property
    def over(self) -> int:
        """Bytes too many."""
        return self.bytes - self.allowed

    @property
    def words(self) -> str:
        """What would be needed, in a sentence."""
        share = f"Its pictures would have to lose another {100 * self.over / self.bytes:.0f} %"
        sums = accumulate(one.bytes for one in self.heaviest)
        count = next((n for n, found in enumerate(sums, 1) if found >= self.over), len(self.heaviest))
        without = "picture" if count == 1 else f"{count} pictures"
        return f"{share}, or the page would have to do without its heaviest {without}."


def still_over(rows: Iterable[PageRow], policy: Policy, opening: bool = True) -> tuple[StillOver, ...]:
    """The pages over budget after the treatment, the furthest first. `rows` have their changes."""
    found = []
    for row in rows:
        allowed, size = policy.allowed(row.page, row.screen).bytes, row.after.bytes(opening)
        if size > allowed:
            files = [c.after for c in row.changes if c.after and (c.after.opening or not opening)]
            files.sort(key=lambda f: -f.bytes)
            found.append(StillOver(row.page, row.screen, row.tier, size, allowed, tuple(files)))
    return tuple(sorted(found, key=lambda s: -s.over))
