"""How wide a phone lays a page out: as Chromium, taken for a phone, has it."""

from __future__ import annotations

import pytest
from playwright.sync_api import Browser

from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.viewport import viewport_faults

pytestmark = [pytest.mark.whole, pytest.mark.browser]
WIDTH = 390
PAGES = (
    "",
    "<!-- <meta name=viewport content='width=device-width'> -->",
    "<meta name=viewport content='width=device-width, initial-scale=1'>",
    "<META NAME='Viewport' CONTENT='WIDTH=DEVICE-WIDTH,initial-scale=1.0'>",
    "<meta name=viewport content='width=device-width;initial-scale=1.0'>",
    "<meta name=viewport content='width=device-width; initial-scale=1.0'>",
    "<meta name=viewport content='width=device-width'><meta name=viewport content='user-scalable=no'>",
    "<meta name=HandheldFriendly content=true>",
    "<meta name=viewport content='width=200, initial-scale=1'>",
    "<meta name=viewport content='width=,initial-scale=1'>",
    "<meta name=viewport content='initial-scale=1'>",
    "<meta name=viewport content='user-scalable=no'>",
    "<meta name=viewport content='width=1024'>",
    "<meta name=viewport content='width = 600px user-scalable=no'>",
    "<meta name=viewport content='minimum-width=device-width'>",
    "<meta name=viewport content=''><meta name=viewport content='width=device-width'>",
    "<meta name=description content='viewport width=device-width'>",
)


@pytest.mark.parametrize("head", PAGES)
def test_as_wide_as_chromium_lays_it_out(browser: Browser, head: str) -> None:
    """Without a word of it, a page is laid out wider than the screen; the finding names that width."""
    html = f"<!doctype html><html><head>{head}</head><body><p>Text</body></html>"
    page = browser.new_page(viewport={"width": WIDTH, "height": 844}, is_mobile=True, has_touch=True)
    page.set_content(html)
    wide = page.evaluate("document.documentElement.clientWidth")
    page.close()
    found = [fault.message for fault in viewport_faults("a.html", read_html_source(html.encode()))]
    assert [f"a.html out {wide} CSS px" in words for words in found] == ([] if wide == WIDTH else [True])
