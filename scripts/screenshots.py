"""Takes the pictures in docs/screenshots from a running demo, measured and treated: screenshots.py LOGIN_LINK."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import sync_playwright

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
SCREENS = {
    "sites": "/", "new-site": "/new", "capture": "/sites/1/capture", "audit": "/sites/1/audit",
    "findings": "/sites/1/findings", "library": "/sites/1/library", "treatment": "/sites/1/treatment",
    "run": "/sites/1/runs", "savings": "/sites/1/savings", "handover": "/sites/1/handover",
    "alternatives": "/sites/1/handover?part=alternative", "savings-audience": "/sites/1/savings?tab=audience",
}  # fmt: skip


def main(link: str) -> None:
    """One picture a main view, at 1280 x 800."""
    address = link.partition("/login")[0]
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})

        def shoot(name: str) -> None:
            page.wait_for_load_state("networkidle")
            page.screenshot(path=SHOTS / f"{name}.png")

        page.goto(link)
        for name, path in SCREENS.items():
            page.goto(address + path)
            shoot(name)
        page.goto(f"{address}/sites/1/handover")
        page.get_by_role("radio", name="Everything").click()
        page.locator("summary", has_text="index.html").first.click()
        page.get_by_alt_text("as it will be").first.wait_for()
        shoot("handover")
        page.goto(f'{address}/sites/1/library?view=sheet&role=["hero","content"]&all=true')
        page.locator("section[aria-label='Contact sheet'] img").first.wait_for()
        shoot("contact-sheet")
        page.goto(f"{address}/sites/1/audit?screen=phone")
        page.get_by_text("Measured in Chromium").wait_for()
        shoot("audit-phone")
        page.get_by_role("link", name="visit.html").click()
        page.get_by_alt_text("visit.html on the phone screen").wait_for()
        shoot("page")
        page.get_by_role("link", name="img/visit/terrace.jpg").first.click()
        page.get_by_role("heading", name="Pixels held and pixels needed").wait_for()
        page.mouse.move(700, 600)
        page.mouse.wheel(0, 420)
        page.wait_for_timeout(300)
        shoot("image")
        page.emulate_media(color_scheme="dark")
        page.goto(f"{address}/sites/1/savings")
        shoot("savings-dark")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1])
