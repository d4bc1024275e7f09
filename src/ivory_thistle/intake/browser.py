"""Pages measured in headless Chromium: what is loaded, in which boxes, and what it weighs.

One fresh context a page and screen; the network is shut to everything but the site being measured.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote, urldefrag, urlsplit

import tinycss2
from playwright.async_api import Browser, Page, Response, Route
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.formats.table import FORMATS, UNKNOWN, sniff_format
from ivory_thistle.core.formats.tiers import shown_by_chromium
from ivory_thistle.core.references.addresses import SITE_ORIGIN, FileIndex, join
from ivory_thistle.core.selection.css_pictures import pictures_in
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import (
    LOAD_SECONDS,
    PAGE_SECONDS,
    Watch,
    ask,
    fresh_page,
    in_browsers,
    run_early,
    scroll_through,
)
from ivory_thistle.intake.comparing import SWEEP, look_closely, swept_screen
from ivory_thistle.intake.differences import Seen
from ivory_thistle.intake.listening import count_broken_off, listen
from ivory_thistle.intake.page_errors import in_words
from ivory_thistle.intake.vitals import OBSERVE, VITALS

_LOOK = Path(__file__).with_name("look.js").read_text(encoding="utf-8")


@dataclass(frozen=True, slots=True)
class MeasuredPlacement:
    """A box that shows a picture: `x`, `y` from the page's top left, all in CSS px.

    `kind` is img, input, poster, svg, background, before or after; `first_screen` says whether any of it is seen
    without scrolling; `path` is the site's file that is shown (None for one of another host or a data: URI). `alt` is
    its alternative text (None without the attribute), `around` the classes and ids of the element and its ancestors.
    """

    kind: str
    path: str | None
    address: str
    x: float
    y: float
    width: float
    height: float
    first_screen: bool
    lazy: bool
    fit: str
    element: str
    alt: str | None = None
    around: str = ""


@dataclass(frozen=True, slots=True)
class PageMeasurement:
    """One page on one screen. `problem` says in words what went wrong; the rest holds what was seen until then.

    `requests` are the image files that came, by distinct address, with their bodies' bytes. `measured` is false where
    no browser was at hand and everything is estimated from markup. `seen` is all of the page, with its picture, where
    pages were looked at: what a later comparison holds against it.
    """

    page: str
    screen: str
    placements: tuple[MeasuredPlacement, ...] = ()
    requests: tuple[Loaded, ...] = ()
    lcp_path: str | None = None
    lcp_element: str = ""
    layout_shift: float = 0.0
    shifting: tuple[str, ...] = ()
    errors: tuple[str, ...] = ()
    seen: Seen | None = None
    problem: str = ""
    measured: bool = True

    @property
    def opening_bytes(self) -> int:
        """Image bytes loaded before any scrolling."""
        return sum(r.bytes for r in self.requests if r.opening)

    @property
    def scrolled_bytes(self) -> int:
        """Image bytes loaded once the page was scrolled through."""
        return sum(r.bytes for r in self.requests)


def measure_pages(
    address: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    on_page: Callable[[PageMeasurement], None],
    at_once: int = 2,
    looks: bool = False,
    skip: Callable[[str, Screen], bool] = lambda page, screen: False,
    index: FileIndex | None = None,
    read: Callable[[str], bytes] | None = None,
) -> None:
    """Measures every page of the site served at `address` on every screen, telling each as it is done.

    With `looks`, every page is also seen as comparisons see it. `index` finds the site's files by address; `read` gives
    those that stand under another host's address, which are answered in its place. `skip` is asked right before a page
    is loaded. A page that hangs or crashes is a measurement with a problem; the others go on.
    """
    place = _Place(address, index, read)
    swept = swept_screen(screens)

    async def one(browser: Browser, job: tuple[str, Screen]) -> bool:
        if skip(*job):
            return True
        sweep = SWEEP if job[1].name == swept else ()
        measured = await _measure_safely(browser, place, *job, sweep if looks else None)
        on_page(measured)
        return not measured.problem

    in_browsers([(page, screen) for page in pages for screen in screens], one, at_once)


@dataclass(frozen=True, slots=True)
class _Place:
    """Where the site under measurement is served, and how its files are found by the addresses that pages use."""

    address: str
    index: FileIndex | None
    read: Callable[[str], bytes] | None

    def path(self, url: str) -> str | None:
        """The file of the site that a URL names; None for one of elsewhere."""
        if self.index is None:
            return site_path(self.address, url)
        target = self.index.resolve(SITE_ORIGIN, self.normal(url))
        return target.path if target.kind in ("local", "missing") else None

    def normal(self, url: str) -> str:
        """The URL with the site's own origin in place of the server's, without fragment."""
        bare = urldefrag(url).url
        if bare.startswith(f"{self.address}/"):
            return join(SITE_ORIGIN, bare.removeprefix(self.address)) or ""
        return bare

    def elsewhere(self, url: str) -> bytes | None:
        """The content of one of the site's files that stands under another host's address."""
        if self.index is None or self.read is None or url.startswith(f"{self.address}/"):
            return None
        target = self.index.resolve(SITE_ORIGIN, url)
        return self.read(target.path) if target.kind == "local" else None


async def _measure_safely(
    browser: Browser, place: _Place, page: str, screen: Screen, sweep: Sequence[int] | None
) -> PageMeasurement:
    try:
        return await asyncio.wait_for(_measure(browser, place, page, screen, sweep), PAGE_SECONDS)
    except TimeoutError:
        problem = f"{page} did not come to rest within {PAGE_SECONDS:g} seconds on the {screen.name} screen."
    except BrowserError as error:
        problem = f"{page} could not be measured on the {screen.name} screen: {in_words(error)}"
    return PageMeasurement(page, screen.name, problem=problem)


class _Images(Watch):
    """The images that one page loads."""

    def __init__(self, page: Page, place: _Place) -> None:
        super().__init__(page)
        self.place = place
        self.images: dict[str, Loaded] = {}
        self.errors: list[str] = []
        self.opening = True
        page.on("response", self._response)

    def _response(self, response: Response) -> None:
        path = self.place.path(response.url)
        kind = response.headers.get("content-type", "")
        is_image = response.request.resource_type == "image" or kind.startswith("image/")
        if path is None or not is_image:
            return
        if response.status >= 400:
            self.errors.append(f"{path} answers with {response.status}.")
        else:
            address = self.place.normal(response.url)
            size = int(response.headers.get("content-length", "0"))
            self.images.setdefault(address, Loaded(address, path, size, self.opening))


async def _measure(
    browser: Browser, place: _Place, path: str, screen: Screen, sweep: Sequence[int] | None
) -> PageMeasurement:
    async with fresh_page(browser, screen, place.address) as page:
        watch, whole = _Images(page, place), Seen()
        if sweep is not None:
            listen(page, place.address, whole)
        if place.read is not None:
            await page.route(lambda url: not url.startswith(f"{place.address}/"), partial(_answer, place))
        await run_early(page, OBSERVE)
        problem = ""
        try:
            await page.goto(f"{place.address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
        except BrowserError as error:
            if "Timeout" not in error.message:
                raise
            problem = f"{path} was still loading after {LOAD_SECONDS:g} seconds on the {screen.name} screen."
        await watch.quiet()
        vitals = await ask(page, VITALS)
        watch.opening = False
        await count_broken_off(place.address, whole)
        whole.at_opening = dict(whole.images)
        await scroll_through(page)
        await watch.quiet()
        seen: dict[str, Any] = await ask(page, _LOOK)
        # Looking closely changes the screen's size, and may load other files.
        requests, errors = tuple(watch.images.values()), tuple(dict.fromkeys(watch.errors))
        if sweep is not None:
            await count_broken_off(place.address, whole)
            await look_closely(page, screen, whole, sweep, pictures=True)
        return PageMeasurement(
            page=path,
            screen=screen.name,
            placements=tuple(p for s in seen["placements"] for p in _placements(place, s, screen)),
            requests=requests,
            lcp_path=place.path(vitals["lcp"]) if vitals["lcp"] else None,
            lcp_element=vitals["element"],
            layout_shift=vitals["shift"],
            shifting=tuple(vitals["shifting"]),
            errors=errors,
            seen=whole if sweep is not None else None,
            problem=problem,
        )


_STYLED = frozenset({"background", "before", "after"})


def _placements(place: _Place, seen: dict[str, Any], screen: Screen) -> Iterator[MeasuredPlacement]:
    """One box, once for each picture in it."""
    urls = [seen["address"]]
    if seen["kind"] in _STYLED:
        value = tinycss2.parse_component_value_list(seen["address"], skip_comments=True)
        urls = pictures_in(value, place.address, screen, shown_by_chromium())
    for url in urls:
        yield MeasuredPlacement(
            kind=seen["kind"],
            path=place.path(url),
            address=url[:2000],
            x=seen["x"],
            y=seen["y"],
            width=seen["width"],
            height=seen["height"],
            first_screen=seen["first"],
            lazy=seen["lazy"],
            fit=seen["fit"],
            element=seen["element"],
            alt=seen["alt"],
            around=seen["around"],
        )


async def _answer(place: _Place, route: Route) -> None:
    """Answers for another host with what the capture holds of it; everything else is shut."""
    content = place.elsewhere(route.request.url)
    if content is None:
        await route.abort()
    else:
        kind = FORMATS[sniff_format(content[:4096]) or UNKNOWN].mime
        await route.fulfill(body=content, content_type=kind, headers={"content-length": str(len(content))})


def site_path(address: str, url: str) -> str | None:
    """The file of the site at `address` that a URL names; None for one of elsewhere."""
    if not url.startswith(f"{address}/"):
        return None
    return unquote(urlsplit(url).path).lstrip("/")
