"""What a page asks for, gets and says, noted while it loads."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any

import httpx
from playwright.async_api import Page, Request, Response

from ivory_thistle.intake.chromium import LOAD_SECONDS
from ivory_thistle.intake.differences import Seen

_MOST_MESSAGES, _LONGEST_MESSAGE = 200, 500
"""Of a page, the others alike or not: a script may write without end."""
_FOR_OTHERS = "<link rel=preload> has an unsupported `type` value"
"""What Chromium says of a preload that is meant for browsers of another tier: no fault."""
_BROKEN_OFF, _MOST_UNANSWERED = "net::ERR_ABORTED", 100
"""What Chromium says of a request that its page no longer waits for, and how many of them are noted."""
_MISSING = "Failed to load resource"


def listen(page: Page, address: str, seen: Seen) -> list[tuple[Any, Callable[[Any], None]]]:
    """Notes what is asked for, images and console messages; gives the listeners, to be taken off again."""

    arrived = False
    # With the slash: another port may begin with the digits of this one.
    own = f"{address}/"

    def request(asked: Request) -> None:
        nonlocal arrived
        if asked.is_navigation_request() and asked.redirected_from is None and asked.frame == page.main_frame:
            seen.left, arrived = arrived, True
        if asked.url.startswith(own):
            name = asked.url.removeprefix(address)
            seen.asked.add(name)
            is_new = asked.resource_type == "image" and name not in seen.images
            if is_new and len(seen.unanswered) < _MOST_UNANSWERED:
                seen.unanswered[name] = asked.headers.get("accept", "*/*")

    def response(answer: Response) -> None:
        kind = answer.headers.get("content-type", "")
        if answer.url.startswith(own) and (answer.request.resource_type == "image" or kind.startswith("image/")):
            name = answer.url.removeprefix(address)
            seen.images[name] = _length(answer.status, answer.headers)
            seen.unanswered.pop(name, None)
            seen.frames.setdefault(name, set()).add(0 if answer.frame == page.main_frame else id(answer.frame))

    def failed(asked: Request) -> None:
        if asked.failure != _BROKEN_OFF:
            seen.unanswered.pop(asked.url.removeprefix(address), None)

    def message(kind: str, text: str, where: str = "") -> None:
        if kind not in ("error", "warning", "pageerror") or _FOR_OTHERS in text:
            return
        if len(seen.messages) >= _MOST_MESSAGES:
            return
        text = text[:_LONGEST_MESSAGE]
        if text.startswith(_MISSING):
            # How often a page asks for what is missing is chance: each address counts once.
            seen.messages[f"{kind}: {text} {where.replace(address, '')}"] = 1
        else:
            seen.messages[f"{kind}: {text.replace(address, '')}"] += 1

    listening: list[tuple[Any, Callable[[Any], None]]] = [
        ("request", request),
        ("response", response),
        ("requestfailed", failed),
        ("console", lambda m: message(m.type, m.text, m.location["url"])),
        ("pageerror", lambda e: message("pageerror", str(e))),
    ]
    for event, listener in listening:
        page.on(event, listener)
    return listening


async def count_broken_off(address: str, seen: Seen) -> None:
    """Notes images that a script broke off as if they had come: whether some of one came is chance."""
    if not seen.unanswered:
        return
    # Playwright's own requests would ask the page's proxy for a tunnel.
    async with httpx.AsyncClient(trust_env=False, verify=False, timeout=LOAD_SECONDS) as client:
        for name, accept in list(seen.unanswered.items()):
            with suppress(httpx.HTTPError, httpx.InvalidURL):
                answer = await client.head(address + name, headers={"accept": accept})
                seen.images[name] = _length(answer.status_code, answer.headers)
                seen.frames[name] = {0}
    seen.unanswered.clear()


def _length(status: int, headers: Mapping[str, str]) -> int:
    """Bytes of an answer; none of one that says that nothing is there."""
    return int(headers.get("content-length", "0")) if status < 400 else 0
