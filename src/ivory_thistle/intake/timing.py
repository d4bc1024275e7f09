"""How soon pages paint their largest content, before and after a change, over the same slow connection."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from statistics import median
from urllib.parse import quote

from playwright.async_api import Browser, Page
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import LOAD_SECONDS, Watch, ask, fresh_page, in_browsers, run_early
from ivory_thistle.intake.vitals import OBSERVE, VITALS

_LOADS, _TRIES = 3, 3
_CONNECTION = {"offline": False, "latency": 20, "downloadThroughput": 12_500_000, "uploadThroughput": 1_250_000}
"""100 Mbit/s down, 10 up (in bytes a second), 20 ms: so slow that pictures' bytes count, so fast that it ends soon."""
LATER_SHARE, LATER_MILLISECONDS = 0.1, 100.0
"""By so much the median of three loads varies with nothing changed; a paint counts as later beyond both together."""
MORE_SHIFT = 0.02
"""By so much the layout shift varies; up to 0.1 is good (web.dev/articles/cls)."""


@dataclass(frozen=True, slots=True)
class Vitals:
    """A page's largest contentful paint (element, its place in tree order, milliseconds) and its layout shift."""

    element: str
    at: int
    milliseconds: float
    shift: float


@dataclass(frozen=True, slots=True)
class Timed:
    """One page before and after: the medians of three loads, but the highest shift before. None: it can't be loaded.

    Where two loads of each already tell that the medians can't be worse, these are the sooner and the later of the two.
    """

    page: str
    old: Vitals | None
    new: Vitals | None

    @property
    def words(self) -> tuple[str, ...]:
        """What got worse."""
        old, new = self.old, self.new
        if not old or not new:
            return ()
        said = []
        # Another element that is painted as soon is no loss: the largest may come while it did not before.
        if new.milliseconds > old.milliseconds * (1 + LATER_SHARE) + LATER_MILLISECONDS:
            other = f" and is {new.element or 'none'} instead of {old.element}" if new.at != old.at else ""
            times = f"after {new.milliseconds:,.0f} ms instead of {old.milliseconds:,.0f} ms"
            said.append(f"The largest contentful paint comes later, {times}{other}.")
        if new.shift > old.shift + MORE_SHIFT:
            said.append(f"The layout shift is {new.shift:.3f} instead of {old.shift:.3f}.")
        return tuple(said)


def time_pages(
    old_site: str,
    new_site: str,
    pages: Sequence[str],
    screen: Screen,
    stop: Callable[[], bool] = lambda: False,
) -> dict[str, Timed]:
    """Loads pages of the sites at two addresses in turn, one at a time: the median of three.

    A machine that is busy with something else delays one page or the other: only what is worse again and again counts,
    with the other pages between. What was stopped before is left out.
    """
    found: dict[str, Timed] = {}
    waiting = list(pages)

    async def one(browser: Browser, path: str) -> bool:
        if stop():
            return True
        timed = found[path] = await _timed(browser, old_site, new_site, path, screen)
        return timed.old is not None and timed.new is not None

    for _ in range(_TRIES):
        in_browsers(waiting, one, 1)
        waiting = [path for path in waiting if path in found and found[path].words]
    return found


async def _timed(browser: Browser, old_site: str, new_site: str, path: str, screen: Screen) -> Timed:
    looks: dict[str, list[Vitals]] = {old_site: [], new_site: []}
    for _ in range(_LOADS):
        if _is_sure(looks[old_site], looks[new_site]):
            break
        for address, found in looks.items():
            try:
                async with fresh_page(browser, screen, address) as page:
                    found.append(await asyncio.wait_for(_vitals(page, f"{address}/{quote(path)}"), 2 * LOAD_SECONDS))
            except (TimeoutError, BrowserError):
                return Timed(path, None, None)
    # Whether pictures come before the first paint is chance: what the page did once, it may do again.
    most = max(v.shift for v in looks[old_site])
    return Timed(path, replace(_middle(looks[old_site]), shift=most), _middle(looks[new_site], later=True))


def _is_sure(old: Sequence[Vitals], new: Sequence[Vitals]) -> bool:
    """Whether no third load can make the medians of three worse: the slowest after is no slower than any before."""
    if len(new) < _LOADS - 1:
        return False
    sooner = max(v.milliseconds for v in new) <= min(v.milliseconds for v in old)
    return sooner and max(v.shift for v in new) <= max(v.shift for v in old)


async def _vitals(page: Page, url: str) -> Vitals:
    watch = Watch(page)
    session = await page.context.new_cdp_session(page)
    await session.send("Network.enable")
    await session.send("Network.emulateNetworkConditions", _CONNECTION)
    await run_early(page, OBSERVE)
    await page.goto(url, wait_until="load", timeout=LOAD_SECONDS * 1000)
    await watch.quiet_soon()
    seen = await ask(page, VITALS)
    return Vitals(seen["element"], seen["at"], seen["milliseconds"], seen["shift"])


def _middle(looks: Sequence[Vitals], later: bool = False) -> Vitals:
    """The load of median time, with the median of the shifts; of two, the sooner one or the later one."""
    ordered = sorted(looks, key=lambda v: v.milliseconds)
    middle = ordered[len(looks) // 2 if later else (len(looks) - 1) // 2]
    return Vitals(middle.element, middle.at, middle.milliseconds, median(v.shift for v in looks))
