"""Proof over the API: scores, verdicts that savings and handover follow, and settings tried before they are kept."""

from __future__ import annotations

import base64
import io
import json
import threading
import time
from pathlib import Path

import httpx
import numpy as np
import pytest
from test_handing_over import archive, treated

from application import Application
from ivory_thistle.core.quality import prepare, score
from pictures import opened, write_site

pytestmark = [pytest.mark.database, pytest.mark.browser]


@pytest.fixture(scope="module")
def shared_run(application: Application, tmp_path_factory: pytest.TempPathFactory) -> tuple[httpx.Client, int, int]:
    """The same, for tests that leave it as it was."""
    capture, run, client = treated(application, write_site(tmp_path_factory.mktemp("proof") / "site"), "")
    return client, capture, run


@pytest.fixture
def run(application: Application, site_folder: Path) -> tuple[httpx.Client, int, int]:
    """A finished run: a client, the capture and the run."""
    capture, run, client = treated(application, site_folder, "")
    return client, capture, run


def queue(client: httpx.Client, run: int, **asked: object) -> dict:
    """The queue, once everything has its score."""
    deadline = time.monotonic() + 120
    while True:
        found: dict = client.get(f"/api/v1/runs/{run}/proof", params=asked).json()
        if found["progress"]["looked"] == found["progress"]["total"]:
            return found
        assert time.monotonic() < deadline
        threading.Event().wait(0.1)


def photograph_in(client: httpx.Client, run: int) -> dict:
    """The photograph that is lossy and has a score."""
    return next(row for row in queue(client, run)["items"] if row["chosen"]["quality"] and row["score"])


def test_every_image_has_a_score_or_a_reason(shared_run: tuple[httpx.Client, int, int]) -> None:
    """Its score is what the file gives beside the reduced original, both decoded here by another decoder."""
    client, capture, key = shared_run
    found = queue(client, key)
    assert found["matching"] == found["progress"]["total"] > 2 and found["progress"]["said"] == 0
    assert all((row["score"] is None) == bool(row["why_not"]) for row in found["items"])
    row = photograph_in(client, key)
    image, file = row["image_id"], row["chosen"]["id"]
    before = opened(client.get(f"/api/v1/runs/{key}/proof/{image}/original/{file}").content)
    after = opened(client.get(f"/api/v1/captures/{capture}/images/{image}/renditions/{file}").content)
    assert before.size == after.size == (row["chosen"]["width"], row["chosen"]["height"])
    ours = score(prepare(np.asarray(before.convert("RGB"))), np.asarray(after.convert("RGB")))
    assert row["score"] == pytest.approx(ours, abs=1.0)


@pytest.mark.whole
def test_drawings_have_a_score_and_filters_are_the_librarys(application: Application, site_folder: Path) -> None:
    """A vector drawing is held against its original as drawn; of each facet just what it names is left."""
    ballast = "<!-- " + "ballast " * 900 + "-->"
    drawing = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 30">{ballast}<path d="M1 1h30v20z"/></svg>'
    (site_folder / "img/plan.svg").write_text(drawing)
    page = site_folder / "index.html"
    page.write_text(page.read_text().replace("<body>", "<body><img src=img/plan.svg alt=Plan>", 1))
    assert "plan.svg" in page.read_text()
    _, key, client = treated(application, site_folder, "")
    rows = queue(client, key)["items"]
    drawn = next(row for row in rows if row["path"] == "img/plan.svg")
    assert drawn["score"] > 95 and not drawn["why_not"]
    for facet in ("kind", "role"):
        values = {row[facet] for row in rows}
        for value in values:
            left = queue(client, key, **{facet: value})
            assert {row["path"] for row in left["items"]} == {row["path"] for row in rows if row[facet] == value}
            assert left["progress"]["total"] == len(rows)
    folder = queue(client, key, folder="img", kind="vector")
    assert [row["path"] for row in folder["items"]] == ["img/plan.svg"] and folder["matching"] == 1
    only = client.post(f"/api/v1/runs/{key}/proof/accepted", params={"kind": "vector"}).json()["images"]
    assert only == [drawn["image_id"]]


def test_what_is_held_stays_at_once(shared_run: tuple[httpx.Client, int, int]) -> None:
    """In savings and handover, until that is taken back; the manifest tells the verdict and the note."""
    client, _, key = shared_run
    row = photograph_in(client, key)
    address = f"/api/v1/runs/{key}/proof/{row['image_id']}"
    before = client.get(f"/api/v1/runs/{key}/savings").json()
    total = next(t for t in before["totals"] if t["tier"] == "avif" and t["part"] == "scrolled")["after"]
    said = client.put(address, json={"said": "hold", "note": "too soft at the whiskers"}).json()
    assert (said["said"], said["before"]) == ("hold", None)
    held = client.get(f"/api/v1/runs/{key}/savings").json()
    assert next(t for t in held["totals"] if t["tier"] == "avif" and t["part"] == "scrolled")["after"] > total
    told = json.loads(archive(client, key)["manifest.json"])
    assert told["judged"] == {row["path"]: {"verdict": "hold", "note": "too soft at the whiskers"}}
    assert not [file for file in told["files"] if file["original"] == row["path"]]
    assert queue(client, key, show="hold")["matching"] == 1
    back = client.put(address, json={"said": None, "note": ""}).json()
    assert (back["before"], back["note_before"]) == ("hold", "too soft at the whiskers")
    again = client.get(f"/api/v1/runs/{key}/savings").json()
    assert again["totals"] == before["totals"]


@pytest.mark.whole
def test_verdicts_outlive_a_run_that_makes_the_same(
    run: tuple[httpx.Client, int, int], application: Application
) -> None:
    """Files that are the same keep their verdict; what was made otherwise is asked for again."""
    client, capture, key = run
    row = photograph_in(client, key)
    note = {"said": None, "note": "look at the whiskers"}
    assert client.put(f"/api/v1/runs/{key}/proof/{row['image_id']}", json=note).status_code == 200
    accepted = client.post(f"/api/v1/runs/{key}/proof/accepted").json()
    assert queue(client, key, show="open")["matching"] == 0
    back = client.post(f"/api/v1/runs/{key}/proof/accepted/taken-back", json=accepted).json()
    assert back == accepted and queue(client, key, show="open")["matching"] == len(back["images"])
    assert photograph_in(client, key)["note"] == "look at the whiskers"
    assert client.post(f"/api/v1/runs/{key}/proof/accepted").json() == accepted
    settings = {"selection": {"ids": [row["image_id"]], "without": []}, "settings": {"fidelity": 50}}
    assert client.post(f"/api/v1/captures/{capture}/overrides", json=settings).status_code == 200
    again = client.post(f"/api/v1/captures/{capture}/runs", json={"ids": [row["image_id"]], "without": []}).json()["id"]
    application.wait(f"/api/v1/runs/{again}", ("done",))
    left = queue(client, again, show="open")
    assert [one["path"] for one in left["items"]] == [row["path"]]
    assert left["progress"]["said"] == left["progress"]["total"] - 1


def test_what_is_not_to_be_made_anew_looks_as_the_rules_say(run: tuple[httpx.Client, int, int]) -> None:
    """Another look for an image goes with the verdict that asked for it; what else was decided for it stays."""
    client, capture, key = run
    row = photograph_in(client, key)
    site = client.get(f"/api/v1/captures/{capture}").json()["site_id"]
    chosen = {"ids": [row["image_id"]], "without": []}
    for settings in ({"focus": [0.25, 0.5]}, {"fidelity": 80}):
        body = {"selection": chosen, "settings": settings}
        assert client.post(f"/api/v1/captures/{capture}/overrides", json=body).status_code == 200

    def decided() -> set[str]:
        rules = client.get(f"/api/v1/sites/{site}/rules").json()["rule"]
        return {name for rule in rules for name in rule} - {"path", "content"}

    address = f"/api/v1/runs/{key}/proof/{row['image_id']}"
    assert client.put(address, json={"said": "tighter", "note": ""}).json()["rules_before"] is None
    assert decided() == {"focus", "fidelity"}
    accepted = client.put(address, json={"said": "accept", "note": ""}).json()
    assert decided() == {"focus"} and "fidelity = 80" in accepted["rules_before"]
    client.put(f"/api/v1/sites/{site}/rules.toml", json={"toml": accepted["rules_before"]})
    assert decided() == {"focus", "fidelity"}


def test_verdicts_outlive_a_new_capture(run: tuple[httpx.Client, int, int], application: Application) -> None:
    """The same contents, read and treated anew, are judged already."""
    client, capture, key = run
    accepted = client.post(f"/api/v1/runs/{key}/proof/accepted").json()["images"]
    site = client.get(f"/api/v1/captures/{capture}").json()["site_id"]
    again = client.post(f"/api/v1/sites/{site}/captures").json()["id"]
    application.wait(f"/api/v1/captures/{again}", ("done",))
    new = client.post(f"/api/v1/captures/{again}/runs?fidelity=fixed").json()["id"]
    application.wait(f"/api/v1/runs/{new}", ("done",))
    found = client.get(f"/api/v1/runs/{new}/proof/progress").json()
    assert new != key and found["said"] == found["total"] == len(accepted)


def test_settings_are_tried_and_nothing_is_kept(shared_run: tuple[httpx.Client, int, int]) -> None:
    """Of a part at once, of the whole with the bytes that a file of it would have; a curve that rises."""
    client, _, key = shared_run
    row = photograph_in(client, key)
    address, file = f"/api/v1/runs/{key}/proof/{row['image_id']}", row["chosen"]
    part = {"x": 10, "y": 20, "width": 120, "height": 90}
    tried = client.post(f"{address}/trial", json={"rendition": file["id"], "quality": 40, "part": part}).json()
    picture = opened(base64.b64decode(tried["picture"].partition(",")[2]))
    assert picture.size == (120, 90) and tried["part"] | part == tried["part"]
    whole = client.post(f"{address}/trial", json={"rendition": file["id"], "quality": file["quality"]}).json()
    data = base64.b64decode(whole["picture"].partition(",")[2])
    assert len(data) == whole["bytes"] and io.BytesIO(data).read(1)
    assert whole["score"] == pytest.approx(row["score"], abs=1.5)
    assert whole["bytes"] == file["bytes"], "the same settings make the same file"
    curve = client.get(f"{address}/curve/{file['id']}").json()
    for name in ("quality", "bytes", "score"):
        assert [p[name] for p in curve] == sorted(p[name] for p in curve)
    assert photograph_in(client, key)["chosen"] == file
    far = client.post(f"{address}/trial", json={"rendition": file["id"], "quality": 40, "part": part | {"x": 19_000}})
    assert far.status_code == 200 and far.json()["part"]["x"] < file["width"]
    assert client.get(f"/api/v1/runs/{key}/proof/0").status_code == 404


def test_a_page_to_send(shared_run: tuple[httpx.Client, int, int]) -> None:
    """The same page as the command line writes, of what the run made."""
    client, _, key = shared_run
    row = photograph_in(client, key)
    page = client.get(f"/api/v1/runs/{key}/proof/page")
    assert page.headers["content-disposition"].endswith('proof.html"')
    assert row["path"] in page.text and "data:image/webp;base64," in page.text and "<script" not in page.text
