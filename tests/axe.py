"""What axe-core finds on a page."""

from __future__ import annotations

from playwright.sync_api import Page

from application import ROOT

_AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"


def violations(page: Page) -> list[str]:
    """By WCAG 2.2 up to AA and by its own good practices, on the page as it is."""
    page.evaluate(_AXE.read_text())
    found: list[str] = page.evaluate(
        """async () => (await axe.run({rules: {'target-size': {enabled: true}}}))
            .violations.map(v => v.id + ': ' + v.nodes.map(n => n.html).join(' '))"""
    )
    return found
