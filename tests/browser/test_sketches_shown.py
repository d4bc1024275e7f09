"""While a run goes on, its screen tells what sketches promise; images show theirs, marked."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from application import running
from axe import violations
from pictures import camera_picture, encoded

pytestmark = [pytest.mark.browser, pytest.mark.database]


@pytest.mark.whole
def test_a_run_is_sketched_first(page: Page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Pages and images as sketched, then stopped: what was sketched stays marked, and nothing is handed over."""
    monkeypatch.setenv("THISTLE_SKETCH_FROM", "0")
    monkeypatch.setenv("THISTLE_KEPT", str(tmp_path / "kept"))
    folder = tmp_path / "site"
    folder.mkdir()
    for n in range(6):
        (folder / f"{n}.jpg").write_bytes(encoded(camera_picture(2400 + n, 1600), "JPEG", quality=95))
    (folder / "index.html").write_text("".join(f'<img src="{n}.jpg" alt="{n}">' for n in range(6)))
    with running(tmp_path / "data") as application:
        client = application.client
        site = client.post("/api/v1/sites/from-folder", json={"folder": str(folder)}).json()
        capture = f"/api/v1/captures/{site['capture']['id']}"
        application.wait(capture, ("done",))
        application.audited(site["capture"]["id"])
        page.goto(application.access.link())
        run = client.post(f"{capture}/runs").json()
        page.goto(f"{application.address}/sites/{site['id']}/runs")
        expect(page.get_by_role("heading", name="As sketched")).to_be_visible(timeout=60_000)
        expect(page.get_by_text("no sketch is ever handed over")).to_be_visible()
        expect(page.get_by_role("link", name="index.html")).to_be_visible()
        assert violations(page) == []
        client.post(f"/api/v1/runs/{run['id']}/stop")
        application.wait(f"/api/v1/runs/{run['id']}", ("stopped", "done"))
        waiting = client.get(f"/api/v1/runs/{run['id']}/tasks", params={"state": "waiting"}).json()["items"]
        sketched = [task for task in waiting if task["sketched"]]
        assert sketched and all(task["bytes_after"] < task["bytes_before"] for task in sketched)
        page.goto(f"{application.address}/sites/{site['id']}/library/{sketched[0]['image_id']}")
        expect(page.get_by_role("heading", name="Treatment, as sketched")).to_be_visible()
        expect(page.get_by_role("cell", name="sketch", exact=True).first).to_be_visible()
