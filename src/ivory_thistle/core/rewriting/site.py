"""A whole site rewritten: its pages and style sheets together, so that no page loads one picture twice."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import astuple, dataclass, field
from functools import cached_property
from typing import Any

from ivory_thistle.core.errors import ThistleError
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.limits import Within, unlimited
from ivory_thistle.core.references.addresses import page_address
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.site import Page, Placement, SiteReading
from ivory_thistle.core.references.source import Source, read_css_source, read_html_source
from ivory_thistle.core.rewriting.css import Outcomes, Piece, Pieces, rewrite_declarations
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.elements import PageTerms, Timing
from ivory_thistle.core.rewriting.html import PageRewrite, rewrite_page
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.surroundings import Surroundings
from ivory_thistle.core.selection.loads import sheet_reader

_STRUCTURE_TRIES = 4


@dataclass(slots=True)
class Limits:
    """What was found not to be safe, by looking at what was rewritten.

    `forms` by page and `img` (where its tag begins); `left` are files that stay on a page, `sheets_left` those that
    stay in style sheets, `plain` those whose backgrounds take one address. `most` holds for all pages. `sizes` and
    `timing` are what boxes told that were measured, by page and `img` too. `preload` are the backgrounds, by
    page, that are the largest paint there; `behind` are backgrounds with narrower files for narrow screens.
    """

    most: Form = Form.STEADY
    forms: dict[str, dict[int, Form]] = field(default_factory=lambda: defaultdict(dict))
    left: dict[str, set[str]] = field(default_factory=lambda: defaultdict(set))
    plain: set[str] = field(default_factory=set)
    sheets_left: set[str] = field(default_factory=set)
    sizes: dict[str, dict[int, str]] = field(default_factory=dict)
    timing: dict[str, dict[int, Timing]] = field(default_factory=dict)
    preload: dict[str, str] = field(default_factory=dict)
    behind: dict[str, Pieces] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for a database."""
        return {
            "most": int(self.most),
            "forms": {page: {str(at): int(f) for at, f in forms.items()} for page, forms in self.forms.items()},
            "left": {page: sorted(files) for page, files in self.left.items()},
            "plain": sorted(self.plain),
            "sheets_left": sorted(self.sheets_left),
            "sizes": {page: {str(at): s for at, s in sizes.items()} for page, sizes in self.sizes.items()},
            "timing": {page: {str(at): t for at, t in timing.items()} for page, timing in self.timing.items()},
            "preload": dict(self.preload),
            "behind": {path: [list(astuple(piece)) for piece in pieces] for path, pieces in self.behind.items()},
        }

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Limits:
        """Limits from plain values, as `as_dict` gives them."""
        limits = cls(Form(values["most"]), plain=set(values["plain"]), sheets_left=set(values["sheets_left"]))
        for page, forms in values["forms"].items():
            limits.forms[page] = {int(at): Form(form) for at, form in forms.items()}
        for page, files in values["left"].items():
            limits.left[page] = set(files)
        # Runs of earlier versions measured nothing.
        for page, sizes in values.get("sizes", {}).items():
            limits.sizes[page] = {int(at): str(said) for at, said in sizes.items()}
        for page, timing in values.get("timing", {}).items():
            limits.timing[page] = {int(at): Timing(said) for at, said in timing.items()}
        limits.preload = dict(values.get("preload", {}))
        for path, pieces in values.get("behind", {}).items():
            limits.behind[path] = tuple(Piece(*piece) for piece in pieces)
        return limits


@dataclass(slots=True)
class SiteRewrite:
    """New texts by path, what each tier is given at each placement, and every new file that is named.

    `forms` are those of each page's `img`s; a page or sheet that can't be written back is a fault.
    """

    texts: dict[str, bytes] = field(default_factory=dict)
    outcomes: Outcomes = field(default_factory=dict)
    offered: set[str] = field(default_factory=set)
    faults: list[Fault] = field(default_factory=list)
    forms: dict[str, dict[int, Form]] = field(default_factory=dict)


class SiteRewriter:
    """Rewrites a site again and again under different limits; what pages allow is found out once."""

    def __init__(
        self,
        site: SiteReading,
        deliveries: Mapping[str, Delivery],
        read: Callable[[str], bytes],
        within: Within = unlimited,
    ) -> None:
        """A page that can't be rewritten `within` its time, or at all, stays as it is."""
        self._within = within
        self._failed: dict[str, Fault] = {}
        self._site, self._deliveries, self._read = site, deliveries, read
        self._sources: dict[str, Source | None] = {}
        self._surroundings: dict[str, Surroundings] = {}
        self._done: dict[str, tuple[object, PageRewrite]] = {}

    def rewrite(self, limits: Limits, on_page: Callable[[], None] = lambda: None) -> SiteRewrite:
        """Everything rewritten under the limits; what `on_page` raises before a page ends it."""
        result = SiteRewrite()
        pages = [p for p in self._site.pages if not p.is_folder and p.path in self._site.files]
        pages = [p for p in pages if not self._deliveries.keys().isdisjoint(f.file or "" for f in p.placements)]
        rewritten: dict[str, PageRewrite] = {}
        while True:
            known = len(limits.plain)
            for page in pages:
                on_page()
                if self._source(page.path) is not None and page.path not in self._failed:
                    rewritten[page.path] = self._page_in_time(page, limits)
                    limits.plain |= rewritten[page.path].plain & self._in_sheets
            if len(limits.plain) == known:
                break
        for path, done in rewritten.items():
            source = self._source(path)
            if source is None or not done.edits:
                continue
            result.texts[path] = source.apply(done.edits)
            result.outcomes |= done.outcomes
            result.offered |= done.offered
            result.faults += done.notes
            result.forms[path] = done.forms
        self._sheets(pages, limits, result)
        result.faults += self._failed.values()
        result.faults += [_unchanged(path) for path, source in self._sources.items() if source is None]
        return result

    def images_of(self, path: str) -> Sequence[int]:
        """Where the tags of a page's `img`s begin, in the order of its tree; nothing where it can't be followed."""
        return self._surroundings[path].images if path in self._surroundings else ()

    def look_at(self, page: Page) -> None:
        """Finds out what a page allows, so that its `img`s are known before it is rewritten."""
        source = self._source(page.path)
        if source is not None and page.path not in self._failed:
            with suppress(Exception), self._within(page.bytes):
                self._around(page, source)

    @cached_property
    def _in_sheets(self) -> set[str]:
        return {p.file or "" for page in self._site.pages for p in page.placements if p.use == "background"}

    def _source(self, path: str, encoding: str | None = None) -> Source | None:
        """A page, or a sheet of a page in `encoding`; None where it would not come back byte for byte."""
        if path not in self._sources:
            data = self._read(path)
            source = read_html_source(data) if encoding is None else read_css_source(data, encoding)
            self._sources[path] = source if source.to_bytes() == data else None
        return self._sources[path]

    def _page_in_time(self, page: Page, limits: Limits) -> PageRewrite:
        try:
            with self._within(page.bytes):
                return self._page(page, limits)
        except Exception as error:
            # Where nobody knows what a change would do, there is none.
            why = str(error) if isinstance(error, ThistleError) else f"It can't be followed ({type(error).__name__})."
            self._failed[page.path] = Fault("unreadable-page", page.path, f"{page.path} stays as it is. {why}")
            return PageRewrite()

    def _page(self, page: Page, limits: Limits) -> PageRewrite:
        """One page; what its rules and tree don't bear is taken back until nothing is disturbed."""
        forms = limits.forms[page.path]
        state = (
            dict(forms), frozenset(limits.left[page.path]), frozenset(limits.plain & set(page.files)), limits.most,
            limits.preload.get(page.path, ""),
        )  # fmt: skip
        known = self._done.get(page.path)
        if known and known[0] == state:
            return known[1]
        source = self._source(page.path)
        assert source is not None
        around = self._around(page, source)
        for _ in range(_STRUCTURE_TRIES):
            left, plain = frozenset(limits.left[page.path]), frozenset(limits.plain)
            allowed = PageTerms(
                around.terms, forms, left, plain, limits.most,
                limits.sizes.get(page.path, {}), limits.timing.get(page.path, {}),
                limits.preload.get(page.path, ""), limits.behind,
            )  # fmt: skip
            done = rewrite_page(source, page, self._deliveries, self._site.by_path, allowed)
            disturbed = around.disturbed(done.edits) if done.edits else frozenset()
            if not disturbed:
                break
            if limits.preload.pop(page.path, None):
                # It may be what disturbs, and the images' own forms are worth more.
                continue
            for at in disturbed:
                now = min(done.forms.get(at, Form.LADDER), forms.get(at, Form.FREE))
                forms[at] = Form.LADDER if now > Form.LADDER else Form(max(0, now - 1))
        else:
            done = PageRewrite()
        state = (dict(forms), *state[1:-1], limits.preload.get(page.path, ""))
        self._done[page.path] = (state, done)
        return done

    def _around(self, page: Page, source: Source) -> Surroundings:
        if page.path not in self._surroundings:
            sheet = sheet_reader(self._site.index, self._read, source.encoding)
            self._surroundings[page.path] = Surroundings(source, page_address(page.path), sheet, page.has_script)
        return self._surroundings[page.path]

    def _sheets(self, pages: list[Page], limits: Limits, result: SiteRewrite) -> None:
        named: dict[str, dict[int, Placement]] = defaultdict(dict)
        encodings: dict[str, str] = {}
        for page in pages:
            for p in page.placements:
                chosen = p.use in ("background", "plain") and p.element == "css"
                if chosen and p.file in self._deliveries and p.file not in limits.sheets_left:
                    named[p.source][p.start] = p
                    encodings.setdefault(p.source, page.encoding)
        for path, placements in named.items():
            source = self._source(path, encodings[path])
            if source is None:
                continue
            with self._within(len(source.text)):
                sheet = read_css(source.text)
                done = rewrite_declarations(
                    source.text, sheet, placements.values(), self._deliveries, limits.plain, pieces=limits.behind
                )
            if done.edits:
                result.texts[path] = source.apply(done.edits)
                result.outcomes |= done.outcomes
                result.offered |= done.offered


def _unchanged(path: str) -> Fault:
    message = f"{path} can't be written back byte for byte in its encoding; it stays as it is."
    return Fault("unreadable-page", path, message)
