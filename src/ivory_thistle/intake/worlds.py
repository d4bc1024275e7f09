"""Worlds of their own for what is asked of a page: its scripts can't reach into them."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import Any

from playwright.async_api import CDPSession
from playwright.async_api import Error as BrowserError

_WORLD = "ivory-thistle"
_BEFORE = [Path(__file__).with_name(name).read_text(encoding="utf-8") for name in ("unhidden.js", "motion.js")]
"""What every world begins with."""
_HEARS_MS = 1000
"""A page that puts something of its own in the place of what is asked may never answer."""


class World:
    """An isolated world of one page (https://chromedevtools.github.io/devtools-protocol/tot/Page/)."""

    def __init__(self, session: CDPSession) -> None:
        self._session = session
        self._context: int | None = None
        self._heard: dict[str, bool] = {}

    async def run_early(self, script: str) -> None:
        """Has a script run before each document's own ones."""
        await self._session.send("Page.enable")
        early = {"source": script, "worldName": _WORLD}
        await self._session.send("Page.addScriptToEvaluateOnNewDocument", early)

    async def hears(self, event: str) -> bool:
        """Whether a script listened to an event of the window when that was first asked, unless the page hides it."""
        if event not in self._heard:
            self._heard[event] = await self._listens(event)
        return self._heard[event]

    async def _listens(self, event: str) -> bool:
        # In the page's own world: there may be very many listeners, and only whether there are any comes back.
        asked = {
            "expression": f"!!getEventListeners(window).{event}", "includeCommandLineAPI": True, "returnByValue": True,
            "timeout": _HEARS_MS,
        }  # fmt: skip
        with suppress(BrowserError):
            told = await self._session.send("Runtime.evaluate", asked)
            return "exceptionDetails" not in told and told["result"].get("value") is True
        return False

    async def ask(self, function: str, given: Any) -> Any:
        """What a function gives, as JSON has it. Raises BrowserError."""
        for context in (self._context, None):
            # It went with the document that it was made for.
            self._context = context or await self._new_context()
            asked = {
                "functionDeclaration": function, "executionContextId": self._context, "arguments": [{"value": given}],
                "awaitPromise": True, "returnByValue": True,
            }  # fmt: skip
            try:
                told = await self._session.send("Runtime.callFunctionOn", asked)
                break
            except BrowserError as error:
                if context is None or "context" not in error.message:
                    raise
        if "exceptionDetails" in told:
            thrown = told["exceptionDetails"]
            raise BrowserError(str(thrown.get("exception", {}).get("description") or thrown["text"]))
        return told["result"].get("value")

    async def _new_context(self) -> int:
        tree = await self._session.send("Page.getFrameTree")
        world = {"frameId": tree["frameTree"]["frame"]["id"], "worldName": _WORLD}
        made = await self._session.send("Page.createIsolatedWorld", world)
        context = int(made["executionContextId"])
        await self._session.send("Runtime.evaluate", {"expression": "\n".join(_BEFORE), "contextId": context})
        return context
