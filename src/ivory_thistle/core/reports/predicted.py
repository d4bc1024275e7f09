"""What pages load before and after a treatment, by the markup that browsers will really read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import inf
from typing import NamedTuple

from ivory_thistle.core.errors import ThistleError
from ivory_thistle.core.formats.tiers import TIERS, Tier, shown_by
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.limits import Within, unlimited
from ivory_thistle.core.references.site import Page, SiteFile, SiteReading
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.selection.loads import LAZY_DISTANCE, Loaded, PageOnScreens, estimated
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.roles import Slot


@dataclass(frozen=True, slots=True)
class PageLoads:
    """The picture files that one page loads on one screen in one tier, scrolled through, before and after.

    Of the `uncertain` ones, its style sheets don't tell whether it loads them after.
    """

    page: str
    screen: str
    tier: Tier
    before: tuple[Loaded, ...]
    after: tuple[Loaded, ...]
    uncertain: frozenset[str] = frozenset()


def with_new_files(
    site: SiteReading, new_files: Iterable[NewFile], moved: Mapping[str, str] | None = None
) -> SiteReading:
    """The site as it is handed over, for asking what its pages load; `moved` files have other paths."""
    files = dict(site.files)
    for old, new_path in (moved or {}).items():
        files[new_path] = replace(files.pop(old), path=new_path)
    for new in new_files:
        facts = ImageFacts(new.format, new.width, new.height, new.bytes, new.sha256)
        files[new.path] = SiteFile(new.path, new.sha256, new.bytes, facts)
    return SiteReading(files, site.pages, site.images, (), site.own_hosts, site.aliases, site.by_path)


Near = Callable[[str, str, str, str], bool]
"""Of a page, a screen's name, a picture's path and the kind of its use: whether that is on the first screen or near."""


class _Asked(NamedTuple):
    """What one version of a page loads by screen and tier, and which files it may load besides."""

    loads: dict[tuple[str, Tier], tuple[Loaded, ...]]
    uncertain: frozenset[str]


class Predictor:
    """Asks the pages of a site and of its handover what they load on some screens in every tier."""

    def __init__(
        self,
        site: SiteReading,
        read: Callable[[str], bytes],
        screens: Sequence[Screen],
        within: Within = unlimited,
        near: Near = lambda page, screen, path, kind: False,
    ) -> None:
        """`near` tells whether a picture is shown so near a page's first screen that it comes even where it is lazy."""
        self._site, self._read, self._screens, self._within = site, read, tuple(screens), within
        self._near = near
        self.failed: dict[str, str] = {}
        """The pages of which nobody can say what they load, and why."""
        self._before: dict[str, _Asked] = {}

    def loads(
        self,
        handed_over: SiteReading,
        read: Callable[[str], bytes],
        changed: Collection[str],
        pages: Collection[str] | None = None,
    ) -> Iterator[PageLoads]:
        """Every page (or those named), screen and tier; `read` gives the handed-over site's files.

        `changed` are the paths of pages and sheets that are not as they were: other pages load what they did.
        """
        for page in self._site.pages:
            if page.is_folder or page.path not in self._site.files or (pages is not None and page.path not in pages):
                continue
            touched = page.path in changed or not set(page.stylesheets).isdisjoint(changed)
            try:
                with self._within(page.bytes * len(self._screens)):
                    if page.path not in self._before:
                        self._before[page.path] = self._asked(page.path, self._site, self._read)
                    after = self._asked(page.path, handed_over, read) if touched else self._before[page.path]
            except Exception as error:
                self.failed[page.path] = str(error) if isinstance(error, ThistleError) else type(error).__name__
                continue
            for (screen, tier), before in self._before[page.path].loads.items():
                yield PageLoads(page.path, screen, tier, before, after.loads[screen, tier], after.uncertain)

    def _asked(self, path: str, site: SiteReading, read: Callable[[str], bytes]) -> _Asked:
        page = PageOnScreens(path, site, read)
        loads = {
            (screen.name, tier): estimated(
                page.loads(screen, shown_by(tier)), site.files.__getitem__, partial(self._near, path, screen.name)
            )
            for screen in self._screens
            for tier in TIERS
        }
        return _Asked(loads, page.uncertain())


class Families:
    """Files that stand for one another on a page: candidates of one choice, and originals with their new files."""

    def __init__(self, page: Page, origins: Mapping[str, str]) -> None:
        """`origins` leads from new files to their originals."""
        self._origins, self._heads = origins, {path: path for path in page.files}
        choices: dict[tuple[str, int], str] = {}
        for p in page.placements:
            if p.file and p.use in ("single", "candidate") and p.file in self._heads:
                other = choices.setdefault((p.source, p.choice_start), p.file)
                self._heads[self._head(p.file)] = self._head(other)

    def _head(self, path: str) -> str:
        while self._heads.get(path, path) != path:
            path = self._heads[path]
        return path

    def of(self, path: str) -> str:
        """The file that stands for a file's family."""
        return self._head(self._origins.get(path, path))


def families_of(site: SiteReading, deliveries: Mapping[str, Delivery]) -> dict[str, Families]:
    """The families of every page that can be loaded, with the new files."""
    origins = {f.path: d.path for d in deliveries.values() for f in d.files}
    pages = (page for page in site.pages if not page.is_folder and page.path in site.files)
    return {page.path: Families(page, origins) for page in pages}


def near_by(slots: Iterable[Slot], families: Mapping[str, Families]) -> Near:
    """By measured boxes: what lies within the distance from which Chromium loads lazy pictures."""
    found: set[tuple[str, str, str, str]] = set()
    for slot in slots:
        near = slot.first_screen or slot.y < slot.screen.height + LAZY_DISTANCE
        if near and slot.measured and slot.page in families:
            found.add((slot.page, slot.screen.name, families[slot.page].of(slot.path), slot.kind))

    def is_near(page: str, screen: str, path: str, kind: str) -> bool:
        return page in families and (page, screen, families[page].of(path), kind) in found

    return is_near


def heavier(loads: PageLoads, families: Families) -> frozenset[str]:
    """The families of which a page loads more files or bytes than before, on one screen in one tier."""
    count: dict[str, int] = defaultdict(int)
    size: dict[str, int] = defaultdict(int)
    for sign, loaded in ((1, loads.after), (-1, loads.before)):
        for one in loaded:
            family = families.of(one.path)
            count[family] += sign
            size[family] += sign * one.bytes
    return frozenset(f for f in count if count[f] > 0 or size[f] > 0)


@dataclass(frozen=True, slots=True)
class StillLoaded:
    """An original that treated pages still load: on how many pages (in the tier that loads it on most), and why."""

    path: str
    bytes: int
    pages: int
    reason: str


@dataclass(frozen=True, slots=True)
class LoadTotal:
    """All pages on one screen in one tier, each scrolled through. `overshoot`: bytes over those of the narrowest files
    that would do, None without measured boxes; `heavier` are pages that load more than before."""

    screen: str
    tier: Tier
    before: int
    after: int
    requests_before: int
    requests_after: int
    overshoot: int | None
    heavier: tuple[str, ...]


def totals(loads: Iterable[PageLoads], spare: Mapping[tuple[str, str, Tier], int]) -> tuple[LoadTotal, ...]:
    """Sums over pages; `spare` are the bytes loaded too many, by page, screen and tier."""
    groups: dict[tuple[str, Tier], list[PageLoads]] = defaultdict(list)
    for one in loads:
        groups[one.screen, one.tier].append(one)
    return tuple(
        LoadTotal(
            screen=screen,
            tier=tier,
            before=sum(weight(p.before) for p in pages),
            after=sum(weight(p.after) for p in pages),
            requests_before=sum(len(p.before) for p in pages),
            requests_after=sum(len(p.after) for p in pages),
            overshoot=sum(spare.get((p.page, screen, tier), 0) for p in pages) if spare else None,
            heavier=tuple(p.page for p in pages if weight(p.after) > weight(p.before)),
        )
        for (screen, tier), pages in groups.items()
    )


def weight(loaded: Iterable[Loaded]) -> int:
    """Bytes of what is loaded."""
    return sum(one.bytes for one in loaded)


def overshoots(
    loads: Iterable[PageLoads], deliveries: Mapping[str, Delivery], slots: Iterable[Slot]
) -> dict[tuple[str, str, Tier], int]:
    """Bytes loaded over those of the narrowest rung that would do for the measured boxes, by page, screen and tier.

    A box asks for its drawn width times the screen's density. Files that are shown in no measured box don't count.
    """
    boxes: dict[tuple[str, str, str], float] = defaultdict(float)
    for slot in slots:
        delivery = deliveries.get(slot.path)
        if slot.measured and slot.width > 0 and delivery and delivery.width:
            needed = slot.drawn_width(delivery.height / delivery.width) * slot.screen.density
            key = (slot.page, slot.screen.name, slot.path)
            boxes[key] = max(boxes[key], inf if slot.fit.startswith("auto") else needed)
    made = {f.path: (d, f) for d in deliveries.values() for f in d.files}
    found: dict[tuple[str, str, Tier], int] = defaultdict(int)
    for one in loads if boxes else ():
        found[one.page, one.screen, one.tier] = 0
        for loaded in one.after:
            if loaded.path not in made:
                continue
            delivery, file = made[loaded.path]
            needed = boxes.get((one.page, one.screen, delivery.path), inf)
            enough = next((f for f in delivery.rungs(file.tier) if f.width >= needed), file)
            found[one.page, one.screen, one.tier] += max(0, loaded.bytes - enough.bytes)
    return dict(found)


def still_loaded(
    loads: Iterable[PageLoads], site: SiteReading, reasons: Mapping[str, str], replaced: Collection[str] = ()
) -> tuple[StillLoaded, ...]:
    """The originals that pages still load after the treatment, by bytes times pages; `reasons` by path.

    At the paths of `replaced`, smaller files stand now.
    """
    pages: dict[str, dict[tuple[str, Tier], set[str]]] = defaultdict(lambda: defaultdict(set))
    for one in loads:
        for loaded in one.after:
            if loaded.path in site.by_path and loaded.path not in replaced:
                pages[loaded.path][one.screen, one.tier].add(one.page)
    found = [
        StillLoaded(path, site.files[path].bytes, max(len(p) for p in seen.values()), reasons.get(path, ""))
        for path, seen in pages.items()
    ]
    return tuple(sorted(found, key=lambda s: (-s.bytes * s.pages, s.path)))
