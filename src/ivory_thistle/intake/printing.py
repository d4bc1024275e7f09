"""An HTML page printed to PDF by headless Chromium, without network and scripts."""

from __future__ import annotations

import asyncio

from playwright.async_api import Browser
from playwright.async_api import Error as BrowserError

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.intake.chromium import browser_binary, in_browsers

_SECONDS = 60.0
_MARGIN = "14mm"


def print_html(page: bytes) -> bytes:
    """The page as PDF on A4. Raises UnusableInput where no browser is installed, or where it does not print."""
    if browser_binary() is None:
        raise UnusableInput("A PDF needs Chromium; install chromium-headless-shell.")
    printed: list[bytes] = []

    async def one(browser: Browser, html: str) -> bool:
        context = await browser.new_context(java_script_enabled=False, offline=True)
        try:
            tab = await context.new_page()
            await tab.set_content(html, wait_until="load", timeout=_SECONDS * 1000)
            margin = dict.fromkeys(("top", "right", "bottom", "left"), _MARGIN)
            printing = tab.pdf(format="A4", print_background=True, margin=margin)  # type: ignore[arg-type]
            printed.append(await asyncio.wait_for(printing, _SECONDS))
        except (TimeoutError, BrowserError):
            return False
        finally:
            await context.close()
        return True

    in_browsers([page.decode()], one, 1)
    if not printed:
        raise UnusableInput("Chromium did not print the report.")
    return printed[0]
