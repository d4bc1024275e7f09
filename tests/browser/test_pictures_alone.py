"""A folder of pictures has words of its own on every screen: no page, no budget of a page, nothing to check."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from application import Application
from axe import violations
from pictures import encoded, photograph

pytestmark = [pytest.mark.browser, pytest.mark.database]


@pytest.mark.slow
def test_no_screen_speaks_of_pages(page: Page, application: Application, tmp_path: Path) -> None:
    """From the folder to the download."""
    folder = tmp_path / "holiday"
    (folder / "day").mkdir(parents=True)
    for name in ("cup.jpg", "day/cup.jpg"):
        data = encoded(photograph("coffee").resize((900 + len(name), 600)), "JPEG", quality=95)
        (folder / name).write_bytes(data)
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
    capture = f"/api/v1/captures/{site['capture']['id']}"
    application.wait(capture, ("done",))
    application.audited(site["capture"]["id"])
    client.put(f"/api/v1/sites/{site['id']}/rules", json={"all": {"quality": {"avif": 50, "webp": 75, "baseline": 75}}})
    run = client.post(f"{capture}/runs").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    page.goto(application.access.link())
    spoken = re.compile(r"\bpages?\b|\bbudget|\bcheck", re.IGNORECASE)
    for screen, heading in (
        ("capture", "Capture"), ("audit", "2 pictures of"), ("library", "Library"), ("treatment", "less"),
        ("runs", "Done"), ("savings", "less"), ("handover", "Handover"),
    ):  # fmt: skip
        page.goto(f"{application.address}/sites/{site['id']}/{screen}")
        expect(page.get_by_role("heading", level=1).filter(has_text=heading)).to_be_visible()
        expect(page.get_by_text("Loading")).to_have_count(0)
        assert violations(page) == []
        said = [line for line in page.locator("main").inner_text().split("\n") if spoken.search(line)]
        # What has no page is told so once, where the site is looked at first.
        assert [line for line in said if not line.startswith("No page shows them")] == [], screen
    expect(page.get_by_role("navigation").get_by_text("ready")).to_be_visible()
