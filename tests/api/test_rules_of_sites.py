"""Rules of a site over the API: kept as TOML, foretold, followed by runs, told with every image."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from application import Application

pytestmark = pytest.mark.database
RULES = '[all]\nquality = { webp = 70 }\nmetadata = "copyright"\n[[rule]]\npath = "img/cat.jpg"\nleave = true\n' + (
    '[[rule]]\nformat = "png"\nformats = []\n'
)


@pytest.mark.slow
def test_rules_are_kept_foretold_and_followed(application: Application, site_folder: Path) -> None:
    """Taken over as a whole or not at all; undone by what they were."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    address = f"/api/v1/sites/{site['id']}/rules.toml"
    assert client.get(address).json() == {"toml": ""}
    before = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert _narrower(before) == [] and before["images"] == 5
    refused = client.put(address, json={"toml": RULES + "[[rule]]\npath = 'x'\nbig = 1\n"})
    assert refused.status_code == 422
    assert refused.json()["detail"].startswith("Line 12, rule 3.big: there is no 'big'; there are fidelity, cap, ")
    assert client.get(address).json() == {"toml": ""}
    assert client.put(address, json={"toml": RULES}).json() == {"toml": ""}
    kept = client.get(address).json()["toml"]
    forecast = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert _narrower(forecast) == [
        ("images at img/cat.jpg", "left as they are", 1, True), ("PNG images", "a fallback alone", 1, False)
    ]  # fmt: skip
    assert [(s["part"], s["said"], s["asks"]) for s in forecast["sentences"][:2]] == [
        ("all", "all images",
         "AVIF and WebP with a fallback, AVIF at quality 56 and WebP at quality 70 and JPEG at quality 80, "
         "at most 2 pixels a CSS pixel, no wider than 1,920 px, copyright kept"),
        ("site", "what leaves", "pages are rewritten to offer each browser its files, checked when you ask"),
    ]  # fmt: skip
    assert (forecast["images"], forecast["rules"]["metadata"], forecast["rules"]["fixed"]) == (4, "copyright", True)
    assert {"reason": "The rules leave it as it is.", "count": 1} in forecast["left_alone"]
    run = client.post(f"/api/v1/captures/{capture}/runs?form=files-only").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    tasks = {k["path"]: k for k in client.get(f"/api/v1/runs/{run['id']}/tasks").json()["items"]}
    assert (tasks["img/cat.jpg"]["state"], tasks["img/cat.jpg"]["reason"]) == ("left", "The rules leave it as it is.")
    assert tasks["img/graphic.png"]["words"][0] == "By the rule for PNG images: a fallback alone."
    assert not any("By the rule" in words for words in tasks["img/coffee.jpg"]["words"])
    assert client.put(address, json={"toml": ""}).json() == {"toml": kept}
    undone = client.get(f"/api/v1/captures/{capture}/forecast").json()
    assert (undone["sentences"], undone["totals"]) == (before["sentences"], before["totals"])


def _narrower(forecast: dict[str, Any]) -> list[tuple[str, str, int, bool]]:
    """The sentences on some images."""
    rules = [s for s in forecast["sentences"] if s["part"] == "rule"]
    return [(s["said"], s["asks"], s["images"], s["override"]) for s in rules]


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
    any_part = {"selection": some, "entries": {"path": "these", "formats": ["webp"], "quality": {"webp": 61}}}
    assert client.post(address, json=any_part).json()["changed"] == 2
    assert decided("img/china.jpg")[0].endswith("no wider than 300 px, WebP with a fallback, WebP at quality 61.")
    for wrong in ({"formats": ["gif"]}, {"path": "x"}, {"role": "hero"}):
        refused = client.post(address, json={"selection": some, "entries": wrong})
        assert refused.status_code == 422
    client.put(f"/api/v1/sites/{site['id']}/rules.toml", json={"toml": before})
    assert decided("img/cat.jpg")[0].endswith("fidelity lean, no wider than 300 px.")
    again = client.post(f"/api/v1/sites/{site['id']}/captures").json()["id"]
    application.wait(f"/api/v1/captures/{again}", ("done", "failed"))
    overruled = _narrower(client.get(f"/api/v1/captures/{again}/forecast").json())
    assert [override for *_, override in overruled] == [True, True]
    every = {"filter": {}, "ids": []}
    client.post(f"/api/v1/captures/{again}/overrides", json={"selection": every, "settings": None})
    assert _narrower(client.get(f"/api/v1/captures/{again}/forecast").json()) == []


def test_an_image_that_moved_is_known_by_its_content(application: Application, site_folder: Path) -> None:
    """A decision for one image outlives its new name; what takes its old place is not what was decided about."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    capture = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    images = {i["path"]: i["id"] for i in client.get(f"/api/v1/captures/{capture}/images").json()["items"]}
    chosen = {"selection": {"ids": [images["img/cat.jpg"]]}, "settings": {"leave": True, "focus": [0.2, 0.9]}}
    client.post(f"/api/v1/captures/{capture}/overrides", json=chosen)
    (site_folder / "img/cat.jpg").rename(site_folder / "img/tomcat.jpg")
    for page in site_folder.rglob("*.html"):
        page.write_bytes(page.read_bytes().replace(b"img/cat.jpg", b"img/tomcat.jpg"))
    again = client.post(f"/api/v1/sites/{site['id']}/captures").json()["id"]
    application.wait(f"/api/v1/captures/{again}", ("done", "failed"))
    items = {i["path"]: i["id"] for i in client.get(f"/api/v1/captures/{again}/images").json()["items"]}
    moved = client.get(f"/api/v1/captures/{again}/images/{items['img/tomcat.jpg']}").json()
    assert moved["decided"] and moved["focus"] == [0.2, 0.9]
    (decision,) = client.get(f"/api/v1/captures/{again}/decisions?ids={items['img/tomcat.jpg']}").json()
    why = "The rules leave it as it is. By the rule for images at img/cat.jpg: left as they are"
    assert decision["said"] == "stays as it is" and decision["why"].startswith(why)


def test_rules_by_name_and_of_other_sites(application: Application, site_folder: Path, tmp_path: Path) -> None:
    """Kept under a name without single images, followed elsewhere, previewed before, and forgotten."""
    client = application.client
    first = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    second = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Cups"}).json()
    for site in (first, second):
        application.wait(f"/api/v1/captures/{site['capture']['id']}", ("done", "failed"))
    tables = {
        "site": {"names": "{name}.{hash}.{ext}"}, "all": {"formats": ["webp"], "density": 1.5},
        "rule": [{"role": "content", "cap": 90_000}, {"path": "img/cat.jpg", "leave": True}],
    }  # fmt: skip
    client.put(f"/api/v1/sites/{first['id']}/rules", json=tables)
    assert client.get(f"/api/v1/sites/{first['id']}/rules").json() == tables
    # A name may hold what means something in addresses.
    name = "Shop/pictures?"
    named = client.put("/api/v1/named-rules", json={"name": f" {name} ", "site_id": first["id"]}).json()
    assert named["tables"]["rule"] == [{"role": "content", "cap": 90_000}]
    assert "content images: at most 90 kB a file" in named["said"]
    assert [one["name"] for one in client.get("/api/v1/named-rules").json()] == [name]
    preview = client.post(f"/api/v1/captures/{second['capture']['id']}/forecast/preview", json=named["tables"]).json()
    assert preview["changed"] == 5 and preview["files"] > 0
    assert client.get(f"/api/v1/sites/{second['id']}/rules").json() == {"site": {}, "all": {}, "rule": []}
    wrong = client.post(
        f"/api/v1/captures/{second['capture']['id']}/forecast/preview", json={"rule": [{"path": "a", "cap": "x"}]}
    )
    assert (wrong.status_code, wrong.json()["detail"]) == (
        422, "rule 1.cap: 'x' is no size; write 150_000, \"150kB\" or \"1.5MB\"."
    )  # fmt: skip
    client.put(f"/api/v1/sites/{second['id']}/rules", json=named["tables"])
    assert client.get(f"/api/v1/sites/{second['id']}/rules").json() == named["tables"]
    assert client.delete("/api/v1/named-rules", params={"name": name}).status_code == 204
    assert client.delete("/api/v1/named-rules", params={"name": name}).status_code == 404
    # What was forgotten can be put back as it was.
    again = client.put("/api/v1/named-rules", json={"name": name, "tables": named["tables"]}).json()
    assert again == named
    assert client.put("/api/v1/named-rules", json={"name": name}).status_code == 422
    client.delete("/api/v1/named-rules", params={"name": name})
