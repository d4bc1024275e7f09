"""Many plain pages before and after a change, held against each other at once: each stands in a frame.

The page around them is one that Playwright does not watch: what it tells of every request costs more than a frame.
"""

from __future__ import annotations

import asyncio
import json
from collections import Counter, defaultdict
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from typing import Any, cast
from urllib.parse import quote

from playwright.async_api import Browser, CDPSession
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import in_browsers
from ivory_thistle.intake.comparing import BOXES
from ivory_thistle.intake.differences import Box, Difference, Seen, differences
from ivory_thistle.intake.worlds import World

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
  const came = ({{performance}}) => performance.getEntriesByType('resource').map(
    (one) => [one.name, one.responseStatus < 400 ? one.encodedBodySize : 0]);
  return frames.map(({{contentWindow}}) => [boxes(contentWindow), came(contentWindow)]);
}}"""
_TOGETHER, _MOST_LOOKS, _ANSWER_SECONDS = 50, 4, 60


def compare_plain_pages(before: str, after: str, pages: Sequence[str], screens: Sequence[Screen]) -> list[Difference]:
    """What differs between the sites served at two addresses, of pages without scripts that need no scrolling."""
    found: list[Difference] = []

    async def one(browser: Browser, job: tuple[Screen, Sequence[str]]) -> bool:
        screen, some = job
        olds: dict[str, list[Seen]] = defaultdict(list)
        news: dict[str, list[Seen]] = defaultdict(list)
        different: list[Difference] = []
        for _ in range(_MOST_LOOKS):
            for address, looks in ((before, olds), (after, news)):
                for path, seen in (await _framed(browser, screen, address, some)).items():
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


async def _framed(browser: Browser, screen: Screen, address: str, paths: Sequence[str]) -> dict[str, Seen]:
    """Each page in a frame as large as the screen, below a name of its own, so that it finds nothing cached."""
    async with _unwatched(browser, screen, address) as page:
        await page.send("Page.navigate", {"url": f"{address}/~frames/"})
        rooms = [f"{address}/~{n}/" for n in range(len(paths))]
        addresses = [room + quote(path) for room, path in zip(rooms, paths, strict=True)]
        found = await World(cast(CDPSession, page)).ask(_FRAMED, addresses)
        seen = {}
        for path, room, (boxes, came) in zip(paths, rooms, found, strict=True):
            images = {name.removeprefix(room): size for name, size in came}
            seen[path] = Seen(boxes=[Box(*box) for box in boxes], images=images)
        # Messages can't be told apart by frames; the first page stands for all.
        seen[paths[0]].messages = Counter(text.replace(address, "") for text in page.messages)
        return seen


class _Unwatched:
    """A page of a browser, spoken to through the browser's own session."""

    def __init__(self, session: CDPSession, name: str) -> None:
        self.messages: list[str] = []
        """Errors and warnings of the console."""
        self._session = session
        self._name = name
        self._answers: dict[int, asyncio.Future[dict[str, Any]]] = {}
        session.on("Target.receivedMessageFromTarget", self._hear)

    async def send(self, method: str, given: dict[str, Any] | None = None) -> dict[str, Any]:
        """What a command of Chromium's protocol gives. Raises BrowserError."""
        number = len(self._answers)
        self._answers[number] = asyncio.get_running_loop().create_future()
        message = json.dumps({"id": number, "method": method, "params": given or {}})
        await self._session.send("Target.sendMessageToTarget", {"sessionId": self._name, "message": message})
        told = await asyncio.wait_for(self._answers[number], _ANSWER_SECONDS)
        if "error" in told:
            raise BrowserError(told["error"]["message"])
        return cast(dict[str, Any], told["result"])

    def _hear(self, told: dict[str, Any]) -> None:
        message = json.loads(told["message"])
        if "id" in message:
            self._answers[message["id"]].set_result(message)
        elif message["method"] == "Log.entryAdded":
            entry = message["params"]["entry"]
            if entry["level"] in ("error", "warning"):
                self.messages.append(f"{entry['level']}: {entry['text']} {entry.get('url', '')}")


@asynccontextmanager
async def _unwatched(browser: Browser, screen: Screen, address: str) -> AsyncIterator[_Unwatched]:
    """A page where nothing is cached, on a screen; it reaches the site served at `address` and nothing else."""
    session = await browser.new_browser_cdp_session()
    only = {"proxyServer": address, "proxyBypassList": "<-loopback>"}
    context = (await session.send("Target.createBrowserContext", only))["browserContextId"]
    try:
        target = await session.send("Target.createTarget", {"url": "about:blank", "browserContextId": context})
        told = await session.send("Target.attachToTarget", {"targetId": target["targetId"]})
        page = _Unwatched(session, told["sessionId"])
        size = {"width": screen.width, "height": screen.height, "deviceScaleFactor": screen.density, "mobile": False}
        await page.send("Emulation.setDeviceMetricsOverride", size)
        await page.send("Log.enable")
        yield page
    finally:
        await session.send("Target.disposeBrowserContext", {"browserContextId": context})
        await session.detach()
