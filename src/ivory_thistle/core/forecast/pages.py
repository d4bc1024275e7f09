"""What pages will load: the pictures they load now, each replaced by the file that its boxes will ask for."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import hypot, inf
from typing import NamedTuple

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.expected import Expected, Rungs
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.treatment.roles import Slot

_ANY = (inf,)
LIKELY = 1.28
"""Standard deviations on either side that hold eight cases of ten, of a normal distribution."""


@dataclass(frozen=True, slots=True)
class Range:
    """Bytes (or seconds) that are most likely, and between which eight cases of ten will lie."""

    low: int
    likely: int
    high: int

    @classmethod
    def around(cls, likely: float, off: float) -> Range:
        """The range around a value with that standard deviation; nothing falls below zero."""
        return cls(max(0, round(likely - LIKELY * off)), round(likely), round(likely + LIKELY * off))


class Part(NamedTuple):
    """One file that a page will load: of which image (empty: of none that is treated), its bytes, and when."""

    path: str
    image: str
    before: int
    after: int
    opening: bool


@dataclass(frozen=True, slots=True)
class PageForecast:
    """What one page loads on one screen in one tier, now and after the treatment."""

    page: str
    screen: str
    tier: Tier
    parts: tuple[Part, ...]

    def before(self, opening: bool) -> int:
        """Bytes that it loads now."""
        return sum(p.before for p in self.parts if p.opening or not opening)

    def after(self, opening: bool) -> int:
        """Bytes that it will load, most likely."""
        return sum(p.after for p in self.parts if p.opening or not opening)


Stays = Mapping[str, Collection[str]]
"""By page, the files that it goes on loading, whatever is made of them: nothing safe takes their place there."""
NOTHING_STAYS: Stays = {}


class Pages:
    """Asks what the pages of a site will load once its images are treated."""

    def __init__(
        self, site: SiteReading, expected: Mapping[str, Expected], slots: Iterable[Slot], stays: Stays = NOTHING_STAYS
    ) -> None:
        """`expected` by path of the image; an image that another one's ladder stands for has that one's files."""
        self._site, self._expected, self._stays = site, expected, stays
        self._rungs_of: dict[Tier, dict[str, Rungs]] = defaultdict(dict)
        self._known: dict[tuple[str, str], dict[str, tuple[Expected | None, Collection[float]]]] = defaultdict(dict)
        self._needed: dict[tuple[str, str, str], set[float]] = defaultdict(set)
        for slot in slots:
            image = site.by_path.get(slot.path)
            if image and slot.width > 0 and image.facts.width:
                # Browsers ask for all of their density, also where two pixels a CSS pixel would do.
                needed = slot.drawn_width(image.facts.height / image.facts.width) * slot.screen.density
                self._needed[slot.page, slot.screen.name, image.path].add(
                    inf if slot.fit.startswith("auto") else needed
                )

    def of(self, weights: PageWeights) -> tuple[PageForecast, ...]:
        """Every page, screen and tier that was weighed; without any, every page as its markup names its files."""
        known = weights or self._as_named()
        return tuple(
            PageForecast(page, screen, tier, self._parts(page, screen, tier, loaded))
            for (page, screen, tier), loaded in known.items()
        )

    def _as_named(self) -> dict[tuple[str, str, Tier], tuple[Loaded, ...]]:
        found: dict[tuple[str, str, Tier], tuple[Loaded, ...]] = {}
        for page in self._site.pages:
            sizes = ((path, self._site.files[path].bytes) for path in page.files if path in self._site.files)
            named = tuple(Loaded(path, path, size, opening=True) for path, size in sizes)
            found |= {(page.path, "", tier): named for tier in TIERS}
        return found

    def _parts(self, page: str, screen: str, tier: Tier, loaded: Sequence[Loaded]) -> tuple[Part, ...]:
        """What becomes of each file; files of one image that come to the same one are loaded once."""
        known, rungs_of = self._known[page, screen], self._rungs_of[tier]
        seen: set[tuple[str, int]] = set()
        found: list[Part] = []
        for one in loaded:
            path, before, opening = one.path, one.bytes, one.opening
            asked = known.get(path)
            if asked is None:
                asked = known[path] = self._asked(page, screen, path)
            files, boxes = asked
            if files is None:
                found.append(Part(path, "", before, before, opening))
                continue
            image = files.path
            limits, rungs = rungs_of.get(image) or rungs_of.setdefault(image, files.rungs(tier))
            after = 0
            for needed in boxes:
                n = bisect_left(limits, needed)
                width, size = rungs[n] if n < len(rungs) else (0, before)
                if (image, width) not in seen:
                    after += size
                    seen.add((image, width))
            found.append(Part(path, image, before, after, opening))
        return tuple(found)

    def _asked(self, page: str, screen: str, path: str) -> tuple[Expected | None, Collection[float]]:
        """What stands for a file on a page and screen (None: it stays), and how many pixels its boxes ask for."""
        image = self._site.by_path.get(path)
        files = self._expected.get(image.path) if image else None
        if not image or not files or path in self._stays.get(page, ()):
            return None, ()
        return files, self._needed.get((page, screen, image.path), _ANY)


@dataclass(frozen=True, slots=True)
class Total:
    """All pages on one screen in one tier, in one part of a visit: bytes now and then, and pages over their budget."""

    screen: str
    tier: Tier
    opening: bool
    before: int
    after: Range
    pages: int
    over_before: int
    over_after: Range


def totals(
    pages: Iterable[PageForecast], expected: Mapping[str, Expected], policy: Policy, site_spread: float
) -> tuple[Total, ...]:
    """Sums over pages, with what they may be off by.

    An image is off by its own spread wherever it is loaded; besides, all are off together by `site_spread`, as one
    share of their bytes.
    """
    spreads = {e.path: e.spread for e in expected.values()}
    groups: dict[tuple[str, Tier], list[PageForecast]] = defaultdict(list)
    for page in pages:
        groups[page.screen, page.tier].append(page)
    return tuple(
        total
        for (screen, tier), among in groups.items()
        for total in _totals(screen, tier, among, spreads, policy, site_spread)
    )


class _Sum:
    """One part of a visit summed over pages."""

    def __init__(self, spreads: Mapping[str, float], site_spread: float) -> None:
        self._spreads, self._site_spread = spreads, site_spread
        self.before, self.after, self.over_before, self.over = 0, 0, 0, [0, 0, 0]
        self._unsure: dict[str, float] = defaultdict(float)

    def add(self, parts: Iterable[Part], allowed: int) -> None:
        """A page more."""
        before, after, own = 0, 0, dict[str, float]()
        for _, image, was, now, _ in parts:
            before += was
            after += now
            if image and self._spreads[image]:
                own[image] = own.get(image, 0) + now
        reach = LIKELY * sum_off(own, self._spreads, self._site_spread) if own else 0.0
        for n, off in enumerate((-reach, 0.0, reach)):
            self.over[n] += after + off > allowed
        self.over_before += before > allowed
        self.before, self.after = self.before + before, self.after + after
        unsure = self._unsure
        for image, size in own.items():
            unsure[image] += size

    @property
    def off(self) -> float:
        """The standard deviation of the bytes after."""
        return sum_off(self._unsure, self._spreads, self._site_spread)


def _totals(
    screen: str,
    tier: Tier,
    among: Sequence[PageForecast],
    spreads: Mapping[str, float],
    policy: Policy,
    site_spread: float,
) -> Iterator[Total]:
    opening, scrolled = _Sum(spreads, site_spread), _Sum(spreads, site_spread)
    for page in among:
        allowed = policy.allowed(page.page, screen).bytes
        scrolled.add(page.parts, allowed)
        opening.add([part for part in page.parts if part.opening], allowed)
    for at_opening, found in ((True, opening), (False, scrolled)):
        yield Total(
            screen=screen, tier=tier, opening=at_opening, before=found.before,
            after=Range.around(found.after, found.off), pages=len(among), over_before=found.over_before,
            over_after=Range(*found.over),
        )  # fmt: skip


def page_range(page: PageForecast, expected: Mapping[str, Expected], site_spread: float, opening: bool) -> Range:
    """What one page will load, with what it may be off by."""
    spreads = {part.image: expected[part.image].spread for part in page.parts if part.image}
    own: dict[str, float] = defaultdict(float)
    for part in page.parts:
        if part.image and spreads[part.image] and (part.opening or not opening):
            own[part.image] += part.after
    return Range.around(page.after(opening), sum_off(own, spreads, site_spread))


def sum_off(unsure: Mapping[str, float], spreads: Mapping[str, float], site_spread: float) -> float:
    """The standard deviation of the sum of what images weigh: they are independent but for what they have in common."""
    own = hypot(*(size * spreads[image] for image, size in unsure.items()))
    return hypot(own, site_spread * sum(unsure.values()))
