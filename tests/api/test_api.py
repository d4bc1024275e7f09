"""The interface: guarding, problems, lists, and what the front end relies on."""

from __future__ import annotations

import io
import json
import subprocess
import tempfile
import zipfile
from pathlib import Path

import pytest

from application import ROOT, Application
from ivory_thistle.api.schema_file import openapi_document

pytestmark = pytest.mark.database


def zipped(folder: Path) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path in folder.rglob("*"):
            archive.write(path, path.relative_to(folder))
    return out.getvalue()


@pytest.fixture
def capture(application: Application, site_folder: Path) -> dict[str, int]:
    """A site read from the little site's folder."""
    site = application.client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder), "name": "Tea"}).json()
    found = application.wait(f"/api/v1/captures/{site['capture']['id']}", ("done", "failed"))
    application.audited(site["capture"]["id"])
    return found  # type: ignore[return-value]


def test_health(application: Application) -> None:
    """Answers when the database does."""
    assert application.client.get("/api/v1/health").json()["status"] == "ok"


@pytest.mark.parametrize(
    "headers",
    [
        {"host": "evil.example"},
        {"host": "127.0.0.1:1"},
        {"origin": "http://evil.example"},
        {"origin": "null"},
        {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"},
    ],
)
def test_other_pages_can_not_drive_it(application: Application, headers: dict[str, str]) -> None:
    """Another Host (DNS rebinding) or Origin is refused, for reading and for writing."""
    for method in ("GET", "POST"):
        answer = application.client.request(method, "/api/v1/sites", headers=headers)
        assert answer.status_code == 403
        assert answer.headers["content-type"] == "application/problem+json"


def test_every_answer_carries_the_security_headers(application: Application) -> None:
    """Page, asset, interface and error alike."""
    for path in ("/", "/sites/1/audit", "/favicon.svg", "/api/v1/sites", "/api/v1/nothing", "/favicon.ico"):
        headers = application.client.get(path).headers
        assert "default-src 'none'" in headers["content-security-policy"]
        assert "unsafe" not in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
    assert application.client.get("/api/v1/nothing").status_code == 404
    assert application.client.get("/anything").headers["content-type"].startswith("text/html")


def test_problems_are_rfc_9457(application: Application) -> None:
    """Type, title, status and a detail for the person."""
    answer = application.client.post("/api/v1/sites/from-folder", json={"folder": "/does/not/exist"})
    assert answer.status_code == 422
    assert answer.json() == {
        "type": "urn:ivory-thistle:unusable-input", "title": "This can't be used", "status": 422,
        "detail": "The folder /does/not/exist does not exist.",
    }  # fmt: skip
    assert application.client.get("/api/v1/sites/999999").json()["detail"] == "This site is not there, or not any more."
    assert (
        application.client.patch("/api/v1/sites/1", json={"page_budget": -1}).json()["type"]
        == "urn:ivory-thistle:invalid-request"
    )
    assert application.client.get("/api/v1/captures/1/images?after=%%%").status_code in (404, 422)


def test_the_capture_holds_what_the_folder_holds(application: Application, capture: dict[str, int]) -> None:
    """Totals, pages, an image's placements, and pictures by their sniffed type without scripting."""
    base = f"/api/v1/captures/{capture['id']}"
    assert (capture["pages"], capture["images"], capture["unused_images"], capture["broken_references"]) == (
        2,
        6,
        1,
        1,
    )
    pages = application.client.get(f"{base}/pages").json()["items"]
    assert {p["path"] for p in pages} == {"index.html", "more/second.html"}
    assert pages[0]["image_bytes"] > pages[1]["image_bytes"]
    assert all(sum(s["bytes"] for s in p["segments"]) == p["image_bytes"] for p in pages)
    images = application.client.get(f"{base}/images", params={"search": "COFFEE.jpg"}).json()["items"]
    assert [i["path"] for i in images] == ["img/coffee.jpg"]
    image = application.client.get(f"{base}/images/{images[0]['id']}").json()
    assert {(p["page_path"], p["element"], p["line"]) for p in image["placements"]} >= {
        ("index.html", "img", 3),
        ("more/second.html", "img", 2),
    }
    file = application.client.get(f"{base}/images/{images[0]['id']}/file")
    assert file.headers["content-type"] == "image/jpeg" and "sandbox" in file.headers["content-security-policy"]
    assert application.client.get(f"{base}/images/{images[0]['id']}/thumbnail").headers["content-type"] == "image/webp"


@pytest.mark.parametrize("sort", ["bytes", "pixels", "pages", "path"])
@pytest.mark.parametrize("descending", [True, False])
def test_keyset_pages_give_every_row_once(
    application: Application, capture: dict[str, int], sort: str, descending: bool
) -> None:
    """In steps of two the same list as at once."""
    address, query = f"/api/v1/captures/{capture['id']}/images", {"sort": sort, "descending": descending}
    whole = application.client.get(address, params=query).json()
    rows, after = [], None
    while True:
        part = application.client.get(
            address, params={**query, "limit": 2, **({"after": after} if after else {})}
        ).json()
        rows += part["items"]
        after = part["next"]
        if not after:
            break
    assert rows == whole["items"] and len(rows) == whole["total"] == 6
    key = {"bytes": "bytes", "pages": "page_count", "path": "path"}.get(sort)
    if key:
        values = [r[key] for r in rows]
        assert values == sorted(values, reverse=descending)


def test_filters(application: Application, capture: dict[str, int]) -> None:
    """By format, by what is shown, and a search that takes wildcards as letters."""

    def paths(**query: object) -> list[str]:
        rows = application.client.get(f"/api/v1/captures/{capture['id']}/images", params=query).json()["items"]
        return sorted(r["path"] for r in rows)

    assert paths(format="png") == ["img/graphic.png"]
    assert paths(show="unused") == ["img/unused.jpg"]
    assert paths(search="%") == [] and paths(search="_") == []
    assert paths(show="copies") == []


def test_budgets_change_and_removal_is_undone(application: Application, capture: dict[str, int]) -> None:
    """A new budget changes states at once; a removed site comes back with everything."""
    client, site = application.client, f"/api/v1/sites/{capture['site_id']}"
    assert client.get(site).json()["page_budget"] == 5_000_000
    changed = client.patch(site, json={"page_budget": 100_000}).json()
    assert changed["ledger"]["pages_over"] == 2
    assert client.get(f"/api/v1/captures/{capture['id']}/pages").json()["items"][0]["state"] == "over"
    assert client.delete(site).status_code == 204
    assert capture["site_id"] not in [s["id"] for s in client.get("/api/v1/sites").json()]
    assert client.post(f"{site}/restore").json()["ledger"]["pages"] == 2


def test_an_uploaded_archive_becomes_a_site(application: Application, site_folder: Path) -> None:
    """Sent as a body; a bad one is told and leaves a failed capture, no half one."""
    client = application.client
    good = client.put("/api/v1/sites/from-archive", params={"file_name": "tea.zip"}, content=zipped(site_folder))
    assert good.status_code == 201 and good.json()["name"] == "tea"
    ready = application.wait(f"/api/v1/captures/{good.json()['capture']['id']}", ("done", "failed"))
    assert (ready["state"], ready["images"]) == ("done", 6)
    no_zip = client.put("/api/v1/sites/from-archive", params={"file_name": "x.zip"}, content=b"rubbish")
    assert no_zip.json()["detail"] == (
        "x.zip is neither a ZIP archive nor a HAR file. Pack the site's folder as ZIP and send that."
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("../index.html", "x")
    bad = client.put("/api/v1/sites/from-archive", params={"file_name": "bad.zip"}, content=out.getvalue()).json()
    failed = application.wait(f"/api/v1/captures/{bad['capture']['id']}", ("done", "failed"))
    assert failed["error"] == "The archive holds the name '../index.html', which leads outside its folder."


def test_events_tell_a_capture_to_its_end(application: Application, capture: dict[str, int]) -> None:
    """Server-sent events, the last of them in an end state."""
    with application.client.stream("GET", f"/api/v1/captures/{capture['id']}/events", timeout=20) as stream:
        lines = [line for line in stream.iter_lines() if line.startswith("data:")]
    assert json.loads(lines[-1][5:])["state"] == "done"


def of(files: Path | dict[str, bytes], paths: list[str]) -> dict[str, bytes]:
    """Some files of a folder or of an archive."""
    return {path: (files / path).read_bytes() if isinstance(files, Path) else files[path] for path in paths}


def patched(patch: bytes, files: Path | dict[str, bytes], paths: list[str]) -> dict[str, bytes]:
    """What GNU patch makes of some files."""
    with tempfile.TemporaryDirectory() as folder:
        for path, content in of(files, paths).items():
            (Path(folder) / path).parent.mkdir(parents=True, exist_ok=True)
            (Path(folder) / path).write_bytes(content)
        subprocess.run(["patch", "-p1", "--binary", "--quiet"], input=patch, cwd=folder, check=True)
        return of(Path(folder), paths)


@pytest.mark.slow
def test_a_run_treats_saves_and_hands_over(
    application: Application, capture: dict[str, int], site_folder: Path
) -> None:
    """Stopped and continued, it ends with savings that the archive's own files add up to."""
    client = application.client
    run = client.post(f"/api/v1/captures/{capture['id']}/runs?fidelity=fixed").json()
    assert client.post(f"/api/v1/captures/{capture['id']}/runs?fidelity=fixed").json()["id"] == run["id"]
    assert client.get(f"/api/v1/runs/{run['id']}/savings").status_code == 409
    client.post(f"/api/v1/runs/{run['id']}/stop")
    stopped = application.wait(f"/api/v1/runs/{run['id']}", ("stopped", "done"))
    assert stopped["state"] == "stopped"
    client.post(f"/api/v1/runs/{run['id']}/continue")
    done = application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))
    assert (done["state"], done["total"], done["done"], done["failed"]) == ("done", 5, 5, 0)
    again = client.post(f"/api/v1/runs/{run['id']}/continue").json()
    assert (again["state"], again["can_be_tried_again"]) == ("done", 0), "nothing is left to be tried again"
    savings = client.get(f"/api/v1/runs/{run['id']}/savings").json()
    assert savings["after"]["avif"] <= savings["after"]["webp"] <= savings["after"]["baseline"] < savings["before"]
    answer = client.get(f"/api/v1/runs/{run['id']}/handover.zip")
    assert answer.headers["content-disposition"] == 'attachment; filename="tea-handover.zip"'
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        assert archive.testzip() is None
        held = {n: archive.read(n) for n in archive.namelist()}
    told = client.get(f"/api/v1/runs/{run['id']}/handover").json()
    assert len(held) == told["files"] and told["rewritten"] == [
        "css/main.css",
        "index.html",
        "more/second.html",
    ]
    for query, before, after in (("", site_folder, held), ("?reverse=true", held, site_folder)):
        patch = client.get(f"/api/v1/runs/{run['id']}/handover.patch{query}").content
        assert patched(patch, before, told["rewritten"]) == of(after, told["rewritten"])
    changes = client.get(f"/api/v1/runs/{run['id']}/handover/changes", params={"path": "css/main.css"}).json()
    assert changes["lines"][0].startswith("@@") and changes["more"] == 0
    assert any(line.startswith("+") and "china-" in line for line in changes["lines"])
    unchanged = client.get(f"/api/v1/runs/{run['id']}/handover/changes", params={"path": "img/china.jpg"})
    assert (unchanged.status_code, unchanged.json()["detail"]) == (
        404,
        "This rewritten file is not there, or not any more.",
    )
    for path in (p for p in site_folder.rglob("*") if p.suffix in (".jpg", ".png")):
        assert held[path.relative_to(site_folder).as_posix()] == path.read_bytes()
    manifest = json.loads(held["manifest.json"])
    assert all(len(held[f["path"]]) == f["bytes"] for f in manifest["files"])
    assert b"<picture" in held["index.html"]


def test_measuring_goes_on_where_it_was_stopped(
    application: Application, capture: dict[str, int], site_folder: Path
) -> None:
    """Stopped, continued, done: every page once on every screen, with boxes, bytes on the wire and a picture."""
    client, base = application.client, f"/api/v1/captures/{capture['id']}"
    assert client.get(f"{base}/measurement").json() is None
    started = client.post(f"{base}/measurements").json()
    assert client.post(f"{base}/measurements").json()["id"] == started["id"]
    own = f"/api/v1/measurements/{started['id']}"
    client.post(f"{own}/stop")
    stopped = application.wait(f"{base}/measurement", ("stopped", "done"))
    assert stopped["state"] == "stopped"
    client.post(f"{own}/continue")
    done = application.wait(f"{base}/measurement", ("done", "failed"))
    assert (done["state"], done["done"], done["total"], done["problems"]) == ("done", 8, 8, 0)
    pages = client.get(f"{own}/screens/phone/pages").json()["items"]
    second = next(p for p in pages if p["path"] == "more/second.html")
    assert second["scrolled"] == (site_folder / "img/coffee-2x.jpg").stat().st_size
    index = next(p for p in pages if p["path"] == "index.html")
    assert index["errors"] == ["img/missing.jpg answers with 404."]
    detail = client.get(f"{own}/screens/desktop/pages/{index['page_id']}").json()
    dense = client.get(f"{own}/screens/phone/pages/{index['page_id']}").json()
    assert dense["width"] == 390
    assert detail["width"] == 1920 and {s["kind"] for s in detail["slots"]} == {"img", "background"}
    shot = client.get(f"{own}/screens/desktop/pages/{index['page_id']}/screenshot")
    assert shot.headers["content-type"] == "image/jpeg"
    image = client.get(f"{base}/images", params={"search": "cat.jpg"}).json()["items"][0]
    slots = client.get(f"{base}/images/{image['id']}/slots").json()
    assert {s["screen"] for s in slots} == {"phone", "tablet", "laptop", "desktop"}
    assert client.get(f"{own}/screens/wall/pages").json()["items"] == []
    for part in ("opening", "scrolled"):
        for tier in ("avif", "webp", "baseline"):
            listed = client.get(f"{own}/screens/phone/pages", params={"tier": tier, "part": part}).json()
            weights = [p[part] for p in listed["items"]]
            assert weights == sorted(weights, reverse=True) and listed["heaviest"] == weights[0] > 0
    # 8 bits a byte over 1.6 Mbit/s, and the round trip.
    assert second["seconds_scrolled"][2] == pytest.approx(0.15 + second["scrolled"] * 8 / 1_600_000)


def test_screens_and_connections_of_a_site(application: Application, capture: dict[str, int]) -> None:
    """Changed ones are kept and measured on; unusable ones are refused with a reason."""
    client, site = application.client, f"/api/v1/sites/{capture['site_id']}"
    before = client.get(site).json()
    assert [s["name"] for s in before["screens"]] == ["phone", "tablet", "laptop", "desktop"]
    wall = {"name": "wall", "width": 2560, "height": 1440, "density": 1, "dark": True, "touch": True}
    slow = {"name": "Mountain hut", "bits": 200_000, "wait_ms": 900}
    changed = client.patch(site, json={"screens": [wall], "connections": [slow], "lazy_attributes": ["data-later"]})
    assert changed.json()["screens"] == [wall] and changed.json()["connections"] == [slow]
    twice = client.patch(site, json={"screens": [wall, wall]})
    assert twice.status_code == 422 and "same name" in twice.json()["detail"]
    assert client.patch(site, json={"screens": []}).status_code == 422
    client.post(f"/api/v1/captures/{capture['id']}/measurements")
    done = application.wait(f"/api/v1/captures/{capture['id']}/measurement", ("done", "failed"))
    assert done["screens"] == [wall] and done["done"] == 2
    pages = client.get(f"/api/v1/measurements/{done['id']}/screens/wall/pages").json()["items"]
    assert [len(p["seconds_opening"]) for p in pages] == [1, 1]
    client.patch(site, json={k: before[k] for k in ("screens", "connections", "lazy_attributes")})


def test_the_types_of_the_front_end_are_current() -> None:
    """openapi.json is what the application says; the types of the front end are made of it."""
    assert json.loads((ROOT / "openapi.json").read_text()) == openapi_document()
