"""Two versions of a site in headless Chromium, page by page: same boxes, no more requests, no more bytes, no new errors.

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
  const boxes = [];
  for (const node of document.documentElement.querySelectorAll('*')) {
    if (['PICTURE', 'SOURCE', 'HEAD', 'STYLE', 'SCRIPT', 'LINK', 'META', 'TITLE', 'BASE'].includes(node.tagName)) continue;
    const box = node.getBoundingClientRect();
    const broken = node instanceof HTMLImageElement && node.complete && !!node.currentSrc && node.naturalWidth === 0;
    boxes.push([node.tagName.toLowerCase(), round(box.x + scrollX), round(box.y + scrollY), round(box.width),
                round(box.height), broken]);
  }
  const root = document.documentElement;
  boxes.push(['(page)', 0, 0, root.scrollWidth, root.scrollHeight, false]);
  return boxes;
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
    """One page on one screen: boxes in tree order, images that came (address and bytes), and console messages."""

    boxes: list[Box] = field(default_factory=list)
    images: dict[str, int] = field(default_factory=dict)
    messages: Counter[str] = field(default_factory=Counter)
    problem: str = ""


@dataclass(frozen=True, slots=True)
class Difference:
    """What changed on one page and screen, in words. `images` counts the `img`s of the page in tree order, from 0.

    `moved` tells how many boxes are elsewhere or of another size; `images` are those whose own size changed.
    """

    page: str
    screen: str
    words: str
    moved: int = 0
    images: tuple[int, ...] = ()


def compare_sites(
    before: str,
    after: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    on_page: Callable[[str, Screen, Seen, Seen], None],
    at_once: int = 2,
) -> list[Difference]:
    """Loads the pages of the sites served at two addresses on every screen, and tells what is not as before.

    `on_page` is told of each page and screen as it was seen before and after.
    """
    found: list[Difference] = []

    async def one(browser: Browser, job: tuple[str, Screen]) -> bool:
        page, screen = job
        old = await _look_safely(browser, before, page, screen)
        new = await _look_safely(browser, after, page, screen) if not old.problem else old
        on_page(page, screen, old, new)
        found.extend(differences(page, screen.name, old, new))
        return not (old.problem or new.problem)

    asyncio.run(in_browsers([(page, screen) for page in pages for screen in screens], one, at_once))
    order = {page: n for n, page in enumerate(pages)}
    return sorted(found, key=lambda d: (order[d.page], d.screen))


def differences(page: str, screen: str, old: Seen, new: Seen) -> list[Difference]:
    """Everything about a page on a screen that is not as it was."""

    def told(words: str, moved: int = 0, images: tuple[int, ...] = ()) -> Difference:
        return Difference(page, screen, words, moved, images)

    if old.problem or new.problem:
        return [told(f"{old.problem or new.problem} It could not be compared.")]
    if len(old.boxes) != len(new.boxes):
        return [told(f"There are {len(new.boxes)} boxes instead of {len(old.boxes)}.", len(new.boxes))]
    found = []
    pairs = list(zip(old.boxes, new.boxes, strict=True))
    moved = [(a, b) for a, b in pairs if not a.is_like(b)]
    images = [(a, b) for a, b in pairs if a.element == b.element == "img"]
    if moved:
        a, b = moved[0]
        own = tuple(
            n
            for n, (x, y) in enumerate(images)
            if abs(x.width - y.width) > TOLERANCE or abs(x.height - y.height) > TOLERANCE
        )
        was, now = (f"{x.width:g} x {x.height:g} at {x.x:g}, {x.y:g}" for x in (a, b))
        found.append(told(f"{len(moved)} boxes changed; the first is {a.element}: {was} became {now}.", len(moved), own))
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


async def _look_safely(browser: Browser, address: str, page: str, screen: Screen) -> Seen:
    limit = LOAD_SECONDS + 2 * QUIET_LIMIT_SECONDS + 10
    try:
        return await asyncio.wait_for(_look(browser, address, page, screen), limit)
    except TimeoutError:
        return Seen(problem=f"{page} did not come to rest within {limit:g} seconds.")
    except BrowserError as error:
        return Seen(problem=f"{page} could not be loaded: {error.message.splitlines()[0]}")


async def _look(browser: Browser, address: str, path: str, screen: Screen) -> Seen:
    async with fresh_page(browser, screen) as page:
        seen, watch = Seen(), Watch(page)
        _listen(page, address, seen)
        await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
        await watch.quiet()
        await page.evaluate(SCROLL)
        await watch.quiet()
        await page.evaluate("() => scrollTo(0, 0)")
        found: list[list[Any]] = await page.evaluate(_BOXES)
        seen.boxes = [Box(*one) for one in found]
        return seen


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
