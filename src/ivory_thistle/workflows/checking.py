"""A handed-over site held against the original in headless Chromium: page by page, screen by screen, tier by tier.

Chromium shows every format. For the visitors of an older tier, pages and style sheets are served with the media types
of more modern formats changed to an unknown one: `source`s, preloads and `image-set()` that name them are passed over,
as in a browser that can't show them. A picture that is named without its type is shown all the same. Where a page and
all that it asks for is served the same to two tiers, byte for byte, it is loaded for the first of them.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from functools import partial
from urllib.parse import unquote, urlsplit

import cv2
import numpy as np

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.quality.likeness import Likeness, Picture, likeness
from ivory_thistle.core.references.addresses import origin_form
from ivory_thistle.core.references.markup import tags
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.reports.predicted import Predictor
from ivory_thistle.core.reports.weight import Weight
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import browser_binary, kept_browsers
from ivory_thistle.intake.comparing import SWEEP, Closeness, Pair, compare_sites
from ivory_thistle.intake.differences import Seen
from ivory_thistle.intake.known import Known, LookUp, nothing_known
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.intake.timing import Timed, time_pages
from ivory_thistle.workflows.checked import Checked, Placed, Wrong
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.served import Name, Served, Side, for_tier, name_of

_TOLERANCE = 0.01
"""The share by which what is loaded may differ from what was foretold."""
_TOGETHER = 8
"""Pages that are looked at in all tiers before the next: their pictures are in memory meanwhile."""


@dataclass(frozen=True, slots=True)
class _Watcher:
    """Who has a site checked: is told of each load, may stop it all, and knows what needs no check any more."""

    on_checked: Callable[[Checked], None]
    stop: Callable[[], bool]
    done: Callable[[str, str, Tier], bool]


class Checker:
    """Checks one handed-over site. Raises UnusableInput where no browser is installed."""

    def __init__(
        self,
        before: Side,
        after: Side,
        screens: Sequence[Screen],
        tiers: Sequence[Tier],
        keeps_pictures: bool = False,
        look_up: LookUp = nothing_known,
    ) -> None:
        """`keeps_pictures`: what is checked comes with pictures of its page. `look_up` tells what was seen before."""
        self._keeps_pictures = keeps_pictures
        if browser_binary() is None:
            raise UnusableInput("A check needs Chromium; install chromium-headless-shell.")
        self._before, self._after, self._screens, self._tiers = before, after, tuple(screens), tuple(tiers)
        self.pages = sorted(p.path for p in before.site.pages if not p.is_folder and p.path in before.site.files)
        self._by_path = {p.path: p for p in before.site.pages}
        self._foretold: dict[tuple[str, str, Tier], dict[Name, int]] = {}
        self._uncertain: dict[str, frozenset[str]] = {}
        self._late: dict[tuple[str, str, Tier], frozenset[Name]] = {}
        self._known = Known(look_up)

    @property
    def total(self) -> int:
        """How many loads of pages there are to check."""
        return len(self.pages) * len(self._screens) * len(self._tiers)

    def run(
        self,
        on_checked: Callable[[Checked], None],
        stop: Callable[[], bool] = lambda: False,
        done: Callable[[str, str, Tier], bool] = lambda page, screen, tier: False,
    ) -> None:
        """Tells each load as it is checked; `done` are those that need no check any more."""
        watcher = _Watcher(on_checked, stop, done)
        for page in self.pages:
            if page not in self._after.site.files:
                self._tell_missing(page, watcher)
        there = [page for page in self.pages if page in self._after.site.files]
        with kept_browsers():
            for first in range(0, len(there), _TOGETHER):
                if stop():
                    return
                self._known.forget()
                self._some(there[first : first + _TOGETHER], watcher)

    def all(self, on_load: Progress = nothing) -> list[Checked]:
        """Everything that there is to check, in the order of pages."""
        found: list[Checked] = []

        def keep(checked: Checked) -> None:
            found.append(checked)
            on_load(len(found), self.total)

        self.run(keep)
        order = {path: n for n, path in enumerate(self.pages)}
        return sorted(found, key=lambda c: order[c.page])

    def _tell_missing(self, page: str, watcher: _Watcher) -> None:
        for screen in self._screens:
            for tier in self._tiers:
                if not watcher.done(page, screen.name, tier):
                    watcher.on_checked(
                        Checked(page, screen.name, tier, wrong=(Wrong("The page is not there any more."),))
                    )

    def _some(self, pages: Sequence[str], watcher: _Watcher) -> None:
        self._foretell(pages)
        loaded: list[Checked] = []
        before = Served(self._before.site, self._before.read, self._before.site.aliases)
        served = {tier: self._served(tier) for tier in self._tiers}
        with ExitStack() as servers:

            def address_of(side: Served) -> str:
                return servers.enter_context(serve_site(side.site.files, side.read, side.names))

            old = address_of(before)
            for tier in self._tiers:
                alike = {(one.page, one.screen): one for one in loaded if self._is_alike(one, tier, served)}
                for (page, screen), one in alike.items():
                    if not watcher.done(page, screen, tier):
                        watcher.on_checked(replace(one, tier=tier, timed=None))
                sites = old, address_of(served[tier])
                is_as_before = partial(served[tier].gives_the_same, before)
                loaded += self._in_tier(tier, pages, sites, is_as_before, alike.keys(), watcher)

    def _in_tier(
        self,
        tier: Tier,
        pages: Sequence[str],
        sites: tuple[str, str],
        is_as_before: Callable[[Collection[str]], bool],
        told: Collection[tuple[str, str]],
        watcher: _Watcher,
    ) -> list[Checked]:
        """Loads pages on all screens, but for those `told` already; in the first tier also times them on the first."""
        loaded: list[Checked] = []
        to_time: list[Pair] = []
        is_first, first_screen = tier == self._tiers[0], self._screens[0]

        def skip(page: str, screen: str) -> bool:
            return (page, screen) in told or watcher.done(page, screen, tier)

        def tell(pair: Pair, timed: Timed | None = None) -> None:
            loaded.append(self._checked(pair, tier, timed))
            watcher.on_checked(loaded[-1])

        def take(pair: Pair) -> None:
            is_timed = is_first and pair.screen == first_screen.name and pair.new is not pair.old
            if is_timed:
                to_time.append(pair)
            else:
                tell(pair)

        # How boxes follow the screen's width is the same for all tiers.
        closeness = Closeness(sweep=SWEEP if is_first else (), judge=self._judge)
        compare_sites(*sites, pages, self._screens, self._known, take, watcher.stop, closeness, skip, is_as_before)
        timed = time_pages(*sites, [pair.page for pair in to_time], first_screen, watcher.stop)
        for pair in to_time:
            if pair.page in timed:
                tell(pair, timed[pair.page])
        return loaded

    def _is_alike(self, loaded: Checked, tier: Tier, served: Mapping[Tier, Served]) -> bool:
        """Whether a load without a fault says what it would say in another tier: all that it asked for is the same."""
        if loaded.wrong or not loaded.sure:
            return False
        key = loaded.page, loaded.screen
        if self._foretold.get((*key, tier)) != self._foretold.get((*key, loaded.tier)):
            return False
        return served[tier].gives_the_same(served[loaded.tier], loaded.asked)

    def _served(self, tier: Tier) -> Served:
        return Served(self._after.site, for_tier(tier, self._after.read), self._after.aliases(tier))

    def _foretell(self, pages: Sequence[str]) -> None:
        """Bytes by name of what each page loads on each screen in each tier, scrolled through."""
        self._foretold.clear()
        after = self._after
        given: dict[Tier, dict[str, int]] = {
            tier: {path: after.site.files[file].bytes for path, file in files.items()}
            for tier, files in after.given.items()
        }
        for one in Predictor(after.site, after.read, self._screens, in_time).loads(after.site, after.read, (), pages):
            sizes = given.get(one.tier, {})
            self._uncertain[one.page] = one.uncertain
            named = [((loaded.path, urlsplit(loaded.address).query), loaded) for loaded in one.after]
            key = one.page, one.screen, one.tier
            self._foretold[key] = {name: sizes.get(loaded.path, loaded.bytes) for name, loaded in named}
            self._late[key] = frozenset(name for name, loaded in named if not loaded.opening)

    def _judge(self, old: Seen, new: Seen) -> Likeness | None:
        """Holds the pictures against each other, but for images that are meant to change or move by themselves."""
        assert old.picture is not None and new.picture is not None
        if old.picture == new.picture:
            return Likeness(100.0, 100.0)
        before, after = _pixels(old.picture), _pixels(new.picture)
        for a, b in zip(old.boxes, new.boxes, strict=False):
            if a.shown and self._changes(a.shown):
                # As large as the larger of the two, so that nothing of either is left.
                left, top = int(min(a.x, b.x)), int(min(a.y, b.y))
                right, bottom = int(max(a.x + a.width, b.x + b.width)) + 1, int(max(a.y + a.height, b.y + b.height)) + 1
                for picture in (before, after):
                    picture[max(0, top) : max(0, bottom), max(0, left) : max(0, right)] = 0
        return likeness(before, after)

    def _changes(self, shown: str) -> bool:
        """Whether a picture's colours become what they are meant to be (browsers ignore CMYK profiles), or it moves."""
        place = urlsplit(shown)
        path = self._before.site.aliases.get(origin_form(place), unquote(place.path).lstrip("/"))
        file = self._before.site.files.get(path)
        facts = file.image if file else None
        return facts is not None and (facts.colour == "cmyk" or facts.frames > 1)

    def _checked(self, pair: Pair, tier: Tier, timed: Timed | None) -> Checked:
        wrong = [Wrong(d.words, tuple(self._placed(pair.page, d.images))) for d in pair.different if d.comparable]
        unsure = [d for d in pair.different if not d.comparable]
        before, after = self._before.site, self._after.site
        loaded = {name_of(address, after): size for address, size in pair.new.images.items()}
        key = pair.page, pair.screen, tier
        foretold = self._foretold.get(key)
        # Of these, the page's own markup foretells nothing: what a script loads as before, or a page in a frame, or
        # what hangs on the layout.
        others = {name_of(address, before) for address in pair.old.images}
        others |= {name_of(address, after) for address in pair.new.framed}
        in_doubt = self._uncertain.get(pair.page, frozenset())
        others |= {name for name in loaded if name[0] in in_doubt}
        # A lazy picture whose box never comes near the screen, as in a row that is slid by hand, does not come.
        late = self._late.get(key, frozenset())
        promised = {
            name: size for name, size in (foretold or {}).items()
            if name in loaded or not (name in late or name[0] in in_doubt)
        }  # fmt: skip
        if foretold is None:
            wrong.append(Wrong("What it loads can't be foretold from its markup."))
        elif not (pair.new.problem or pair.new.left):
            wrong += [Wrong(words) for words in _off(loaded, promised, others)]
        wrong += [Wrong(words) for words in timed.words] if timed else []
        if pair.new.problem and not pair.old.problem:
            wrong.append(Wrong(pair.new.problem))
        return Checked(
            page=pair.page, screen=pair.screen, tier=tier, weights=(_weight(pair.old), _weight(pair.new)),
            foretold=sum(promised.values()) if foretold is not None else None,
            wrong=tuple(wrong), score=pair.likeness.score if pair.likeness else None,
            spot=pair.likeness.spot if pair.likeness else None,
            pictures=_pictures(pair) if self._keeps_pictures else None, timed=timed, sure=not unsure,
            asked=frozenset(pair.new.asked),
        )  # fmt: skip

    def _placed(self, page: str, numbers: Sequence[int]) -> Iterator[Placed]:
        """The `img`s of these numbers in tree order, as the original page names them."""
        if not numbers:
            return
        source = read_html_source(self._before.read(page))
        starts = [tag.start for tag in tags(source.text) if tag.name == "img" and not tag.closing]
        named = {p.tag_start: p for p in self._by_path[page].placements if p.element == "img" and p.source == page}
        for n in numbers:
            placement = named.get(starts[n]) if n < len(starts) else None
            if placement:
                yield Placed(starts[n], placement.line, placement.file or placement.address)


def _weight(seen: Seen) -> Weight:
    """What came; files that are not there were asked for as well, and brought nothing."""
    first, every = ([size for size in came.values() if size] for came in (seen.at_opening, seen.images))
    return Weight(sum(first), sum(every), len(first), len(every))


def _pictures(pair: Pair) -> tuple[bytes, bytes] | None:
    old, new = pair.old.picture, pair.new.picture
    return (old, new) if old is not None and new is not None else None


def _pixels(picture: bytes) -> Picture:
    return np.asarray(cv2.imdecode(np.frombuffer(picture, np.uint8), cv2.IMREAD_COLOR_RGB), np.uint8)


def _off(loaded: Mapping[Name, int], promised: Mapping[Name, int], others: Collection[Name]) -> Iterator[str]:
    """How what is loaded differs from what was foretold, but for `others`."""
    came = {name: size for name, size in loaded.items() if name in promised or name not in others}
    weighs, should = sum(came.values()), sum(promised.values())
    if abs(weighs - should) > _TOLERANCE * max(should, 1):
        yield f"{weighs:,} bytes of images are loaded; its markup foretells {should:,}."
    for words, some, others in (("loaded", came, promised), ("foretold", promised, came)):
        alone = sorted(some.keys() - others.keys())
        if alone:
            said = (f"/{path}?{query}" if query else f"/{path}" for path, query in alone[:5])
            yield f"Only {words}: {', '.join(said)}."
