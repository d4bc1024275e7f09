"""Answers a request anew where the database let its transaction fail in favour of another. Pure ASGI."""

from __future__ import annotations

import asyncio
import random

from starlette.types import ASGIApp, Message, Receive, Scope, Send

GAVE_WAY = "thistle.gave_way"
"""Set in the scope of a request whose transaction had to give way; nothing of it was kept."""
_TRIES = 5
_MOST_BYTES = 1_000_000


class Again:
    """Keeps a small request's body, so that it can be handled a few times."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not _is_small(scope):
            await self._app(scope, receive, send)
            return
        kept: list[Message] = []
        for tried in range(1, _TRIES + 1):
            last = tried == _TRIES
            if await self._handled(dict(scope), _replayed(kept, receive), send, last):
                return
            await asyncio.sleep(random.uniform(0.01, 0.05) * tried)

    async def _handled(self, scope: Scope, receive: Receive, send: Send, last: bool) -> bool:
        """Whether the answer was sent: held back is one of a transaction that gave way, unless it is the last."""
        held_back = False

        async def sent(message: Message) -> None:
            nonlocal held_back
            if message["type"] == "http.response.start" and scope.get(GAVE_WAY) and not last:
                held_back = True
            if not held_back:
                await send(message)

        await self._app(scope, receive, sent)
        return not held_back


def _is_small(scope: Scope) -> bool:
    if scope["method"] in ("GET", "HEAD"):
        return True
    length = dict(scope["headers"]).get(b"content-length", b"")
    return length.isdigit() and int(length[:20]) <= _MOST_BYTES


def _replayed(kept: list[Message], receive: Receive) -> Receive:
    """The messages of the request from the first on; each that is new is kept."""
    at = 0

    async def next_message() -> Message:
        nonlocal at
        if at == len(kept):
            message = await receive()
            if message["type"] != "http.request":
                return message
            kept.append(message)
        at += 1
        return kept[at - 1]

    return next_message
