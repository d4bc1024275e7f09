"""What pages will load: the pictures they load now, each replaced by the file that its boxes will ask for."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import inf, sqrt

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.files import Expected
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.treatment.roles import Slot

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


@dataclass(frozen=True, slots=True)
class Part:
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

    def _parts(self, page: str, screen: str, tier: Tier, loaded: Sequence[Loaded]) -> Iterable[Part]:
        """What becomes of each file; files of one image that come to the same one are loaded once."""
        seen: set[tuple[str, int]] = set()
        for one in loaded:
            image = self._site.by_path.get(one.path)
            files = self._expected.get(image.path) if image else None
            if not image or not files or one.path in self._stays.get(page, ()):
                yield Part(one.path, "", one.bytes, one.bytes, one.opening)
                continue
            after = 0
            for needed in self._needed.get((page, screen, image.path)) or {inf}:
                width, size = files.loaded(tier, needed, one.bytes)
                after += size if (files.path, width) not in seen else 0
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
    found = []
    for (screen, tier), among in groups.items():
        for opening in (True, False):
            off = _off([p for page in among for p in page.parts], spreads, site_spread, opening)
            over = dict.fromkeys((-1, 0, 1), 0)
            for page in among:
                allowed = policy.allowed(page.page, screen).bytes
                own = LIKELY * _off(page.parts, spreads, site_spread, opening)
                for n in over:
                    over[n] += page.after(opening) + n * own > allowed
            found.append(
                Total(
                    screen=screen, tier=tier, opening=opening,
                    before=sum(p.before(opening) for p in among),
                    after=Range.around(sum(p.after(opening) for p in among), off),
                    pages=len(among),
                    over_before=sum(p.before(opening) > policy.allowed(p.page, screen).bytes for p in among),
                    over_after=Range(over[-1], over[0], over[1]),
                )
            )  # fmt: skip
    return tuple(found)


def page_range(page: PageForecast, expected: Mapping[str, Expected], site_spread: float, opening: bool) -> Range:
    """What one page will load, with what it may be off by."""
    spreads = {e.path: e.spread for e in expected.values()}
    return Range.around(page.after(opening), _off(page.parts, spreads, site_spread, opening))


def _off(parts: Iterable[Part], spreads: Mapping[str, float], site_spread: float, opening: bool) -> float:
    """The standard deviation of the sum: images are independent of one another, but for what they have in common."""
    by_image: dict[str, float] = defaultdict(float)
    for part in parts:
        if part.image and spreads.get(part.image) and (part.opening or not opening):
            by_image[part.image] += part.after
    own = sum((size * spreads[image]) ** 2 for image, size in by_image.items())
    return sqrt(own + (site_spread * sum(by_image.values())) ** 2)
