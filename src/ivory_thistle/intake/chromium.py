"""Headless Chromium: started, given fresh pages, watched until nothing is under way, and closed whatever happens."""

from __future__ import annotations

import asyncio
import os
import pwd
import shutil
import tempfile
from collections.abc import AsyncIterator, Awaitable, Callable, Coroutine, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AsyncExitStack, asynccontextmanager, contextmanager, suppress
from contextvars import ContextVar
from pathlib import Path
from time import time
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

import structlog
from playwright.async_api import Browser, Page, Playwright, Request, async_playwright
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.selection.loads import LAZY_DISTANCE
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.worlds import World
from ivory_thistle.system.programs import find_program

# Without a connection's type, Chromium loads lazy pictures from 3,000 px away; for most visitors it does from 1,250.
# And a machine without a mouse has none of what visitors point with: a fine pointer that can hover (fingers on a
# screen with `touch`).
_POINTERS = "primaryPointerType=4,availablePointerTypes=4,primaryHoverType=2,availableHoverTypes=2"
_ARGUMENTS = (
    f"--blink-settings=lazyLoadingImageMarginPxUnknown={LAZY_DISTANCE},{_POINTERS}",
    "--disable-gpu", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--no-first-run", "--disable-quic", "--mute-audio", "--hide-scrollbars",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
    # WebRTC would go around the proxy.
    "--force-webrtc-ip-handling-policy=disable_non_proxied_udp", "--block-new-web-contents",
)  # fmt: skip
_NO_WAY_OUT = "http://127.0.0.1:9"
"""A proxy that is not there (port 9, RFC 863): what belongs to no page's own context reaches nothing."""
_LOOPBACK_TOO = "<-loopback>"
_AS_NOBODY = Path(__file__).with_name("as_nobody.sh")
log = structlog.get_logger()
LOAD_SECONDS = 15.0
QUIET_SECONDS, _WITHOUT_SCRIPTS_SECONDS, _STEP_SECONDS = 0.15, 0.05, 0.025
QUIET_LIMIT_SECONDS = 8.0
PAGE_SECONDS = LOAD_SECONDS + 2 * QUIET_LIMIT_SECONDS + 10
"""When a page that has not come to rest is given up: it loads, then comes to rest twice."""
_CLOSE_SECONDS = 5.0
_PROFILES = "thistle-browser-"
"""How folders of profiles begin; the number of their process follows."""
_LEFT_SECONDS = 3600.0
"""A folder may be another machine's that shares the place: what was written to so lately is left."""
_MOST_BEGINNINGS = 6
"""Documents that a page may lead through, by its scripts, until it comes to rest."""


def browser_binary() -> str | None:
    """The headless shell where it is installed (three times faster), else Chromium; None without either."""
    return find_program("chromium-headless-shell", "chromium")


_SCROLL = Path(__file__).with_name("scroll.js").read_text(encoding="utf-8")
_NOTICED_SECONDS = 0.15
"""Until scripts act on scrolling or a new size: they commonly wait for a tenth of a second for what else comes."""
_MAY_ASK_LATER = """() =>
  everyOf(document, 'script, iframe, frame, object, embed, [onload], [onerror], [onscroll]').length > 0"""

T = TypeVar("T")


AT_ONCE = min(4, (os.cpu_count() or 1) + 1)
"""One more than there are processors, since each now and then waits for its page to come to rest."""


def in_browsers(jobs: Sequence[T], work: Callable[[Browser, T], Awaitable[bool]], at_once: int = AT_ONCE) -> None:
    """Gives every job a browser, `at_once` at a time. After a job that did not go well (False), it gets a new one."""
    with kept_browsers() as browsers:
        browsers.run(jobs, work, at_once)


@contextmanager
def kept_browsers() -> Iterator[_Browsers]:
    """Within this block, `in_browsers` takes browsers that are there already, and leaves them for the next call."""
    there = _kept.get()
    if there is not None:
        yield there
        return
    with _Browsers() as browsers:
        token = _kept.set(browsers)
        try:
            yield browsers
        finally:
            _kept.reset(token)


class _Browsers:
    """Browsers that are started when they are needed, in a thread with an event loop of its own."""

    def __init__(self) -> None:
        self._ends = AsyncExitStack()
        self._playwright: Playwright | None = None
        self._profiles = Path()
        self._idle: list[Browser] = []
        self._runner = asyncio.Runner()
        # The calling thread may run an event loop already.
        self._thread = ThreadPoolExecutor(1)

    def __enter__(self) -> _Browsers:
        return self

    def __exit__(self, *_: object) -> None:
        self.rest()
        self._thread.submit(self._runner.close).result()
        self._thread.shutdown()

    def run(self, jobs: Sequence[T], work: Callable[[Browser, T], Awaitable[bool]], at_once: int) -> None:
        """Gives every job a browser, `at_once` at a time."""
        if jobs:
            self._in_thread(self._run(jobs, work, at_once))

    def rest(self) -> None:
        """Ends everything that was started; the next call starts it anew."""
        self._in_thread(self._end())

    def _in_thread(self, work: Coroutine[Any, Any, None]) -> None:
        self._thread.submit(self._runner.run, work).result()

    async def _run(self, jobs: Sequence[T], work: Callable[[Browser, T], Awaitable[bool]], at_once: int) -> None:
        waiting = list(reversed(jobs))

        async def worker() -> None:
            while waiting:
                job = waiting.pop()
                browser = await self._take()
                if await work(browser, job):
                    self._idle.append(browser)
                else:
                    # It may hang: the next job gets a fresh one.
                    await _close(browser)

        workers = [asyncio.ensure_future(worker()) for _ in range(min(at_once, len(waiting)))]
        try:
            await asyncio.gather(*workers)
        finally:
            # After one has failed, the others would go on with the next call.
            for one in workers:
                one.cancel()
            await asyncio.gather(*workers, return_exceptions=True)

    async def _take(self) -> Browser:
        """One that is idle and lives, else a new one."""
        while self._idle:
            browser = self._idle.pop()
            if browser.is_connected():
                return browser
        if self._playwright is None:
            # What is entered first ends last: while a browser ends, it still writes to its profile.
            self._profiles = await self._ends.enter_async_context(_profiles())
            self._playwright = await self._ends.enter_async_context(async_playwright())
        return await _launcher.launch(self._playwright, self._profiles)

    async def _end(self) -> None:
        while self._idle:
            await _close(self._idle.pop())
        self._playwright = None
        await self._ends.aclose()


_kept: ContextVar[_Browsers | None] = ContextVar("browsers", default=None)


class _Launcher:
    """Starts browsers: with their sandbox where the kernel lets them, and never with the rights of root."""

    sandboxed = True

    async def launch(self, playwright: Playwright, profiles: Path) -> Browser:
        """A new browser, whose profile is kept below a folder."""
        if self.sandboxed:
            try:
                return await self._launch(playwright, profiles)
            except BrowserError as error:
                if "sandbox" not in error.message:
                    raise
                self.sandboxed = False
                log.warning("Chromium runs without its sandbox", reason="this machine allows no user namespaces")
        return await self._launch(playwright, profiles)

    async def _launch(self, playwright: Playwright, profiles: Path) -> Browser:
        binary = browser_binary()
        return await playwright.chromium.launch(
            executable_path=_AS_NOBODY if os.geteuid() == 0 else binary,
            args=list(_ARGUMENTS),
            chromium_sandbox=self.sandboxed,
            proxy={"server": _NO_WAY_OUT, "bypass": _LOOPBACK_TOO},
            env={**os.environ, "THISTLE_BROWSER": str(binary), "THISTLE_PROFILES": str(profiles)},
        )


_launcher = _Launcher()


@asynccontextmanager
async def _profiles() -> AsyncIterator[Path]:
    """A folder that an unprivileged user may write to as well, removed afterwards."""
    _clear_away()
    folder = Path(tempfile.mkdtemp(prefix=f"{_PROFILES}{os.getpid()}-"))
    try:
        if os.geteuid() == 0:
            nobody = pwd.getpwnam("nobody")
            os.chown(folder, nobody.pw_uid, nobody.pw_gid)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _clear_away() -> None:
    """Removes the folders of processes that were killed before they could do so themselves."""
    for folder in Path(tempfile.gettempdir()).glob(f"{_PROFILES}*-*"):
        with suppress(OSError, ValueError):
            owner = int(folder.name.removeprefix(_PROFILES).split("-")[0])
            is_old = time() - folder.stat().st_mtime > _LEFT_SECONDS
            if is_old and not Path("/proc", str(owner)).exists():
                shutil.rmtree(folder, ignore_errors=True)


async def _close(browser: Browser) -> None:
    with suppress(BrowserError, TimeoutError):
        await asyncio.wait_for(browser.close(), _CLOSE_SECONDS)


@asynccontextmanager
async def fresh_page(browser: Browser, screen: Screen, address: str) -> AsyncIterator[Page]:
    """A page of its own context on a screen: nothing is cached or remembered.

    It reaches the site served at `address` and nothing else; windows that it opens are closed.
    """
    context = await browser.new_context(
        viewport={"width": screen.width, "height": screen.height},
        device_scale_factor=screen.density,
        color_scheme="dark" if screen.dark else "light",
        has_touch=screen.touch,
        service_workers="block",
        accept_downloads=False,
        proxy={"server": address, "bypass": _LOOPBACK_TOO},
    )
    try:
        page = await context.new_page()
        context.on("page", lambda other: asyncio.ensure_future(_close_window(other)))
        page.on("dialog", lambda d: asyncio.ensure_future(d.dismiss()))
        _worlds[page] = World(await context.new_cdp_session(page))
        yield page
    finally:
        # A browser that hangs would never answer this either.
        with suppress(BrowserError, TimeoutError):
            await asyncio.wait_for(context.close(), _CLOSE_SECONDS)


async def _close_window(page: Page) -> None:
    with suppress(BrowserError, TimeoutError):
        await asyncio.wait_for(page.close(), _CLOSE_SECONDS)


async def ask(page: Page, function: str, given: Any = None) -> Any:
    """What a JavaScript function gives on a page of `fresh_page`, as JSON has it.

    It runs over the same document in a world of its own: whatever the page's scripts did to the language's and the
    browser's objects, it finds them as they were. What a page's names can hide, unhidden.js finds. Raises BrowserError.
    """
    return await _worlds[page].ask(function, given)


async def emulate_touch(page: Page) -> None:
    """Lets the screen of a page be touched from now on. Chromium knows no way back to a mouse."""
    session = await page.context.new_cdp_session(page)
    await session.send("Emulation.setTouchEmulationEnabled", {"enabled": True})


async def run_early(page: Page, script: str) -> None:
    """Has a script run before each document's own ones, in the world in which `ask` asks."""
    await _worlds[page].run_early(script)


_worlds: WeakKeyDictionary[Page, World] = WeakKeyDictionary()


class Watch:
    """How many requests of a page are under way, and how often it began anew."""

    def __init__(self, page: Page) -> None:
        self.open = 0
        self._page = page
        self._begun = 0
        page.on("request", self._start)
        page.on("requestfinished", lambda _: self._count(-1))
        page.on("requestfailed", lambda _: self._count(-1))

    def _start(self, asked: Request) -> None:
        self._count(1)
        if asked.is_navigation_request() and asked.redirected_from is None and asked.frame == self._page.main_frame:
            self._begun += 1

    def _count(self, step: int) -> None:
        self.open += step

    async def quiet(self) -> None:
        """Returns once nothing was under way for a while, or at the limit.

        Raises BrowserError for a page that begins anew again and again.
        """
        await self._still_for(QUIET_SECONDS)

    async def quiet_soon(self) -> None:
        """The same, sooner for a page on which no script could ask for more."""
        await self._still_for(QUIET_SECONDS if await ask(self._page, _MAY_ASK_LATER) else _WITHOUT_SCRIPTS_SECONDS)

    async def _still_for(self, seconds: float) -> None:
        waited, still, begun = 0.0, 0.0, self._begun
        while waited < QUIET_LIMIT_SECONDS and still < seconds:
            await asyncio.sleep(_STEP_SECONDS)
            waited += _STEP_SECONDS
            moves, begun = self.open > 0 or self._begun != begun, self._begun
            still = 0.0 if moves else still + _STEP_SECONDS
            if begun > _MOST_BEGINNINGS:
                raise BrowserError("It navigated again and again.")


async def resize(page: Page, width: int, height: int) -> None:
    """Gives a page's screen another size (CSS px), and its scripts the time that they commonly take to follow."""
    await page.set_viewport_size({"width": width, "height": height})
    if await _worlds[page].hears("resize"):
        await asyncio.sleep(_NOTICED_SECONDS)


async def scroll_through(page: Page) -> None:
    """Scrolls through a page and what scrolls in it, so that lazy pictures are loaded, and back to its top."""
    await ask(page, _SCROLL, 1000 * _NOTICED_SECONDS if await ask(page, _MAY_ASK_LATER) else 0)
