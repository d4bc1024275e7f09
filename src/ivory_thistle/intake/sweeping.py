"""The boxes of a page's `img`s at many widths of the screen, denser where the layout changes, in headless Chromium."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Collection, Iterable, Sequence
from contextlib import AsyncExitStack, asynccontextmanager
from dataclasses import dataclass
from functools import reduce
from itertools import pairwise
from math import inf
from typing import Any
from urllib.parse import quote

from playwright.async_api import Browser, Page
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.rewriting.fitting import Sample
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import (
    LOAD_SECONDS,
    Watch,
    ask,
    emulate_touch,
    fresh_page,
    in_browsers,
    resize,
    run_early,
    scroll_through,
)
from ivory_thistle.intake.vitals import OBSERVE, VITALS

NARROWEST, WIDEST, STEP = 320, 2560, 80
_HEIGHT = 900
_STRAIGHT = 0.75
"""CSS px by which a box may be off the line between its neighbours."""
_MOST_WIDTHS = 200
LONGEST_SRC = 2000
"""Characters of an `img`'s `src` that are noted: pictures written into it may have megabytes."""
_LARGE_SHARE = 0.05
"""Of a screen's area; what shows less is not what its visitor waits for."""
_SECONDS = 40.0

# Large pictures take longer to paint than to lay out, and nobody looks.
_UNPAINTED = "() => rootOf(document).style.setProperty('visibility', 'hidden', 'important')"
_BEHIND = """() => {
  const found = [];
  for (const node of everyOf(document, '*')) {
    for (const part of [null, '::before', '::after']) {
      const style = getComputedStyle(node, part);
      if (style.backgroundImage.includes('url(') && !(part && ['none', 'normal'].includes(style.content))) {
        const box = boxOf(node);
        const odd = part || style.backgroundAttachment !== 'scroll' || style.backgroundImage.includes('), ');
        const value = style.backgroundImage.replace(/data:[^"]{100,}/g, 'data:');
        found.push([value, style.backgroundSize, odd ? -1 : box.width, box.height]);
      }
    }
  }
  return found;
}"""
_BOXES = """async () => {
  const frame = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  await frame();
  const late = performance.now() + 500;
  const waits = (i) => !i.complete && i.loading !== 'lazy';
  while ([...imagesOf(document)].some(waits) && performance.now() < late) await frame();
  endMotion();
  const side = (style, names) => names.reduce((sum, name) => sum + (parseFloat(style[name]) || 0), 0);
  return [...everyOf(document, 'img')].map((node) => {
    const box = node.getBoundingClientRect();
    const style = getComputedStyle(node);
    const width = box.width - side(style, ['paddingLeft', 'paddingRight', 'borderLeftWidth', 'borderRightWidth']);
    const height = box.height - side(style, ['paddingTop', 'paddingBottom', 'borderTopWidth', 'borderBottomWidth']);
    const own = node.naturalHeight ? (height * node.naturalWidth) / node.naturalHeight : width;
    const drawn = {cover: Math.max(width, own), none: Math.max(width, own), contain: Math.min(width, own)};
    const seen = box.width > 0 && box.height > 0;
    const src = (node.getAttribute('src') || '').trim().slice(0, LONGEST_SRC);
    if (!seen) return [src, 0, 0, 0];
    return [src, Math.max(0, drawn[style.objectFit] ?? width), box.top + scrollY, width * height];
  });
}""".replace("LONGEST_SRC", str(LONGEST_SRC))


@dataclass(frozen=True, slots=True)
class SweptImage:
    """One `img` of a page: how wide its picture is drawn at every width of the screen.

    `src` is as written, cut at `LONGEST_SRC` characters. `first` names the screens on which some of it is seen without
    scrolling, `largest` those whose largest such picture it is, and no small one.
    """

    src: str
    widths: tuple[Sample, ...]
    first: frozenset[str] = frozenset()
    largest: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class SweptBackground:
    """A box with a CSS background at one width of the screen, all in CSS px; `value` and `size` are as computed.

    Where what is drawn does not follow from the box, as in pseudo-elements, `width` is infinite.
    """

    screen: int
    value: str
    size: str
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class SweptPage:
    """A page's `img`s in tree order. `late`: the address of the CSS background that is its largest paint everywhere.

    A browser finds such a picture late: when the style sheet has come and the box is laid out.
    """

    images: tuple[SweptImage, ...]
    late: str = ""
    behind: tuple[SweptBackground, ...] = ()


def sweep_pages(
    address: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    on_page: Callable[[], None] = lambda: None,
    stop: Callable[[], bool] = lambda: False,
    backgrounds: Collection[str] = (),
) -> dict[str, SweptPage]:
    """The pages of the site served at `address`, at density 1; those of `backgrounds` may have one as largest paint.

    A page that can't be swept (it hangs, or its `img`s become more or fewer) is not among them.
    """
    found: dict[str, SweptPage] = {}

    async def one(browser: Browser, path: str) -> bool:
        if stop():
            return True
        swept = None
        try:
            swept = await asyncio.wait_for(
                _sweep(browser, address, path, screens, path in backgrounds), LOAD_SECONDS + _SECONDS
            )
        except (TimeoutError, BrowserError):
            return False
        finally:
            on_page()
            if swept is not None:
                found[path] = swept
        return True

    in_browsers(list(pages), one)
    return found


async def _sweep(
    browser: Browser, address: str, path: str, screens: Sequence[Screen], has_backgrounds: bool,
    touched_too: bool = False,
) -> SweptPage | None:  # fmt: skip
    """`touched_too`: boxes are as on a touched screen where they are wider there."""
    depends_on_touch = False
    async with AsyncExitStack() as ends:
        ways = (False, True) if touched_too else (False,)
        pages = [await ends.enter_async_context(_laid_out(browser, address, path, touch)) for touch in ways]
        mouse, touched = pages[0], pages[-1]
        behind: list[SweptBackground] = []

        async def look(width: int) -> list[Any]:
            looked_at = []
            for page in pages:
                looked_at.append(await _boxes(page, width))
                if has_backgrounds:
                    behind.extend(await _behind(page, width))
            return reduce(_wider, looked_at)

        by_screen = {s.name: await _boxes(touched if s.touch else mouse, s.width, s.height) for s in screens}
        if not has_backgrounds and not next(iter(by_screen.values()), [1]):
            return SweptPage(())
        looks = await _looks(look, {s.width for s in screens if NARROWEST <= s.width <= WIDEST})
        if not touched_too:
            await emulate_touch(mouse)
            for s in screens:
                if s.touch and _drawn(await _boxes(mouse, s.width, s.height)) != _drawn(by_screen[s.name]):
                    depends_on_touch = True
    if depends_on_touch:
        return await _sweep(browser, address, path, screens, has_backgrounds, touched_too=True)
    late = await _late_background(browser, address, path, screens) if has_backgrounds else ""
    every = [*looks.values(), *by_screen.values()]
    names = {tuple(src for src, *_ in seen) for seen in every}
    if len(names) != 1:
        return None
    first = {s.name: _first(by_screen[s.name], s.height) for s in screens}
    largest = {s.name: _largest(first[s.name], s) for s in screens}
    images = tuple(
        SweptImage(
            src, tuple((width, round(seen[n][1], 2)) for width, seen in sorted(looks.items())),
            frozenset(name for name, areas in first.items() if n in areas),
            frozenset(name for name, most in largest.items() if most == n),
        )
        for n, src in enumerate(next(iter(names)))
    )  # fmt: skip
    return SweptPage(images, late, tuple(behind))


@asynccontextmanager
async def _laid_out(browser: Browser, address: str, path: str, touch: bool) -> AsyncIterator[Page]:
    """A page that has come to rest, scrolled through; it is laid out, and no longer painted."""
    async with fresh_page(browser, Screen("sweep", 1280, _HEIGHT, touch=touch), address) as page:
        watch = Watch(page)
        await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
        await watch.quiet_soon()
        await scroll_through(page)
        await watch.quiet_soon()
        await ask(page, _UNPAINTED)
        yield page


async def _boxes(page: Page, width: int, height: int = _HEIGHT) -> list[Any]:
    await resize(page, width, height)
    seen: list[Any] = await ask(page, _BOXES)
    return seen


async def _behind(page: Page, width: int) -> list[SweptBackground]:
    found = await ask(page, _BEHIND)
    return [
        SweptBackground(width, value, size, inf if drawn < 0 else drawn, high) for value, size, drawn, high in found
    ]


async def _late_background(browser: Browser, address: str, path: str, screens: Sequence[Screen]) -> str:
    """The background that is the largest paint on every screen; empty for none, or for others on some."""
    found: set[str] = set()
    for screen in screens:
        async with fresh_page(browser, screen, address) as page:
            watch = Watch(page)
            await run_early(page, OBSERVE)
            await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
            await watch.quiet()
            seen = await ask(page, VITALS)
        found.add(seen["lcp"] if seen["element"] not in ("", "img", "image", "video") else "")
        if "" in found or len(found) > 1:
            return ""
    return found.pop().removeprefix(address) if found else ""


def _drawn(seen: Iterable[Any]) -> list[float]:
    return [width for _, width, *_ in seen]


def _wider(seen: list[Any], others: list[Any]) -> list[Any]:
    """Every `img` as it was seen wider; the one of both that has more of them."""
    if len(seen) != len(others):
        return max(seen, others, key=len)
    return [max(pair, key=lambda one: one[1]) for pair in zip(seen, others, strict=True)]


def _first(seen: Iterable[Any], height: int) -> dict[int, float]:
    """The `img`s that are seen without scrolling, by their number, with the area that is seen."""
    shares = {}
    for n, (_, width, top, area) in enumerate(seen):
        if area and width and top < height:
            tall = area / width
            shares[n] = area * min(1.0, (height - max(0.0, top)) / tall) if tall else 0.0
    return shares


def _largest(areas: dict[int, float], screen: Screen) -> int | None:
    """The picture that is seen largest without scrolling; None where all are small."""
    most = max(areas, key=lambda n: areas[n], default=None)
    large = most is not None and areas[most] >= _LARGE_SHARE * screen.width * screen.height
    return most if large else None


async def _looks(look: Callable[[int], Awaitable[list[Any]]], others: Iterable[int]) -> dict[int, list[Any]]:
    """What is seen at even steps and at the `others`, and between where boxes don't follow a straight line."""
    looks: dict[int, list[Any]] = {}
    for width in sorted({*range(NARROWEST, WIDEST + 1, STEP), *others}):
        looks[width] = await look(width)
    grid = sorted(looks)
    waiting = list(pairwise(grid))
    while waiting and len(looks) < _MOST_WIDTHS:
        left, right = waiting.pop(0)
        middle = (left + right) // 2
        if middle == left:
            continue
        looks[middle] = await look(middle)
        if not _straight(looks, left, middle, right):
            waiting += [(left, middle), (middle, right)]
    return looks


def _straight(looks: dict[int, list[Any]], left: int, middle: int, right: int) -> bool:
    share = (middle - left) / (right - left)
    return all(
        abs(m[1] - (a[1] + share * (b[1] - a[1]))) <= _STRAIGHT
        for a, m, b in zip(looks[left], looks[middle], looks[right], strict=False)
    )
