"""Savings over the API: as pages load, picture by picture, for whom, and the report on them."""

from __future__ import annotations

import csv
import io
import json

import httpx
import jsonschema_rs
import pytest
from test_handing_over import archive, treated

from application import ROOT, Application
from pictures import PAGE, write_site

pytestmark = [pytest.mark.database, pytest.mark.browser]
SCHEMA = json.loads((ROOT / "docs/report.schema.json").read_text())


@pytest.fixture(scope="module")
def run(application: Application, tmp_path_factory: pytest.TempPathFactory) -> tuple[httpx.Client, int, int]:
    """A run on a phone without measurement, which each test leaves as it was: a client, the run, and its site."""
    capture, run, client = treated(application, write_site(tmp_path_factory.mktemp("savings") / "site"), "")
    return client, run, client.get(f"/api/v1/captures/{capture}").json()["site_id"]


def test_every_page_leads_to_its_pictures(run: tuple[httpx.Client, int, int]) -> None:
    """Sums are those of the pages, pages those of their files; sorted, found and cut as asked."""
    client, key, _ = run
    savings = client.get(f"/api/v1/runs/{key}/savings").json()
    assert {(t["screen"], t["tier"], t["part"]) for t in savings["totals"]} == {
        ("phone", tier, part) for tier in ("avif", "webp", "baseline") for part in ("opening", "scrolled")
    }
    total = next(t for t in savings["totals"] if t["tier"] == "avif" and t["part"] == "scrolled")
    assert (total["pages"], total["heavier"], total["measured_after"]) == (2, [], None)
    address = f"/api/v1/runs/{key}/savings/pages"
    asked = {"screen": "phone", "tier": "avif", "part": "scrolled"}
    pages = client.get(address, params=asked).json()
    for side in ("before", "after"):
        assert sum(p[side]["bytes"] for p in pages["items"]) == total[side] > 0
    assert [p["path"] for p in pages["items"]] == ["index.html", "more/second.html"]
    for page in pages["items"]:
        found = client.get(f"{address}/{page['page_id']}", params=asked).json()
        for side in ("before", "after"):
            files = [c[side] for c in found["changes"] if c[side]]
            assert sum(f["bytes"] for f in files) == page[side]["bytes"] and len(files) == page[side]["requests"]
        assert all(c["image_id"] for c in found["changes"] if c["before"])
        assert found["needed"] == ""
    by_path = client.get(address, params=asked | {"order": "page", "limit": 1, "after": 1}).json()
    assert ([p["path"] for p in by_path["items"]], by_path["total"]) == (["more/second.html"], 2)
    assert client.get(address, params=asked | {"find": "SECOND"}).json()["total"] == 1
    assert client.get(address, params=asked | {"only": "over"}).json()["total"] == 0
    assert client.get(address, params={"screen": "watch"}).json()["total"] == 0
    assert client.get(f"{address}/0", params=asked).status_code == 404


def test_what_would_be_needed_is_said(run: tuple[httpx.Client, int, int]) -> None:
    """A page over a tight budget is told with what it would take."""
    client, key, site = run
    before = client.get(f"/api/v1/sites/{site}").json()["page_budget"]
    assert client.patch(f"/api/v1/sites/{site}", json={"page_budget": 1000}).status_code == 200
    asked = {"screen": "phone", "only": "over"}
    over = client.get(f"/api/v1/runs/{key}/savings/pages", params=asked).json()
    assert over["total"] == 2 and over["items"][0]["state_after"] == "over"
    page = over["items"][0]["page_id"]
    found = client.get(f"/api/v1/runs/{key}/savings/pages/{page}", params=asked).json()
    assert found["needed"].startswith("Its pictures would have to lose another ")
    client.patch(f"/api/v1/sites/{site}", json={"page_budget": before})


def test_who_visits(run: tuple[httpx.Client, int, int]) -> None:
    """Shares and page views change the mean; wrong ones are refused and change nothing."""
    client, key, site = run

    def mean() -> float:
        found: float = client.get(f"/api/v1/runs/{key}/savings").json()["expected"]["after"]
        return found

    usual = mean()
    audience = f"/api/v1/sites/{site}/audience"
    assert client.get(audience).json()["own_tiers"] is False
    older = client.put(audience, json={"tiers": {"baseline": 3, "avif": 0}}).json()
    assert (older["tiers"], older["own_tiers"]) == ({"avif": 0, "webp": 0, "baseline": 1}, True)
    assert mean() > usual
    for wrong in ({"tiers": {"jxl": 1}}, {"screens": {"watch": 1}}, {"tiers": {"avif": -1}}, {"tiers": {"avif": 0}}):
        assert client.put(audience, json=wrong).status_code == 422
    assert client.get(audience).json()["own_tiers"] is True
    client.put(audience, json={})
    assert mean() == usual
    views = f"/api/v1/sites/{site}/views"
    read = client.put(views, content=b"page,views\n/more/second,900\n/,100\n/gone,5\n").json()
    assert read == {"pages": 2, "views": 1000, "problems": ["Line 4: The site has no page '/gone'."]}
    rows = client.get(f"/api/v1/runs/{key}/savings/pages", params={"screen": "phone", "part": "scrolled"}).json()
    sizes = {p["path"]: p["after"]["bytes"] for p in rows["items"]}
    client.put(audience, json={"tiers": {"avif": 1}})
    assert mean() == pytest.approx(0.9 * sizes["more/second.html"] + 0.1 * sizes["index.html"])
    assert client.get(audience).json()["views"] == 1000
    assert client.put(views, content=b"nonsense").status_code == 422
    assert client.delete(views).status_code == 204
    assert client.get(audience).json()["views"] == 0
    client.put(audience, json={})


def test_the_report_in_every_form(run: tuple[httpx.Client, int, int]) -> None:
    """Whole or in part, each as what it says it is; it lies in the handover too."""
    client, key, _ = run
    report = client.get(f"/api/v1/runs/{key}/report.json")
    assert report.headers["content-disposition"] == 'attachment; filename="tea-report.json"'
    jsonschema_rs.validate(SCHEMA, report.json())
    rows = list(csv.DictReader(io.StringIO(client.get(f"/api/v1/runs/{key}/report.csv").text)))
    assert len(rows) == 6
    part = {"page": ["more/*"], "tier": ["webp"], "screen": ["phone"], "images": "false"}
    few = client.get(f"/api/v1/runs/{key}/report.json", params=part).json()
    assert [(p["page"], p["tier"], p["changes"]) for p in few["pages"]] == [("more/second.html", "webp", [])]
    assert client.get(f"/api/v1/runs/{key}/report.pdf").content.startswith(b"%PDF")
    page = client.get(f"/api/v1/runs/{key}/report.html")
    assert page.headers["content-type"].startswith("text/html") and "data:image/webp" in page.text
    views = f"/api/v1/sites/{run[2]}/views"
    assert client.put(views, content=b"page,views\n/,7\n").json()["views"] == 7
    held = archive(client, key)
    inside = json.loads(held["report.json"])
    jsonschema_rs.validate(SCHEMA, inside)
    assert inside["audience"]["views"] == {}, "what leaves may be read by everybody"
    assert client.get(f"/api/v1/runs/{key}/report.json").json()["audience"]["views"] == {"index.html": {"": 7}}
    assert client.get(f"/api/v1/runs/{key}/handover").json()["files"] == len(held)
    assert client.get(f"/api/v1/runs/{key}/report.md").text.startswith("## Image weight of Tea")
    assert client.get(f"/api/v1/runs/{key}/report.json", params={"tier": ["jxl"]}).status_code == 422
    assert client.get(f"/api/v1/runs/{key}/report.doc").status_code == 422
    client.delete(views)


def test_a_check_measures_until_an_image_is_taken_back(
    application: Application, run: tuple[httpx.Client, int, int]
) -> None:
    """Measured as foretold; a page with an image taken back counts as foretold again, until that is undone."""
    client, key, _ = run
    check = client.post(f"/api/v1/runs/{key}/checks").json()
    assert application.wait(f"/api/v1/checks/{check['id']}", ("done", "failed"))["failed"] == 0

    def pages() -> dict[str, dict[str, dict[str, int] | None]]:
        asked = {"screen": "phone", "tier": "avif", "part": "scrolled"}
        return {p["path"]: p for p in client.get(f"/api/v1/runs/{key}/savings/pages", params=asked).json()["items"]}

    before = pages()
    for page in before.values():
        assert page["measured_after"] == page["after"] and page["measured_before"] == page["before"]
    total = client.get(f"/api/v1/runs/{key}/savings").json()["totals"][0]
    assert total["measured_after"] == total["after"]
    body = {"path": "index.html", "at": PAGE.index("<img alt=Cat"), "how": "leave"}
    assert client.post(f"/api/v1/runs/{key}/taken-back", json=body).status_code == 200
    now = pages()
    assert now["index.html"]["after"] != before["index.html"]["after"]
    assert now["index.html"]["measured_after"] is None
    assert now["more/second.html"] == before["more/second.html"]
    assert client.delete(f"/api/v1/runs/{key}/taken-back").status_code == 200
    assert pages() == before
