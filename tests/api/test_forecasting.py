"""Forecasts over the API: told at once, made surer by a sample, and held beside what a run then made."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from application import Application, running
from ivory_thistle.workflows.kept import PLACE
from pictures import encoded, photograph

pytestmark = pytest.mark.database


@pytest.fixture(scope="module")
def keeping(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """An application that keeps what it makes, as the one that people start does."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv(PLACE, str(tmp_path_factory.mktemp("kept")))
        with running(tmp_path_factory.mktemp("keeping") / "data") as application:
            yield application


@pytest.mark.whole
def test_from_a_forecast_to_the_truth(keeping: Application, site_folder: Path) -> None:
    """Nothing known, then all of a little site by its sample; a run's files are exactly those; pages by their markup."""
    application, client = keeping, keeping.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    client.put(f"/api/v1/sites/{site['id']}/rules", json={"all": {"quality": {"avif": 50, "webp": 75, "baseline": 75}}})
    address = f"/api/v1/captures/{capture}/forecast"
    first = client.get(address).json()
    assert (first["known"], first["measured"], first["sample"], first["images"]) == (0, False, None, 5)
    assert {(t["screen"], t["part"]) for t in first["totals"]} == {("", "opening"), ("", "scrolled")}
    for total in first["totals"]:
        assert total["after"]["low"] < total["after"]["likely"] < total["after"]["high"] < total["before"]
    sample = client.post(f"/api/v1/captures/{capture}/samples").json()
    assert sample["going"] and sample["capture_id"] == capture
    assert client.post(f"/api/v1/captures/{capture}/samples").json()["id"] == sample["id"]

    sampled = application.wait(f"/api/v1/samples/{sample['id']}", ("done", "failed"))
    second = client.get(address).json()
    assert sampled["state"] == "done" and second["known"] == 5
    assert {t["after"]["high"] - t["after"]["low"] for t in second["totals"]} == {0}
    run = client.post(f"/api/v1/captures/{capture}/runs").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    ran = client.get(f"/api/v1/runs/{run['id']}/forecast").json()
    assert (ran["files"], ran["near"]) == (ran["made"], ran["images"])
    assert ran["near_sketched"] is None and ran["files_sketched"] is None and ran["seconds_sketched"] is None
    assert ran["took"] > 0 and ran["seconds"]["likely"] >= 0
    for total in ran["totals"]:
        assert total["foretold"]["likely"] == pytest.approx(total["after"], rel=0.1)
        assert total["over_after"] == total["over_foretold"]["likely"] == 0 and total["sketched"] is None
    pages = client.get(f"{address}/pages").json()
    assert pages["total"] == len(pages["items"]) and pages["heaviest"] == max(p["before"] for p in pages["items"])
    assert all(p["after"]["likely"] <= p["before"] and p["segments"] for p in pages["items"] if p["before"])


def test_pictures_alone_are_planned_as_such(application: Application, tmp_path: Path) -> None:
    """One width each, no wider than 1,920 px; widths, sizes and names as the rules say; originals stay out of the ZIP.

    Made a third as wide, it saves most of its bytes (common practice, no source).
    """
    root = tmp_path / "camera"
    root.mkdir()
    (root / "cup.jpg").write_bytes(encoded(photograph("coffee").resize((3000, 2000)), "JPEG"))
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(root)}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    forecast = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert forecast["pictures_alone"] and forecast["renditions"] <= 3
    rules = {
        "site": {"names": "{name}.{ext}"},
        "all": {
            "size": {"fill": "1000x500"}, "formats": ["webp"], "fallback": False,
            "quality": {"avif": 50, "webp": 75, "baseline": 75},
        },
    }  # fmt: skip
    assert client.put(f"/api/v1/sites/{site['id']}/rules", json=rules).status_code == 200
    (image,) = client.get(f"/api/v1/captures/{capture}/images").json()["items"]
    (decision,) = client.get(f"/api/v1/captures/{capture}/decisions?ids={image['id']}").json()
    assert decision["said"] == "1,000 px" and decision["bytes"]["likely"] < 0.2 * image["bytes"]
    run = client.post(f"/api/v1/captures/{capture}/runs").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    made = client.get(f"/api/v1/captures/{capture}/images/{image['id']}").json()["renditions"]
    assert [(r["format"], r["width"], r["height"]) for r in made] == [("webp", 1000, 500)]
    (tmp_path / "h.zip").write_bytes(client.get(f"/api/v1/runs/{run['id']}/handover.zip").content)

    with zipfile.ZipFile(tmp_path / "h.zip") as held:
        assert "cup.webp" in held.namelist() and "cup.jpg" not in held.namelist()
        told = client.get(f"/api/v1/runs/{run['id']}/handover").json()
        assert (told["files"], told["new_files"]) == (len(held.namelist()), 1)
