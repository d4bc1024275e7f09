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
        {"said": "images at img/cat.jpg", "asks": "left as they are", "images": 1},
        {"said": "PNG images", "asks": "a fallback alone", "images": 1},
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
