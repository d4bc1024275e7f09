"""Which changes a site bears: rewritten, asked what it loads, compared in a browser, until nothing got worse."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from urllib.parse import unquote, urlsplit

from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.reports.predicted import (
    PageLoads,
    Predictor,
    families_of,
    heavier,
    near_by,
    with_new_files,
)
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite, SiteRewriter
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.intake.chromium import browser_binary, kept_browsers
from ivory_thistle.intake.comparing import Pair, compare_sites
from ivory_thistle.intake.differences import Difference
from ivory_thistle.intake.known import Known, LookUp, nothing_known
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.intake.sweeping import sweep_pages
from ivory_thistle.workflows.boxes import take_backgrounds, take_boxes
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.progress import Progress, ender, nothing

_MOST_ROUNDS = 8


@dataclass(frozen=True, slots=True)
class Comparison:
    """What a browser said: so many pages were compared, so many images took a safer form than planned for it.

    `different` is what could not be settled; `unsure` are pages that can't be compared.
    """

    pages: int
    screens: int
    safer: int
    different: tuple[Difference, ...] = ()
    unsure: tuple[str, ...] = ()


@dataclass(slots=True)
class Settled:
    """A rewritten site that got worse nowhere. `loads` are predicted; `comparison` is None where no browser was.

    `unknown` are pages that stay as they were, since nobody can say what they load or no form of theirs looked the
    same, and why that is.
    """

    limits: Limits
    rewrite: SiteRewrite
    loads: list[PageLoads] = field(default_factory=list)
    comparison: Comparison | None = None
    unknown: Mapping[str, str] = field(default_factory=dict)


class Settler:
    """Settles one site. `content` gives a new file's bytes (None: nothing is compared in a browser).

    `slots` are measured boxes: they tell which lazy pictures come at opening. `look_up` tells what was seen of pages
    before.
    """

    def __init__(
        self,
        site: SiteReading,
        deliveries: Mapping[str, Delivery],
        read: Callable[[str], bytes],
        screens: Sequence[Screen],
        content: Callable[[NewFile], bytes] | None = None,
        stop: Callable[[], bool] = lambda: False,
        background_widths: bool = False,
        slots: Sequence[Slot] = (),
        look_up: LookUp = nothing_known,
    ) -> None:
        self._background_widths, self._known = background_widths, Known(look_up)
        self._site, self._deliveries, self._read = site, deliveries, read
        self._screens, self._content, self._stop = screens, content, stop
        self._end_if_stopped = ender(stop)
        self._rewriter = SiteRewriter(site, deliveries, read, in_time)
        self._families = families_of(site, deliveries)
        self._predictor = Predictor(site, read, screens, in_time, near_by(slots, self._families))
        self._pages = {p.path: p for p in site.pages if p.path in self._families}
        self._new = {f.path: f for d in deliveries.values() for f in d.files}
        self._loads: dict[str, list[PageLoads]] = {}
        self._why: dict[str, str] = {}

    def settle(self, on_page: Progress = nothing) -> Settled:
        """Rewrites until no page loads more than before and, where a browser is, every box is as it was.

        Raises StoppedError.
        """
        with kept_browsers():
            return self._settle(on_page)

    def _settle(self, on_page: Progress) -> Settled:
        compares = bool(self._pages) and self._content is not None and browser_binary() is not None
        limits = Limits(Form.FREE if compares else Form.STEADY)
        if compares:
            on_page = self._measure_boxes(limits, on_page)
        rewrite = self._by_loads(limits)
        comparison = None
        if compares:
            rewrite, comparison = self._by_looks(limits, rewrite, on_page)
        loads = [one for path in self._pages for one in self._loads.get(path, ())]
        failed = {page: f"what it loads can't be told ({why})." for page, why in self._predictor.failed.items()}
        unknown = {**self._left_whole(rewrite), **failed}
        return Settled(limits, rewrite, loads, comparison, unknown)

    def keep_light(self, limits: Limits, pages: Collection[str]) -> Settled:
        """Rewrites under given limits, and narrows them until none of the pages is predicted to load more.

        The loads are those of the pages that were asked.
        """
        rewrite = self._by_loads(limits, pages)
        return Settled(limits, rewrite, [one for found in self._loads.values() for one in found])

    def _measure_boxes(self, limits: Limits, on_page: Progress) -> Progress:
        """Measures the boxes of pages that have new files; gives what tells of the pages that come after these."""
        paths = [path for path, page in self._pages.items() if not self._deliveries.keys().isdisjoint(page.files)]
        behind = {
            path
            for path in paths
            if any(p.use == "background" and p.file in self._deliveries for p in self._pages[path].placements)
        }
        done = 0

        def one() -> None:
            nonlocal done
            done += 1
            on_page(done, len(paths) * (1 + len(self._screens)))

        with serve_site(self._site.files, self._read, self._site.aliases) as address:
            swept = sweep_pages(address, paths, self._screens, one, self._stop, behind)
        for path, images in swept.items():
            self._end_if_stopped()
            self._rewriter.look_at(self._pages[path])
            take_boxes(limits, self._pages[path], self._rewriter.images_of(path), images, self._screens)
        if self._background_widths:
            take_backgrounds(limits, self._site, self._deliveries, swept)
        return lambda now, total: on_page(len(paths) + now, len(paths) + total)

    def _handed_over(self, rewrite: SiteRewrite) -> tuple[SiteReading, Callable[[str], bytes]]:
        site = with_new_files(self._site, [self._new[path] for path in rewrite.offered if path in self._new])

        def read(path: str) -> bytes:
            if path in rewrite.texts:
                return rewrite.texts[path]
            if path in self._new and self._content is not None:
                return self._content(self._new[path])
            return self._read(path)

        return site, read

    def _by_loads(self, limits: Limits, pages: Collection[str] | None = None) -> SiteRewrite:
        """Rewrites until no page is predicted to load more files or bytes of any picture."""
        for _ in range(_MOST_ROUNDS):
            rewrite = self._rewriter.rewrite(limits, self._end_if_stopped)
            site, read = self._handed_over(rewrite)
            found: dict[str, list[PageLoads]] = defaultdict(list)
            guilty: dict[str, set[str]] = defaultdict(set)
            for one in self._predictor.loads(site, read, rewrite.texts, pages):
                self._end_if_stopped()
                found[one.page].append(one)
                guilty[one.page] |= heavier(one, self._families[one.page])
            self._loads |= found
            worse = {page: families for page, families in guilty.items() if families}
            unknown = self._leave_unknown(limits)
            if not worse and not unknown:
                break
            for path, families in worse.items():
                self._step_back(self._pages[path], families, limits, rewrite)
            # A sheet that changes does so for every page.
            pages = None if limits.plain or limits.sheets_left or unknown else set(worse)
        return rewrite

    def _leave_unknown(self, limits: Limits) -> bool:
        """Leaves the pages as they were of which nobody can say what they load; whether any was not left before."""
        before = {path: set(limits.left[path]) for path in self._predictor.failed if path in self._pages}
        for path in before:
            placed = [p for p in self._pages[path].placements if p.file]
            limits.left[path] |= {p.file for p in placed if p.file}
            limits.sheets_left |= {p.file for p in placed if p.file and p.element == "css"}
        return any(limits.left[path] != files for path, files in before.items())

    def _step_back(self, page: Page, families: Collection[str], limits: Limits, rewrite: SiteRewrite) -> None:
        """Gives the images of some families on a page the next safer form."""
        early = limits.preload.get(page.path)
        if early and self._families[page.path].of(early) in families:
            del limits.preload[page.path]
            return
        mine = [p for p in page.placements if p.file and self._families[page.path].of(p.file) in families]
        files = {p.file for p in mine if p.file}
        forms = rewrite.forms.get(page.path, {})
        tags = {p.choice_start for p in mine if p.element in ("img", "source")}
        starts = {p.tag_start for p in page.placements if p.choice_start in tags and p.element == "img"}
        can = [at for at in starts if forms.get(at, Form.LEFT) > Form.LEFT]
        behind = any(p.use == "background" for p in mine)
        if behind and not files <= limits.plain:
            limits.plain |= files
            limits.forms[page.path] |= {at: min(forms[at], Form.SAME) for at in can}
        elif can:
            limits.forms[page.path] |= {at: Form(forms[at] - 1) for at in can}
        else:
            limits.left[page.path] |= files
            limits.sheets_left |= {p.file for p in mine if p.file and p.element == "css"}

    def _by_looks(self, limits: Limits, rewrite: SiteRewrite, on_page: Progress) -> tuple[SiteRewrite, Comparison]:
        """Compares every rewritten page in a browser, and takes back what changed a box, until nothing does."""
        changed = {path for path in self._pages if self._is_touched(path, rewrite)}
        waiting, unsure, safer = sorted(changed), set[str](), set[tuple[str, int]]()
        different: list[Difference] = []
        done, total = 0, len(changed) * len(self._screens)

        def one(pair: Pair) -> None:
            nonlocal done
            done += 1
            on_page(done, total)

        for _ in range(_MOST_ROUNDS):
            if not waiting or self._stop():
                break
            different = self._compared(rewrite, waiting, one)
            if not different:
                break
            by_page: dict[str, list[Difference]] = defaultdict(list)
            for d in different:
                by_page[d.page].append(d)
            waiting = []
            for path in by_page:
                # Which file a script takes hangs on when it runs: that may not be seen again.
                found = [d for d in by_page[path] if self._comes_twice(path, d)] or self._again_alone(rewrite, path)
                if not all(d.comparable for d in found):
                    unsure.add(path)
                found = [d for d in found if d.comparable or self._named(path, d, rewrite, above=Form.STEADY)]
                if not found:
                    continue
                waiting.append(path)
                safer |= {(path, at) for at in self._take_back(path, found, limits, rewrite)}
                self._why[path] = str(found[0].words)
            total = done + len(waiting) * len(self._screens)
            rewrite = self._by_loads(limits)
        left = tuple(d for d in different if d.comparable)
        return rewrite, Comparison(len(changed), len(self._screens), len(safer), left, tuple(sorted(unsure)))

    def _again_alone(self, rewrite: SiteRewrite, path: str) -> list[Difference]:
        """What of a page differs once more, seen afresh with no page beside it: a busy machine takes nothing back."""
        self._known.look_afresh(path)
        return self._compared(rewrite, [path], lambda pair: None)

    def _left_whole(self, rewrite: SiteRewrite) -> dict[str, str]:
        """The pages of which every picture stays as it was by what a browser saw, and what that was."""
        forms = {path: rewrite.forms.get(path, {}).values() for path in self._why}
        whole = (path for path, found in forms.items() if all(form == Form.LEFT for form in found))
        return {path: f"it looked different in every form. {self._why[path]}" for path in whole}

    def _is_touched(self, path: str, rewrite: SiteRewrite) -> bool:
        return path in rewrite.texts or any(s in rewrite.texts for s in self._pages[path].stylesheets)

    def _compared(
        self,
        rewrite: SiteRewrite,
        pages: Sequence[str],
        on_pair: Callable[[Pair], None],
    ) -> list[Difference]:
        site, read = self._handed_over(rewrite)
        aliases = self._site.aliases
        with (
            serve_site(self._site.files, self._read, aliases, slow_pictures=True) as before,
            serve_site(site.files, read, aliases, slow_pictures=True) as after,
        ):
            return compare_sites(before, after, pages, self._screens, self._known, on_pair, self._stop)

    def _comes_twice(self, path: str, d: Difference) -> bool:
        """Whether a picture of an `img` comes in a second file, which nothing shows.

        Scripts commonly wait for pictures that way: they load what stands in `src`, whatever the browser has chosen.
        """
        families, placed = self._families[path], self._pages[path].placements
        shown = {families.of(p.file) for p in placed if p.file and p.element in ("img", "source")}
        return any(families.of(unquote(urlsplit(address).path).removeprefix("/")) in shown for address in d.unshown)

    def _named(self, path: str, d: Difference, rewrite: SiteRewrite, above: Form) -> set[int]:
        """The images that a difference is about, all of the page's where it names none, in a form above one."""
        images = self._rewriter.images_of(path)
        forms = rewrite.forms.get(path, {})
        named = {images[n] for n in d.images if n < len(images)} if d.images else forms.keys()
        return {at for at in named if forms.get(at, Form.LEFT) > above}

    def _take_back(
        self, path: str, found: Sequence[Difference], limits: Limits, rewrite: SiteRewrite
    ) -> Collection[int]:
        """Gives the images of a page that looks different the next safer form; which ones."""
        if limits.preload.pop(path, None):
            return ()
        forms = rewrite.forms.get(path, {})
        several = {at for at, form in forms.items() if form > Form.SAME}
        if several and any(self._comes_twice(path, d) for d in found):
            limits.forms[path] |= dict.fromkeys(several, Form.SAME)
            return several
        doubtful = [d for d in found if not d.comparable]
        if doubtful:
            # Nothing is known of these: what is safe by its rules and tree must do.
            chosen = set[int]().union(*(self._named(path, d, rewrite, above=Form.STEADY) for d in doubtful))
            limits.forms[path] |= dict.fromkeys(chosen, Form.STEADY)
            return chosen
        can = {at for at, form in forms.items() if form > Form.LEFT}
        chosen = set[int]().union(*(self._named(path, d, rewrite, above=Form.LEFT) for d in found if d.images)) or can
        if chosen:
            limits.forms[path] |= {at: Form(forms[at] - 1) for at in chosen}
            return chosen
        placed = [(p, p.file) for p in self._pages[path].placements if p.file and p.file in self._deliveries]
        limits.left[path] |= {file for _, file in placed}
        limits.sheets_left |= {file for p, file in placed if p.element == "css"}
        return ()
