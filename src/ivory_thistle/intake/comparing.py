"""Two versions of a site in headless Chromium, page by page: same boxes, no more requests or bytes, no new errors.

Boxes are those of all elements but `picture` and `source`, which a rewriting may add; they are matched by their order.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Protocol, cast
from urllib.parse import quote

import cv2
import numpy as np
from playwright.async_api import Browser, FloatRect, Page
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.quality.likeness import Likeness
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import (
    LOAD_SECONDS,
    PAGE_SECONDS,
    Watch,
    ask,
    fresh_page,
    in_browsers,
    resize,
    scroll_through,
)
from ivory_thistle.intake.differences import Box, Difference, Seen, differences, restless
from ivory_thistle.intake.known import Known
from ivory_thistle.intake.listening import count_broken_off, listen
from ivory_thistle.intake.page_errors import in_words

BOXES = Path(__file__).with_name("boxes.js").read_text(encoding="utf-8")
SWEEP = (320, 600, 768, 1024, 1280)
"""Other widths of the screen, in CSS px, at which boxes are compared."""
_PICTURE_SECONDS = 10
_MORE_LOOKS = 3
"""At a page that looks different, before it is said so: what is wrong with it is wrong each time."""
_QUALITY = 90
"""Of page pictures. As PNG, they take Chromium seven times as long; what JPEG loses is far below what is looked for."""
_MOST_HEIGHT = 16_000
"""Of a page that is higher, in CSS px, the rest is in no picture."""
_DECODED = """async () => {
  jumpTo(0);
  const frame = () => new Promise((done) => requestAnimationFrame(done));
  await frame();
  const loaded = (i) => i.complete ? null : new Promise((done) => { i.onload = i.onerror = done; });
  const soon = new Promise((done) => setTimeout(done, 400));
  await Promise.race([soon, Promise.all([...imagesOf(document)].map(loaded))]);
  await frame();
  endMotion();
}"""


Judge = Callable[[Seen, Seen], Likeness | None]
"""Holds the pictures of one page, before and after, against each other; None where that says nothing."""


@dataclass(frozen=True, slots=True)
class Pair:
    """One page on one screen, before and after. `likeness` is that of its pictures, None where none were taken."""

    page: str
    screen: str
    old: Seen
    new: Seen
    different: tuple[Difference, ...] = ()
    likeness: Likeness | None = None


@dataclass(frozen=True, slots=True)
class Closeness:
    """How closely pages are compared: other widths of the widest plain screen, in CSS px, and who judges pictures.

    With a judge, pages are taken pictures of.
    """

    sweep: Sequence[int] = SWEEP
    judge: Judge | None = None


_BY_BOXES = Closeness()


def compare_sites(
    old_site: str,
    new_site: str,
    pages: Sequence[str],
    screens: Sequence[Screen],
    known: Known | None = None,
    on_pair: Callable[[Pair], None] = lambda pair: None,
    stop: Callable[[], bool] = lambda: False,
    closeness: Closeness = _BY_BOXES,
    skip: Callable[[str, str], bool] = lambda page, screen: False,
    is_as_before: Callable[[Collection[str]], bool] = lambda asked: False,
) -> list[Difference]:
    """Loads the pages of the sites served at two addresses on every screen, and tells what is not as before.

    `known` keeps what was seen before the change for another comparison. `skip` is asked of each page and screen. A
    page of which all that it asked for `is_as_before` is not loaded again. A page that is never twice the same is told
    as one that can't be compared.
    """
    found: list[Difference] = []
    seen_before = known or Known()
    swept = swept_screen(screens)

    async def one(browser: Browser, job: tuple[str, Screen]) -> bool:
        page, screen = job
        if stop() or skip(page, screen.name):
            return True
        sweep = closeness.sweep if screen.name == swept else ()
        look = partial(
            _look_safely, browser, path=page, screen=screen, sweep=sweep, pictures=closeness.judge is not None
        )
        old = seen_before.get(page, screen)
        if old is None or (sweep and not (old.swept or old.problem)):
            old = await look(old_site)
        seen_before.keep(page, screen, old)
        new = old if old.problem or is_as_before(old.asked) else await look(new_site)
        if new.problem and not old.problem:
            # It may have been this machine.
            new = await look(new_site)
        looks = partial(look, old_site), partial(look, new_site)
        pair = await _compared(page, screen.name, old, new, looks, closeness.judge)
        found.extend(pair.different)
        on_pair(pair)
        return not (old.problem or new.problem)

    in_browsers([(page, screen) for page in pages for screen in screens], one)
    order = {page: n for n, page in enumerate(pages)}
    return sorted(found, key=lambda d: (order[d.page], d.screen))


def swept_screen(screens: Sequence[Screen]) -> str:
    """The name of the screen on which boxes are compared at other widths too: the widest plain one; else empty."""
    return next((s.name for s in sorted(screens, key=lambda s: -s.width) if s.density == 1), "")


class _Look(Protocol):
    """Looks at one page of one of the sites; `fine`: with its picture reduced from the screen's own pixels."""

    def __call__(self, *, fine: bool = False) -> Awaitable[Seen]: ...


async def _compared(
    page: str, screen: str, old: Seen, new: Seen, looks: tuple[_Look, _Look], judge: Judge | None
) -> Pair:
    """What differs, and differs again when the pages are looked at once more; `looks` are of the old and new one."""
    different = differences(page, screen, old, new)
    if old.problem or new.problem:
        return Pair(page, screen, old, new, tuple(different))
    likeness = await _judged(judge, old, new)
    if different or (likeness and likeness.words):
        # Chromium may take what it happens to have in memory already: only what differs again is a difference.
        again = await looks[0]()
        if different:
            different = await _lasting(page, screen, old, again, new, looks, patient=judge is not None)
        if likeness and likeness.words:
            likeness = await _lasting_likeness(old, again, new, looks, judge)
            if likeness is None:
                different.append(Difference(page, screen, "Its picture moves by itself.", comparable=False))
    if likeness and likeness.words:
        shown = tuple(_under(new.boxes, likeness))
        different.append(Difference(page, screen, likeness.words, images=shown))
    return Pair(page, screen, old, new, tuple(different), likeness)


async def _lasting(
    page: str, screen: str, old: Seen, again: Seen, new: Seen, looks: tuple[_Look, _Look], patient: bool
) -> list[Difference]:
    """What differs, `again` too, but for what the page does by itself.

    A page that moves, and any page where one is `patient`, is looked at some more times. What came and is not shown
    counts all the same: when a script runs is chance.
    """
    if not differences(page, screen, again, new):
        return []
    unshown = [d for d in differences(page, screen, old, new, [again]) if d.unshown]
    others, patient = [again], patient or bool(differences(page, screen, old, again))
    while True:
        doubts = restless(page, screen, old, others)
        if any(not d.images for d in doubts):
            return [*doubts, *unshown]
        different = differences(page, screen, old, new, others)
        if not (different and patient) or len(others) > _MORE_LOOKS:
            return [*doubts, *(d for d in different if not d.unshown), *unshown]
        others.append(await looks[0]())
        new = await looks[1]()


async def _lasting_likeness(
    old: Seen, again: Seen, new: Seen, looks: tuple[_Look, _Look], judge: Judge | None
) -> Likeness | None:
    """The likeness that is left when both pages are looked at some more times; None for one that moves by itself."""
    likeness = None
    for n in range(1 + _MORE_LOOKS):
        if n > 0:
            # A picture may not have been painted, on a busy machine; what moves may be where it was before by chance.
            again, new = await looks[0](), await looks[1]()
        likeness = await _judged(judge, again, new) or likeness
        itself = await _judged(judge, old, again)
        if itself and itself.words:
            return None
        if not (likeness and likeness.words):
            return likeness
    # Chromium drops pixels of dense screens: lettering that is a little softer then looks damaged.
    return await _judged(judge, await looks[0](fine=True), await looks[1](fine=True)) or likeness


async def _judged(judge: Judge | None, old: Seen, new: Seen) -> Likeness | None:
    if judge is None or old.picture is None or new.picture is None:
        return None
    return await asyncio.to_thread(judge, old, new)


def _under(boxes: Sequence[Box], likeness: Likeness) -> Iterator[int]:
    """The `img`s, by their number in tree order, that the worst spot of a page touches."""
    spot = likeness.spot
    for number, box in enumerate(b for b in boxes if b.element == "img"):
        apart = spot is None or box.x >= spot.x + spot.width or box.x + box.width <= spot.x
        if spot is not None and not apart and box.y < spot.y + spot.height and box.y + box.height > spot.y:
            yield number


async def _look_safely(
    browser: Browser,
    address: str,
    path: str,
    screen: Screen,
    sweep: Sequence[int],
    pictures: bool,
    fine: bool = False,
) -> Seen:
    try:
        async with fresh_page(browser, screen, address) as page:
            return await asyncio.wait_for(_look(page, address, path, screen, sweep, pictures, fine), PAGE_SECONDS)
    except TimeoutError:
        return Seen(problem=f"{path} did not come to rest within {PAGE_SECONDS:g} seconds.")
    except BrowserError as error:
        return Seen(problem=f"{path} could not be loaded: {in_words(error)}")


async def _look(
    page: Page, address: str, path: str, screen: Screen, sweep: Sequence[int], pictures: bool, fine: bool
) -> Seen:
    seen, watch = Seen(), Watch(page)
    listening = listen(page, address, seen)
    await page.goto(f"{address}/{quote(path)}", wait_until="load", timeout=LOAD_SECONDS * 1000)
    await watch.quiet_soon()
    await count_broken_off(address, seen)
    seen.at_opening = dict(seen.images)
    await scroll_through(page)
    await watch.quiet_soon()
    await count_broken_off(address, seen)
    await look_closely(page, screen, seen, sweep, pictures, fine)
    for event, listener in listening:
        page.remove_listener(event, listener)
    return seen


async def look_closely(
    page: Page, screen: Screen, seen: Seen, sweep: Sequence[int], pictures: bool, fine: bool = False
) -> None:
    """Notes the boxes of a page that was scrolled through, also at other widths of the screen, and its picture.

    `fine`: the picture is reduced from the screen's own pixels, where the page is not too high for that.
    """
    await ask(page, _DECODED)
    seen.boxes = await _boxes(page)
    # What follows changes the screen's size, and may load other files.
    images = dict(seen.images)
    if pictures:
        seen.picture = await _picture(page, screen, fine)
    for width in sweep:
        await resize(page, width, screen.height)
        await ask(page, _DECODED)
        seen.swept[width] = await _boxes(page)
    seen.images = images


async def _picture(page: Page, screen: Screen, fine: bool) -> bytes | None:
    """The page from its top, as high as it is and no higher than the limit."""
    height = await ask(page, "() => rootOf(document).scrollHeight")
    clip = {"x": 0, "y": 0, "width": screen.width, "height": min(max(height, 1), _MOST_HEIGHT)}
    in_own_pixels = fine and height * screen.density <= _MOST_HEIGHT
    try:
        picture = await page.screenshot(
            full_page=True, type="jpeg", quality=_QUALITY, scale="device" if in_own_pixels else "css",
            animations="disabled", clip=cast(FloatRect, clip), timeout=_PICTURE_SECONDS * 1000,
        )  # fmt: skip
        return _reduced(picture, screen.density) if in_own_pixels else picture
    except BrowserError:
        # A page that never rests can't be held still; its boxes and bytes are known all the same.
        return None


def _reduced(picture: bytes, density: float) -> bytes:
    """A JPEG of the screen's own pixels, as one of one pixel a CSS px: each is the mean of those that it stands for."""
    pixels = np.asarray(cv2.imdecode(np.frombuffer(picture, np.uint8), cv2.IMREAD_COLOR), np.uint8)
    size = round(pixels.shape[1] / density), round(pixels.shape[0] / density)
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return cv2.imencode(".jpg", small, (cv2.IMWRITE_JPEG_QUALITY, _QUALITY))[1].tobytes()


async def _boxes(page: Page) -> list[Box]:
    found: list[list[Any]] = await ask(page, f"() => ({BOXES})(window)")
    return [Box(*one) for one in found]
