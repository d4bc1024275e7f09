"""Two versions of a site in headless Chromium, page by page: same boxes, no more requests or bytes, no new errors.

Boxes are those of all elements but `picture` and `source`, which a rewriting may add; they are matched by their order.
"""

from __future__ import annotations

import asyncio
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

from playwright.async_api import Browser, Page, Response
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import (
    LOAD_SECONDS,
    QUIET_LIMIT_SECONDS,
    SCROLL,
    Watch,
    fresh_page,
    in_browsers,
)

TOLERANCE = 1.0
"""CSS px by which a box may move or grow."""
_BOXES = """(win) => {
  const round = (n) => Math.round(n * 100) / 100;
  const without = new Set('PICTURE SOURCE HEAD STYLE SCRIPT LINK META TITLE BASE'.split(' '));
  const boxes = [];
  const root = win.document.documentElement;
  for (const node of root.querySelectorAll('*')) {
    if (without.has(node.tagName)) continue;
    const box = node.getBoundingClientRect();
    const broken = node.tagName === 'IMG' && node.complete && !!node.currentSrc && node.naturalWidth === 0;
    boxes.push([node.tagName.toLowerCase(), round(box.x + win.scrollX), round(box.y + win.scrollY), round(box.width),
                round(box.height), broken]);
  }
  boxes.push(['(page)', 0, 0, root.scrollWidth, root.scrollHeight, false]);
  return boxes;
}"""
_FRAMED = f"""async (addresses) => {{
  const boxes = {_BOXES};
  const frames = addresses.map((address) => {{
    const frame = document.createElement('iframe');
    frame.style.cssText = 'position:absolute;inset:0;width:100vw;height:100vh;border:0;visibility:hidden';
    frame.src = address;
    return frame;
  }});
  const loaded = Promise.all(frames.map((frame) => new Promise((done) => {{ frame.onload = done; }})));
  document.body.replaceChildren(...frames);
  await loaded;
  const images = () => frames.flatMap((frame) => [...frame.contentDocument.images]);
  const since = performance.now();
  const waits = (image) => !image.complete && performance.now() < since + (image.loading === 'lazy' ? 500 : 5000);
  do await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  while (images().some(waits));
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  return frames.map((frame) => boxes(frame.contentWindow));
}}"""
_FOR_OTHERS = "<link rel=preload> has an unsupported `type` value"
"""What Chromium says of a preload that is meant for browsers of another tier: no fault."""
SWEEP = (320, 600, 768, 1024, 1280)
"""Other widths of the screen, in CSS px, at which boxes are compared."""
_DECODED = """async () => {
  scrollTo(0, 0);
  const frame = () => new Promise((done) => requestAnimationFrame(done));
  await frame();
  const loaded = (i) => i.complete ? null : new Promise((done) => { i.onload = i.onerror = done; });
  const soon = new Promise((done) => setTimeout(done, 400));
  await Promise.race([soon, Promise.all([...document.images].map(loaded))]);
  await frame();
}"""


_TOGETHER, _MOST_LOOKS = 20, 4


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
    old_site: str,
    new_site: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    known: dict[tuple[str, str], Seen] | None = None,
    on_page: Callable[[], None] = lambda: None,
    stop: Callable[[], bool] = lambda: False,
    at_once: int = 2,
    sweep: Sequence[int] = SWEEP,
    after: dict[tuple[str, str], Seen] | None = None,
) -> list[Difference]:
    """Loads the pages of the sites served at two addresses on every screen, and tells what is not as before.

    The widest screen of density 1 is swept over other widths as well. `known` keeps what was seen before the change,
    by page and screen, for another comparison; `after` takes what was seen of the new site. A page that is never twice
    the same is told as one that can't be compared.
    """
    found: list[Difference] = []
    seen_before: dict[tuple[str, str], Seen] = {} if known is None else known
    swept = next((s.name for s in sorted(screens, key=lambda s: -s.width) if s.density == 1), "")

    async def one(browser: Browser, job: tuple[str, Screen]) -> bool:
        page, screen = job
        if stop():
            return True
        widths = sweep if screen.name == swept else ()
        old = seen_before.get((page, screen.name)) or await _look_safely(browser, old_site, page, screen, widths)
        seen_before[page, screen.name] = old
        new = old if old.problem else await _look_safely(browser, new_site, page, screen, widths)
        if after is not None:
            after[page, screen.name] = new
        different = differences(page, screen.name, old, new)
        if different and not (old.problem or new.problem):
            # Chromium may take what it happens to have in memory already: only what differs again is a difference.
            again = await _look_safely(browser, old_site, page, screen, widths)
            if not differences(page, screen.name, again, new):
                different = []
            elif differences(page, screen.name, old, again):
                different = [Difference(page, screen.name, "It is never twice the same.", comparable=False)]
        found.extend(different)
        on_page()
        return not (old.problem or new.problem)

    in_browsers([(page, screen) for page in pages for screen in screens], one, at_once)
    order = {page: n for n, page in enumerate(pages)}
    return sorted(found, key=lambda d: (order[d.page], d.screen))


def compare_plain_pages(before: str, after: str, pages: Sequence[str], screens: Sequence[Screen]) -> list[Difference]:
    """The same, many times as fast, for pages without scripts that need no scrolling: many stand in frames at once."""
    found: list[Difference] = []

    async def one(browser: Browser, job: tuple[Screen, Sequence[str]]) -> bool:
        screen, some = job
        olds: dict[str, list[Seen]] = defaultdict(list)
        news: dict[str, list[Seen]] = defaultdict(list)
        different: list[Difference] = []
        for _ in range(_MOST_LOOKS):
            for address, looks in ((before, olds), (after, news)):
                async with fresh_page(browser, screen, address) as page:
                    for path, seen in (await _framed(page, address, some)).items():
                        looks[path].append(seen)
            # Chromium may take what it happens to have in memory already: one look of each that agree are enough.
            verdicts = {
                path: min((differences(path, screen.name, a, b) for a in olds[path] for b in news[path]), key=len)
                for path in some
            }
            some = [path for path in some if verdicts[path]]
            different = [d for path in some for d in verdicts[path]]
            if not some:
                break
        found.extend(different)
        return True

    parts = [pages[n : n + _TOGETHER] for n in range(0, len(pages), _TOGETHER)]
    in_browsers([(screen, part) for screen in screens for part in parts], one)
    return found


async def _framed(page: Page, address: str, paths: Sequence[str]) -> dict[str, Seen]:
    """Each page in a frame as large as the screen, below a name of its own, so that it finds nothing cached."""
    seen = {path: Seen() for path in paths}
    every = Seen()
    listening = _listen(page, address, every)
    await page.goto(f"{address}/~frames/")
    addresses = [f"{address}/~{n}/{quote(path)}" for n, path in enumerate(paths)]
    found: list[list[list[Any]]] = await page.evaluate(_FRAMED, addresses)
    # Messages can't be told apart by frames; the first page stands for all.
    seen[paths[0]].messages = every.messages
    for path, boxes in zip(paths, found, strict=True):
        seen[path].boxes = [Box(*box) for box in boxes]
    for url, size in every.images.items():
        number, _, name = url.removeprefix("/~").partition("/")
        if number.isdigit():
            seen[paths[int(number)]].images[name] = size
    for event, listener in listening:
        page.remove_listener(event, listener)
    return seen


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
    async with fresh_page(browser, screen, address) as page:
        return await _look_at(page, address, path, screen, sweep)


async def _look_at(page: Page, address: str, path: str, screen: Screen, sweep: Sequence[int]) -> Seen:
    seen, watch = Seen(), Watch(page)
    listening = _listen(page, address, seen)
    await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
    await watch.quiet()
    await page.evaluate(SCROLL)
    await watch.quiet()
    await page.evaluate(_DECODED)
    seen.boxes = await _boxes(page)
    images = dict(seen.images)
    for width in sweep:
        await page.set_viewport_size({"width": width, "height": screen.height})
        await page.evaluate(_DECODED)
        seen.swept[width] = await _boxes(page)
    seen.images = images
    for event, listener in listening:
        page.remove_listener(event, listener)
    return seen


async def _boxes(page: Page) -> list[Box]:
    found: list[list[Any]] = await page.evaluate(f"() => ({_BOXES})(window)")
    return [Box(*one) for one in found]


def _listen(page: Page, address: str, seen: Seen) -> list[tuple[Any, Callable[[Any], None]]]:
    """Notes images and console messages; gives the listeners, to be taken off again."""

    def response(answer: Response) -> None:
        kind = answer.headers.get("content-type", "")
        if answer.url.startswith(address) and (answer.request.resource_type == "image" or kind.startswith("image/")):
            size = int(answer.headers.get("content-length", "0")) if answer.status < 400 else 0
            seen.images[answer.url.removeprefix(address)] = size

    def message(kind: str, text: str) -> None:
        if kind in ("error", "warning", "pageerror") and _FOR_OTHERS not in text:
            seen.messages[f"{kind}: {text.replace(address, '')}"] += 1

    listening: list[tuple[Any, Callable[[Any], None]]] = [
        ("response", response),
        ("console", lambda m: message(m.type, m.text)),
        ("pageerror", lambda e: message("pageerror", str(e))),
    ]
    for event, listener in listening:
        page.on(event, listener)
    return listening
