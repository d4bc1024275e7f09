"""Why a page can't be seen, in words."""

from __future__ import annotations

import re

from playwright.async_api import Error as BrowserError

from ivory_thistle.intake.chromium import LOAD_SECONDS

_WHY = (
    (
        re.compile("[Cc]ontext.*(id|found|destroyed)|navigated|[Ff]rame.*detached"),
        "it went on to another page, or began anew.",
    ),
    (re.compile("crashed|has been closed"), "it ended the process that showed it, most likely for want of memory."),
    (re.compile("Timeout"), f"it was still loading after {LOAD_SECONDS:g} seconds."),
    (re.compile("^TypeError"), "its scripts took its document apart."),
)
"""By what Chromium and Playwright say. What asks meets no other TypeError."""


def in_words(error: BrowserError) -> str:
    """Why a page can't be seen, without the words of the protocol."""
    first = error.message.splitlines()[0]
    return next((words for pattern, words in _WHY if pattern.search(first)), first)
