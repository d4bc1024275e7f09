"""Two versions of a site in headless Chromium, page by page: same boxes, no more requests or bytes, no new errors.

Boxes are those of all elements but `picture` and `source`, which a rewriting may add; they are matched by their order.
"""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

from playwright.async_api import Browser, Page, Response
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import LOAD_SECONDS, QUIET_LIMIT_SECONDS, SCROLL, Watch, fresh_page, in_browsers

TOLERANCE = 1.0
"""CSS px by which a box may move or grow."""
_BOXES = """() => {
  const round = (n) => Math.round(n * 100) / 100;
  const without = new Set('PICTURE SOURCE HEAD STYLE SCRIPT LINK META TITLE BASE'.split(' '));
  const boxes = [];
  for (const node of document.documentElement.querySelectorAll('*')) {
    if (without.has(node.tagName)) continue;
    const box = node.getBoundingClientRect();
    const broken = node instanceof HTMLImageElement && node.complete && !!node.currentSrc && node.naturalWidth === 0;
    boxes.push([node.tagName.toLowerCase(), round(box.x + scrollX), round(box.y + scrollY), round(box.width),
                round(box.height), broken]);
  }
  const root = document.documentElement;
  boxes.push(['(page)', 0, 0, root.scrollWidth, root.scrollHeight, false]);
  return boxes;
}"""


SWEEP = (320, 600, 768, 1024, 1280)
"""Other widths of the screen, in CSS px, at which boxes are compared."""
_DECODED = """async () => {
  const frame = () => new Promise((done) => requestAnimationFrame(done));
  await frame();
  const soon = new Promise((done) => setTimeout(done, 600));
  await Promise.race([soon, Promise.all([...document.images].map((i) => i.decode().catch(() => null)))]);
  await frame();
}"""


@dataclass(frozen=True, slots=True)
class Box:
    """One element's border box in CSS px from the page's top left; `broken`: an `img` whose file can't be shown."""

    element: str
    x: float
    y: float
    width: float
    height: float
    broken: bool = False

    def is_like(self, other: Box) -> bool:
        """Whether both are the same within the tolerance."""
        sides = zip(
            (self.x, self.y, self.width, self.height), (other.x, other.y, other.width, other.height), strict=True
        )
        return self.element == other.element and all(abs(a - b) <= TOLERANCE for a, b in sides)


@dataclass(slots=True)
class Seen:
    """One page on one screen: boxes in tree order, images that came (address and bytes), and console messages.

    `swept` are the boxes at other widths of the screen, in CSS px.
    """

    boxes: list[Box] = field(default_factory=list)
    swept: dict[int, list[Box]] = field(default_factory=dict)
    images: dict[str, int] = field(default_factory=dict)
    messages: Counter[str] = field(default_factory=Counter)
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Difference:
    """What changed on one page and screen, in words. `images` counts the `img`s of the page in tree order, from 0.

    `moved` tells how many boxes are elsewhere or of another size; `images` are those whose own size changed.
    `comparable` is False for a page that can't be loaded or that changes by itself.
    """

    page: str
    screen: str
    words: str
    moved: int = 0
    images: tuple[int, ...] = ()
    comparable: bool = True


def compare_sites(
    before: str,
    after: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    known: dict[tuple[str, str], Seen] | None = None,
    on_page: Callable[[], None] = lambda: None,
    stop: Callable[[], bool] = lambda: False,
    at_once: int = 2,
) -> list[Difference]:
    """Loads the pages of the sites served at two addresses on every screen, and tells what is not as before.

    The screen of density 1 is swept over other widths as well. `known` keeps what was seen before the change, by page
    and screen, for another comparison. A page that is never twice the same is told as one that can't be compared.
    """
    found: list[Difference] = []
    seen_before: dict[tuple[str, str], Seen] = {} if known is None else known
    swept = next((s.name for s in sorted(screens, key=lambda s: -s.width) if s.density == 1), "")

    async def one(browser: Browser, job: tuple[str, Screen]) -> bool:
        page, screen = job
        if stop():
            return True
        sweep = SWEEP if screen.name == swept else ()
        old = seen_before.get((page, screen.name)) or await _look_safely(browser, before, page, screen, sweep)
        seen_before[page, screen.name] = old
        new = old if old.problem else await _look_safely(browser, after, page, screen, sweep)
        different = differences(page, screen.name, old, new)
        if different and not (old.problem or new.problem):
            again = await _look_safely(browser, before, page, screen, sweep)
            if differences(page, screen.name, old, again):
                different = [Difference(page, screen.name, "It is never twice the same.", comparable=False)]
        found.extend(different)
        on_page()
        return not (old.problem or new.problem)

    asyncio.run(in_browsers([(page, screen) for page in pages for screen in screens], one, at_once))
    order = {page: n for n, page in enumerate(pages)}
    return sorted(found, key=lambda d: (order[d.page], d.screen))


def differences(page: str, screen: str, old: Seen, new: Seen) -> list[Difference]:
    """Everything about a page on a screen that is not as it was."""

    def told(words: str, moved: int = 0, images: tuple[int, ...] = ()) -> Difference:
        return Difference(page, screen, words, moved, images)

    if old.problem or new.problem:
        return [Difference(page, screen, old.problem or new.problem, comparable=False)]
    looks = [("", old.boxes, new.boxes)]
    looks += [(f" at {width:,} px", boxes, new.swept.get(width, [])) for width, boxes in old.swept.items()]
    found = [told(*change) for where, was, now in looks if (change := _moved(where, was, now))]
    images = [(a, b) for a, b in zip(old.boxes, new.boxes, strict=False) if a.element == b.element == "img"]
    broken = tuple(n for n, (x, y) in enumerate(images) if y.broken and not x.broken)
    if broken:
        found.append(told(f"{len(broken)} images are broken.", 0, broken))
    if len(new.images) > len(old.images):
        found.append(told(f"{len(new.images)} images are loaded instead of {len(old.images)}."))
    weights = sum(old.images.values()), sum(new.images.values())
    if weights[1] > weights[0]:
        found.append(told(f"{weights[1]:,} bytes of images are loaded instead of {weights[0]:,}."))
    extra = new.messages - old.messages
    if extra:
        found.append(told(f"The console says: {next(iter(extra))[:300]}"))
    return found


def _moved(where: str, was: Sequence[Box], now: Sequence[Box]) -> tuple[str, int, tuple[int, ...]] | None:
    """How many boxes are not as they were, in words, and which images' own size changed; None where all are."""
    if len(was) != len(now):
        return f"There are {len(now)} boxes instead of {len(was)}{where}.", len(now), ()
    pairs = list(zip(was, now, strict=True))
    moved = [(a, b) for a, b in pairs if not a.is_like(b)]
    if not moved:
        return None
    images = [(a, b) for a, b in pairs if a.element == "img"]
    own = tuple(
        n
        for n, (a, b) in enumerate(images)
        if abs(a.width - b.width) > TOLERANCE or abs(a.height - b.height) > TOLERANCE
    )
    a, b = moved[0]
    before, after = (f"{x.width:g} x {x.height:g} at {x.x:g}, {x.y:g}" for x in (a, b))
    words = f"{len(moved)} boxes changed{where}; the first is {a.element}: {before} became {after}."
    return words, len(moved), own


async def _look_safely(browser: Browser, address: str, page: str, screen: Screen, sweep: Sequence[int]) -> Seen:
    limit = LOAD_SECONDS + 2 * QUIET_LIMIT_SECONDS + 10
    try:
        return await asyncio.wait_for(_look(browser, address, page, screen, sweep), limit)
    except TimeoutError:
        return Seen(problem=f"{page} did not come to rest within {limit:g} seconds.")
    except BrowserError as error:
        return Seen(problem=f"{page} could not be loaded: {error.message.splitlines()[0]}")


async def _look(browser: Browser, address: str, path: str, screen: Screen, sweep: Sequence[int]) -> Seen:
    async with fresh_page(browser, screen) as page:
        seen, watch = Seen(), Watch(page)
        _listen(page, address, seen)
        await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
        await watch.quiet()
        await page.evaluate(SCROLL)
        await watch.quiet()
        await page.evaluate("() => scrollTo(0, 0)")
        seen.boxes = await _boxes(page)
        images = dict(seen.images)
        for width in sweep:
            await page.set_viewport_size({"width": width, "height": screen.height})
            await page.evaluate(_DECODED)
            seen.swept[width] = await _boxes(page)
        seen.images = images
        return seen


async def _boxes(page: Page) -> list[Box]:
    found: list[list[Any]] = await page.evaluate(_BOXES)
    return [Box(*one) for one in found]


def _listen(page: Page, address: str, seen: Seen) -> None:
    def response(answer: Response) -> None:
        kind = answer.headers.get("content-type", "")
        if answer.url.startswith(address) and (answer.request.resource_type == "image" or kind.startswith("image/")):
            size = int(answer.headers.get("content-length", "0")) if answer.status < 400 else 0
            seen.images[answer.url.removeprefix(address)] = size

    def message(kind: str, text: str) -> None:
        if kind in ("error", "warning", "pageerror"):
            seen.messages[f"{kind}: {text.replace(address, '')}"] += 1

    page.on("response", response)
    page.on("console", lambda m: message(m.type, m.text))
    page.on("pageerror", lambda e: message("pageerror", str(e)))
