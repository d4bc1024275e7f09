"""Rules of a site over the API: kept as TOML, foretold, followed by runs, told with every image."""

from __future__ import annotations

from pathlib import Path

import pytest

from application import Application

pytestmark = pytest.mark.database
RULES = '[all]\nquality = { webp = 70 }\nmetadata = "copyright"\n[[rule]]\npath = "img/cat.jpg"\nleave = true\n' + (
    '[[rule]]\nformat = "png"\nformats = []\n'
)


def test_rules_are_kept_foretold_and_followed(application: Application, site_folder: Path) -> None:
    """Taken over as a whole or not at all; undone by what they were."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    address = f"/api/v1/sites/{site['id']}/rules.toml"
    assert client.get(address).json() == {"toml": ""}
    before = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert before["narrower"] == [] and before["images"] == 5
    refused = client.put(address, json={"toml": RULES + "[[rule]]\npath = 'x'\nbig = 1\n"})
    assert refused.status_code == 422
    assert refused.json()["detail"].startswith("Line 12, rule 3.big: there is no 'big'; there are fidelity, cap, ")
    assert client.get(address).json() == {"toml": ""}
    assert client.put(address, json={"toml": RULES}).json() == {"toml": ""}
    kept = client.get(address).json()["toml"]
    forecast = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert forecast["narrower"] == [
        {"said": "images at img/cat.jpg", "asks": "left as they are", "images": 1, "override": True},
        {"said": "PNG images", "asks": "a fallback alone", "images": 1, "override": False},
    ]
    assert (forecast["images"], forecast["rules"]["metadata"], forecast["rules"]["fixed"]) == (4, "copyright", True)
    assert {"reason": "The rules leave it as it is.", "count": 1} in forecast["left_alone"]
    run = client.post(f"/api/v1/captures/{capture}/runs?form=files-only").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    tasks = {k["path"]: k for k in client.get(f"/api/v1/runs/{run['id']}/tasks").json()["items"]}
    assert (tasks["img/cat.jpg"]["state"], tasks["img/cat.jpg"]["reason"]) == ("left", "The rules leave it as it is.")
    assert tasks["img/graphic.png"]["words"][0] == "By the rule for PNG images: a fallback alone."
    assert not any("By the rule" in words for words in tasks["img/coffee.jpg"]["words"])
    assert client.put(address, json={"toml": ""}).json() == {"toml": kept}
    assert client.get(f"/api/v1/captures/{capture}/forecast").json() == before


def test_single_images_are_overruled(application: Application, site_folder: Path) -> None:
    """For a selection, at once; each tells which rule decides; what was decided is taken back, and outlives captures."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    images = {i["path"]: i["id"] for i in client.get(f"/api/v1/captures/{capture}/images").json()["items"]}
    some = {"ids": [images["img/cat.jpg"], images["img/china.jpg"]]}
    address = f"/api/v1/captures/{capture}/overrides"

    def decided(path: str) -> list[str]:
        found: list[str] = client.get(f"/api/v1/captures/{capture}/images/{images[path]}").json()["decided"]
        return found

    assert decided("img/cat.jpg") == []
    lean = client.post(address, json={"selection": some, "settings": {"fidelity": "lean", "max_width": 300}}).json()
    assert lean == {"changed": 2, "toml": ""}
    assert decided("img/cat.jpg") == ["By the rule for images at img/cat.jpg: fidelity lean, no wider than 300 px."]
    capped = {"selection": {"ids": [images["img/cat.jpg"]]}, "settings": {"cap": 20_000}}
    before = client.post(address, json=capped).json()["toml"]
    assert decided("img/cat.jpg") == [
        "By the rule for images at img/cat.jpg: no wider than 300 px, at most 20 kB a file."
    ]
    assert decided("img/china.jpg")[0].endswith("fidelity lean, no wider than 300 px.")
    for wrong in ({}, {"cap": 9, "fidelity": 3}, {"fidelity": 101}, {"leave": None}):
        assert client.post(address, json={"selection": some, "settings": wrong}).status_code == 422
    client.put(f"/api/v1/sites/{site['id']}/rules.toml", json={"toml": before})
    assert decided("img/cat.jpg")[0].endswith("fidelity lean, no wider than 300 px.")
    again = client.post(f"/api/v1/sites/{site['id']}/captures").json()["id"]
    application.wait(f"/api/v1/captures/{again}", ("done", "failed"))
    assert [r["override"] for r in client.get(f"/api/v1/captures/{again}/forecast").json()["narrower"]] == [True, True]
    every = {"filter": {}, "ids": []}
    client.post(f"/api/v1/captures/{again}/overrides", json={"selection": every, "settings": None})
    assert client.get(f"/api/v1/captures/{again}/forecast").json()["narrower"] == []
