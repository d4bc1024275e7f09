"""Many plain pages compared at once, each in a frame."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from playwright.async_api import Browser, Page

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import ask, fresh_page, in_browsers
from ivory_thistle.intake.comparing import BOXES
from ivory_thistle.intake.differences import Box, Difference, Seen, differences
from ivory_thistle.intake.listening import listen

_FRAMED = f"""async (addresses) => {{
  const boxes = {BOXES};
  const frames = addresses.map((address) => {{
    const frame = document.createElement('iframe');
    frame.style.cssText = 'position:absolute;inset:0;width:100vw;height:100vh;border:0;visibility:hidden';
    frame.src = address;
    return frame;
  }});
  const loaded = Promise.all(frames.map((frame) => new Promise((done) => {{ frame.onload = done; }})));
  bodyOf(document).replaceChildren(...frames);
  await loaded;
  const images = () => frames.flatMap((frame) => [...imagesOf(frame.contentDocument)]);
  const since = performance.now();
  const waits = (image) => !image.complete && performance.now() < since + (image.loading === 'lazy' ? 500 : 5000);
  do await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  while (images().some(waits));
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  return frames.map((frame) => boxes(frame.contentWindow));
}}"""
_TOGETHER, _MOST_LOOKS = 50, 4


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
    listening = listen(page, address, every)
    await page.goto(f"{address}/~frames/")
    addresses = [f"{address}/~{n}/{quote(path)}" for n, path in enumerate(paths)]
    found: list[list[list[Any]]] = await ask(page, _FRAMED, addresses)
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
