"""What leaves a run: nothing unchecked where the rules say so, in the form that was chosen, with words as decided."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import httpx
import pytest

from application import PHONE, Application

pytestmark = [pytest.mark.database, pytest.mark.browser]


def treated(application: Application, folder: Path, query: str) -> tuple[int, int, httpx.Client]:
    """A site of a folder, judged on a phone, with a run: the capture, the run, and a client."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(folder), "name": "Tea"}).json()
    capture_id = site["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture_id}", ("done", "failed"))
    assert client.patch(f"/api/v1/sites/{site['id']}", json={"screens": PHONE}).status_code == 200
    run = client.post(f"/api/v1/captures/{capture_id}/runs?fidelity=fixed&{query}").json()
    assert application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))["state"] == "done"
    return capture_id, run["id"], client


def archive(client: httpx.Client, run: int, query: str = "") -> dict[str, bytes]:
    """What the ZIP of a run holds."""
    answer = client.get(f"/api/v1/runs/{run}/handover.zip{query}")
    assert answer.status_code == 200, answer.text
    with zipfile.ZipFile(io.BytesIO(answer.content)) as held:
        return {name: held.read(name) for name in held.namelist()}


@pytest.mark.whole
def test_nothing_leaves_unchecked(application: Application, site_folder: Path) -> None:
    """Refused, then checked, then handed over with the verdict; a word or an image taken back makes it unchecked again."""
    (site_folder / "index.html").write_text(
        (site_folder / "index.html").read_text().replace("alt=Cat", "") + "<script src=x.js></script>"
    )
    (site_folder / "card.vue").write_text('<template>\n<img src="/img/coffee.jpg" :alt="words">\n</template>')
    capture, run, client = treated(application, site_folder, "demand_check=true")
    for what in ("handover.zip", "handover.patch"):
        refused = client.get(f"/api/v1/runs/{run}/{what}")
        assert (refused.status_code, refused.json()["type"]) == (409, "urn:ivory-thistle:not-checked")
    assert client.get(f"/api/v1/runs/{run}/check").json() is None
    check = client.post(f"/api/v1/runs/{run}/checks").json()
    assert client.post(f"/api/v1/runs/{run}/checks").json()["id"] == check["id"]
    ended = application.wait(f"/api/v1/checks/{check['id']}", ("done", "failed"))
    found = client.get(f"/api/v1/checks/{check['id']}/loads?which=all&limit=4").json()
    assert (ended["state"], ended["done"], ended["failed"]) == ("done", 6, 0), found
    assert len(found["items"]) == 4
    rest = client.get(f"/api/v1/checks/{check['id']}/loads?which=all&after={found['next']}").json()["items"]
    assert len(rest) == 2 and not {r["id"] for r in rest} & {r["id"] for r in found["items"]}
    for side in ("before", "after"):
        shot = client.get(f"/api/v1/checks/{check['id']}/loads/{rest[0]['id']}/{side}")
        assert (shot.status_code, shot.headers["content-type"]) == (200, "image/jpeg")
    assert client.get(f"/api/v1/checks/{check['id']}/loads/0/after").status_code == 404
    held = archive(client, run)
    assert json.loads(held["manifest.json"])["check"]["passed"] is True
    assert not {"index.html", "img/cat.jpg"} & set(archive(client, run, "?files_only=true"))

    rows = client.get(f"/api/v1/captures/{capture}/wording/alternative").json()
    assert [(r["page"], r["path"]) for r in rows["items"]] == [("index.html", "img/cat.jpg")]
    choice = {"kind": "alternative", "page": "index.html", "path": "img/cat.jpg", "text": "A cat"}
    before = client.put(f"/api/v1/captures/{capture}/wording", json={"choices": [choice]}).json()
    assert before["choices"] == [choice | {"text": None}]
    assert client.get(f"/api/v1/runs/{run}/check").json()["current"] is False
    assert client.get(f"/api/v1/runs/{run}/handover.zip").status_code == 409
    client.put(f"/api/v1/captures/{capture}/wording", json=before)
    assert client.get(f"/api/v1/runs/{run}/check").json()["current"] is True

    page = held["index.html"].decode()
    at = (site_folder / "index.html").read_text().index("<img")
    back = client.post(f"/api/v1/runs/{run}/taken-back", json={"path": "index.html", "at": at, "how": "leave"})
    assert back.json() == {"count": 1}
    assert client.get(f"/api/v1/runs/{run}/handover").json()["taken_back"] == 1
    nothing = client.post(f"/api/v1/runs/{run}/taken-back", json={"path": "index.html", "at": 1, "how": "safer"})
    assert (nothing.status_code, nothing.json()["type"]) == (409, "urn:ivory-thistle:no-other-form")
    assert client.request("DELETE", f"/api/v1/runs/{run}/taken-back").json() == {"count": 0}
    assert client.request("DELETE", f"/api/v1/runs/{run}/taken-back").status_code == 409
    assert archive(client, run)["index.html"].decode() == page

    elsewhere = client.get(f"/api/v1/runs/{run}/elsewhere").json()
    assert (elsewhere["total"], elsewhere["files"]) == (1, 1)
    one = elsewhere["items"][0]
    assert (one["source"], one["line"], one["path"]) == ("card.vue", 2, "img/coffee.jpg")
    assert one["written"] == '<img src="/img/coffee.jpg" :alt="words">'
    assert one["suggested"].startswith("<picture") and ':alt="words"' in one["suggested"]
    images = client.get(f"/api/v1/captures/{capture}/images").json()["items"]
    coffee = next(i["id"] for i in images if i["path"] == "img/coffee.jpg")
    markup = client.get(f"/api/v1/runs/{run}/images/{coffee}/markup").json()["text"]
    assert markup.startswith("<picture") and "/img/coffee-" in markup


@pytest.mark.slow
def test_names_are_changed_where_it_is_sure(application: Application, site_folder: Path) -> None:
    """A suggestion taken for all and undone; a file that a script names keeps its own name, and that is said."""
    (site_folder / "img/IMG_7.jpg").write_bytes((site_folder / "img/china.jpg").read_bytes() + b"\0")
    (site_folder / "img/IMG_8.jpg").write_bytes((site_folder / "img/china.jpg").read_bytes() + b"\0\0")
    (site_folder / "show.js").write_text("show('img/IMG_8.jpg')")
    page = site_folder / "more/second.html"
    page.write_text("<h1>Sea and hills</h1><img src=../img/IMG_7.jpg><h2>A boat</h2><img src=../img/IMG_8.jpg>")
    capture, run, client = treated(application, site_folder, "form=markup")
    rows = client.get(f"/api/v1/captures/{capture}/wording/name").json()
    assert rows["suggested"] == 2
    before = client.post(f"/api/v1/captures/{capture}/wording/name/suggestions").json()
    told = client.get(f"/api/v1/runs/{run}/handover").json()
    assert told["renamed"] == 1
    assert told["not_renamed"]["img/IMG_8.jpg"].startswith("show.js names it in line 1")
    held = archive(client, run)
    assert "img/sea-hills.jpg" in held and "img/IMG_7.jpg" not in held and "img/IMG_8.jpg" in held
    assert b"IMG_7" not in held["more/second.html"] and b"img/sea-hills" in held["more/second.html"]
    client.put(f"/api/v1/captures/{capture}/wording", json=before)
    assert client.get(f"/api/v1/runs/{run}/handover").json()["renamed"] == 0
    poor = {"kind": "name", "path": "img/IMG_7.jpg", "text": "../up"}
    refused = client.put(f"/api/v1/captures/{capture}/wording", json={"choices": [poor]})
    assert (refused.status_code, refused.json()["type"]) == (422, "urn:ivory-thistle:unusable-name")


@pytest.mark.slow
@pytest.mark.daily(1)
@pytest.mark.parametrize("form", ["same-addresses", "in-place"])
def test_other_forms_leave_pages_as_they_are(application: Application, site_folder: Path, form: str) -> None:
    """And pass the check with the files that a server, or the same name, gives."""
    _, run, client = treated(application, site_folder, f"form={form}")
    held = archive(client, run)
    assert client.get(f"/api/v1/runs/{run}/handover").json()["form"] == form
    for path in ("index.html", "more/second.html", "css/main.css"):
        assert held[path] == (site_folder / path).read_bytes()
    cat = (site_folder / "img/cat.jpg").read_bytes()
    if form == "in-place":
        assert held["originals/img/cat.jpg"] == cat and len(held["img/cat.jpg"]) < len(cat)
    else:
        assert held["img/cat.jpg"] == cat and len(held["img/cat.jpg.light.avif"]) < len(cat)
        assert b"map $http_accept" in held["server-snippets/nginx.conf"]
    savings = client.get(f"/api/v1/runs/{run}/savings").json()
    assert 0 < savings["after"]["avif"] < savings["before"]
    check = client.post(f"/api/v1/runs/{run}/checks").json()
    ended = application.wait(f"/api/v1/checks/{check['id']}", ("done", "failed"))
    loads = client.get(f"/api/v1/checks/{check['id']}/loads").json()["items"]
    assert (ended["state"], ended["failed"]) == ("done", 0), loads
