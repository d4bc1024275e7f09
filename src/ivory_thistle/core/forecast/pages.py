"""What pages will load: the pictures they load now, each replaced by the file that its boxes will ask for."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import inf, sqrt
from typing import NamedTuple

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.files import Expected
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
        self._known: dict[tuple[str, Tier, float, int], tuple[int, int]] = {}
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
            PageForecast(page, screen, tier, tuple(self._parts(page, screen, tier, loaded)))
            for (page, screen, tier), loaded in known.items()
        )

    def _as_named(self) -> dict[tuple[str, str, Tier], tuple[Loaded, ...]]:
        found: dict[tuple[str, str, Tier], tuple[Loaded, ...]] = {}
        for page in self._site.pages:
            sizes = ((path, self._site.files[path].bytes) for path in page.files if path in self._site.files)
            named = tuple(Loaded(path, path, size, opening=True) for path, size in sizes)
            found |= {(page.path, "", tier): named for tier in TIERS}
        return found

    def _loaded(self, files: Expected, tier: Tier, needed: float, before: int) -> tuple[int, int]:
        key = files.path, tier, needed, before
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = files.loaded(tier, needed, before)
        return found

    def _parts(self, page: str, screen: str, tier: Tier, loaded: Sequence[Loaded]) -> Iterable[Part]:
        """What becomes of each file; files of one image that come to the same one are loaded once."""
        seen: set[tuple[str, int]] = set()
        stays, images = self._stays.get(page, ()), self._site.by_path
        for one in loaded:
            image = images.get(one.path)
            files = self._expected.get(image.path) if image else None
            if not image or not files or one.path in stays:
                yield Part(one.path, "", one.bytes, one.bytes, one.opening)
                continue
            after = 0
            for needed in self._needed.get((page, screen, image.path), _ANY):
                width, size = self._loaded(files, tier, needed, one.bytes)
                if (files.path, width) not in seen:
                    after += size
                    seen.add((files.path, width))
            yield Part(one.path, files.path, one.bytes, after, one.opening)


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
        _total(screen, tier, opening, among, spreads, policy, site_spread)
        for (screen, tier), among in groups.items()
        for opening in (True, False)
    )


def _total(
    screen: str,
    tier: Tier,
    opening: bool,
    among: Sequence[PageForecast],
    spreads: Mapping[str, float],
    policy: Policy,
    site_spread: float,
) -> Total:
    unsure: dict[str, float] = defaultdict(float)
    before_all, after_all, over_before, over = 0, 0, 0, [0, 0, 0]
    for page in among:
        before, after, own = 0, 0, defaultdict[str, float](float)
        for part in page.parts:
            if part.opening or not opening:
                before, after = before + part.before, after + part.after
                if part.image and spreads[part.image]:
                    own[part.image] += part.after
        allowed = policy.allowed(page.page, screen).bytes
        reach = LIKELY * _off(own, spreads, site_spread)
        for n, off in enumerate((-reach, 0.0, reach)):
            over[n] += after + off > allowed
        over_before += before > allowed
        before_all, after_all = before_all + before, after_all + after
        for image, size in own.items():
            unsure[image] += size
    return Total(
        screen=screen, tier=tier, opening=opening, before=before_all,
        after=Range.around(after_all, _off(unsure, spreads, site_spread)), pages=len(among), over_before=over_before,
        over_after=Range(*over),
    )  # fmt: skip


def page_range(page: PageForecast, expected: Mapping[str, Expected], site_spread: float, opening: bool) -> Range:
    """What one page will load, with what it may be off by."""
    spreads = {part.image: expected[part.image].spread for part in page.parts if part.image}
    own: dict[str, float] = defaultdict(float)
    for part in page.parts:
        if part.image and spreads[part.image] and (part.opening or not opening):
            own[part.image] += part.after
    return Range.around(page.after(opening), _off(own, spreads, site_spread))


def _off(unsure: Mapping[str, float], spreads: Mapping[str, float], site_spread: float) -> float:
    """The standard deviation of the sum of what images weigh: they are independent but for what they have in common."""
    own = sum((size * spreads[image]) ** 2 for image, size in unsure.items())
    return sqrt(own + (site_spread * sum(unsure.values())) ** 2)
