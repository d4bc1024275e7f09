"""Findings, roles, selections and budgets through the interface; the other ways in."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from application import Application
from ivory_thistle.core.findings.catalogue import CATALOGUE
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from pictures import encoded, photograph

pytestmark = pytest.mark.database


@pytest.fixture(scope="module")
def site(application: Application, tmp_path_factory: pytest.TempPathFactory) -> dict[str, int]:
    """The little site, read and audited: its id and its capture's."""
    from pictures import write_site

    folder = write_site(tmp_path_factory.mktemp("library") / "site")
    made = application.client.post("/api/v1/sites/from-folder", json={"folder": str(folder), "name": "Library"}).json()
    capture = made["capture"]["id"]
    application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    application.audited(capture)
    return {"id": made["id"], "capture": capture}


def get(application: Application, path: str, **query: object) -> object:
    """A GET's JSON."""
    answer = application.client.get(f"/api/v1{path}", params=query)
    assert answer.status_code == 200, answer.text
    return answer.json()


def images(application: Application, site: dict[str, int], **query: object) -> list[str]:
    """Paths that a filter lets through."""
    return [i["path"] for i in get(application, f"/captures/{site['capture']}/images", **query)["items"]]  # type: ignore[index]


def test_groups_from_the_easiest_win_down(application: Application, site: dict[str, int]) -> None:
    """What treating mends first, and within that the most bytes; every group leads to its findings."""
    found = get(application, f"/captures/{site['capture']}/findings")
    groups = found["groups"]  # type: ignore[index]
    assert [(g["ease"], -g["stake"]) for g in groups] == sorted((g["ease"], -g["stake"]) for g in groups)
    assert {g["code"] for g in groups} >= {"old-format", "missing-dimensions", "unused-file", "broken-reference"}
    for g in groups:
        assert g["title"] == CATALOGUE[g["code"]].title
        items = get(application, f"/captures/{site['capture']}/findings/{g['code']}", limit=500)["items"]  # type: ignore[index]
        assert len(items) == g["count"] and sum(f["stake"] for f in items) == g["stake"]
        with_image = {f["image_id"] for f in items if f["image_id"]}
        assert len(with_image) == g["images"] == len(images(application, site, finding=g["code"]))


def test_list_and_findings_agree_on_caps(application: Application, site: dict[str, int]) -> None:
    """By weight and by width; drawings and what can't be read have no cap to exceed."""
    narrow = {"caps": {"content": {"bytes": 10**9, "width": 100}, "thumbnail": {"bytes": 1000, "width": 9000}}}
    before = get(application, f"/sites/{site['id']}/budgets")
    application.client.put(f"/api/v1/sites/{site['id']}/budgets", json={**before, **narrow}).raise_for_status()  # type: ignore[dict-item]
    # Another test may have captured the site again: the newest capture is audited.
    newest = get(application, f"/sites/{site['id']}")["capture"]["id"]  # type: ignore[index]
    application.audited(newest)
    rows = get(application, f"/captures/{newest}/images", limit=500)["items"]  # type: ignore[index]
    assert {r["over_cap"] for r in rows} == {True, False}
    for row in rows:
        assert row["over_cap"] == ("over-cap" in row["findings"]), row
    application.client.put(f"/api/v1/sites/{site['id']}/budgets", json=before).raise_for_status()
    application.audited(newest)


def test_facets_count_what_their_filters_show(application: Application, site: dict[str, int]) -> None:
    """Each value of each facet."""
    facets = get(application, f"/captures/{site['capture']}/facets")
    assert facets["format"] and facets["kind"] and facets["finding"]  # type: ignore[index]
    for name, values in facets.items():  # type: ignore[attr-defined]
        for v in values:
            assert len(images(application, site, **{name: v["value"]})) == v["count"]


def test_roles_by_hand_outlive_a_new_capture(application: Application, site: dict[str, int]) -> None:
    """For chosen images, for a whole filtered set but one, for a pattern; each can be taken back."""
    client, base = application.client, f"/api/v1/captures/{site['capture']}"
    listed = client.get(f"{base}/images").json()["items"]
    first = listed[0]
    done = client.post(f"{base}/roles", json={"role": "hero", "selection": {"ids": [first["id"]]}}).json()
    assert done == {"changed": 1, "before": [{"pattern": first["path"], "role": None}]}
    application.audited(site["capture"])
    detail = client.get(f"{base}/images/{first['id']}").json()
    assert (detail["role"], detail["role_why"], detail["role_by_hand"]) == ("hero", "Chosen by hand.", True)

    jpegs = {"filter": {"format": ["jpeg"]}, "without": [first["id"]]}
    many = client.post(f"{base}/roles", json={"role": "icon", "selection": jpegs}).json()
    assert many["changed"] == len(images(application, site, format="jpeg")) - 1
    application.audited(site["capture"])
    assert first["path"] not in images(application, site, role="icon") != []
    client.put(f"{base}/roles", json=many["before"])
    client.post(f"{base}/roles", json={"role": "logo", "pattern": "img/graphic*"})
    application.audited(site["capture"])
    assert images(application, site, role="icon") == []
    assert images(application, site, role="logo") == ["img/graphic.png"]

    again = client.post(f"/api/v1/sites/{site['id']}/captures").json()
    application.wait(f"/api/v1/captures/{again['id']}", ("done", "failed"))
    application.audited(again["id"])
    rows = client.get(f"/api/v1/captures/{again['id']}/images").json()["items"]
    assert {r["path"]: r["role"] for r in rows if r["role"] in ("hero", "logo")} == {
        first["path"]: "hero",
        "img/graphic.png": "logo",
    }
    for pattern in (first["path"], "img/graphic*"):
        client.post(f"{base}/roles", json={"role": None, "pattern": pattern})
    assert client.get(f"{base}/roles").json() == []


@pytest.mark.parametrize(
    "body",
    [
        {"role": "hero"},
        {"role": "hero", "pattern": "x", "selection": {"ids": [1]}},
        {"role": "hero", "selection": {}},
        {"role": "king", "pattern": "x"},
    ],
)
def test_unclear_role_changes_are_refused(application: Application, site: dict[str, int], body: object) -> None:
    """With a problem, and nothing is changed."""
    assert application.client.post(f"/api/v1/captures/{site['capture']}/roles", json=body).status_code == 422


def test_budgets_as_values_and_as_toml(application: Application, site: dict[str, int]) -> None:
    """What is put comes back in both forms; a fault names its place; findings follow."""
    client, base = application.client, f"/api/v1/sites/{site['id']}"
    before = client.get(f"{base}/budgets").json()
    assert before["page"] == {"bytes": 5_000_000, "requests": 60} and before["caps"]["hero"]["bytes"] == 300_000
    toml = '[page]\nbytes = 100_000\n[[pages]]\npattern = "more/*"\nscreen = "phone"\nbytes = 50_000\n[caps."social card"]\nbytes = 9'
    now = client.put(f"{base}/budgets.toml", json={"toml": toml}).json()
    assert now["pages"] == [{"bytes": 50_000, "requests": None, "pattern": "more/*", "screen": "phone"}]
    assert client.get(base).json()["page_budget"] == 100_000
    newest = client.get(base).json()["capture"]["id"]
    application.audited(newest)
    rows = client.get(f"/api/v1/captures/{newest}/pages").json()["items"]
    assert {p["path"]: (p["allowed"], p["allowed_by"]) for p in rows} == {
        "index.html": (100_000, "the whole site"), "more/second.html": (100_000, "the whole site"),
    }  # fmt: skip
    over = client.get(f"/api/v1/captures/{newest}/findings/page-over-budget").json()["items"]
    assert len(over) == 2 and all("counted by reference" in f["sentence"] for f in over)
    bad = client.put(f"{base}/budgets.toml", json={"toml": "[caps.hero]\nweight = 3"})
    assert bad.json()["detail"] == "caps.hero knows no 'weight'; there are bytes and width."
    assert client.put(f"{base}/budgets", json=before).json() == before


@pytest.mark.slow
def test_a_run_over_chosen_images_keeps_what_an_earlier_one_made(
    application: Application, site: dict[str, int]
) -> None:
    """Only the chosen are treated; the renditions of the others are carried over."""
    client, base = application.client, f"/api/v1/captures/{site['capture']}"
    cat = client.get(f"{base}/images", params={"search": "cat.jpg"}).json()["items"][0]
    run = client.post(f"{base}/runs?fidelity=fixed", json={"filter": {"search": "cat.jpg"}}).json()
    done = application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))
    assert (done["total"], done["left_alone"]) == (1, 4)
    made = client.get(f"{base}/images/{cat['id']}").json()["renditions"]
    assert made
    other = client.get(f"{base}/images", params={"search": "graphic"}).json()["items"][0]
    second = client.post(f"{base}/runs?fidelity=lean", json={"ids": [other["id"]]}).json()
    application.wait(f"/api/v1/runs/{second['id']}", ("done", "failed"))
    kept = client.get(f"{base}/images/{cat['id']}").json()["renditions"]
    assert [r["settings"] for r in kept] == [r["settings"] for r in made]
    savings = client.get(f"/api/v1/runs/{second['id']}/savings").json()
    assert savings["before"] - savings["after"]["avif"] > 0


@pytest.fixture
def address(site_folder: Path) -> Iterator[str]:
    """The little site served on loopback."""
    folder = Folder(site_folder)
    with serve_site(folder.paths()[0], folder.read) as served:
        yield served


def test_a_site_by_its_address(application: Application, address: str) -> None:
    """Refused as private until allowed by name; then the same capture as of the folder; read again by conditions."""
    client = application.client
    refused = client.post("/api/v1/sites/from-address", json={"address": f"{address}/index.html"})
    assert refused.status_code == 422 and refused.json()["detail"].startswith(
        "127.0.0.1 leads to 127.0.0.1, which is not a public address. If that is your own server"
    )
    body = {"address": f"{address}/index.html", "allow_private": True, "seconds_between": 0, "name": "By address"}
    made = client.post("/api/v1/sites/from-address", json=body).json()
    read = application.wait(f"/api/v1/captures/{made['capture']['id']}", ("done", "failed"))
    assert (read["pages"], read["broken_references"], read["origin"]) == (1, 1, "crawl")
    faults = client.get(f"/api/v1/captures/{read['id']}/faults").json()
    assert [f["message"] for f in faults if "missing" in f["path"]] == ["It answers with 404."]
    application.audited(read["id"])
    client.post(f"/api/v1/captures/{read['id']}/measurements")
    measured = application.wait(f"/api/v1/captures/{read['id']}/measurement", ("done", "failed"))
    assert (measured["done"], measured["problems"]) == (4, 0)
    again = client.post(f"/api/v1/sites/{made['id']}/captures").json()
    second = application.wait(f"/api/v1/captures/{again['id']}", ("done", "failed"))
    assert (second["images"], second["image_bytes"]) == (read["images"], read["image_bytes"])
    unknown = client.post("/api/v1/sites/from-address", json={"address": "http://no.such.invalid/"})
    assert "is not known" in unknown.json()["detail"]


def test_a_har_file_becomes_a_site_with_its_weights(application: Application, tmp_path: Path) -> None:
    """Uploaded like an archive; what went over the wire is its measurement, and cookies are nowhere."""
    picture = encoded(photograph("chelsea"), "JPEG")
    entries = [
        {
            "pageref": "p", "request": {"url": url, "cookies": [{"value": "SECRET"}]},
            "response": {"status": 200, "bodySize": size, "content": {"mimeType": kind, **content}},
        }
        for url, kind, size, content in [
            ("https://tea.example/", "text/html", 20, {"text": "<img src=a.jpg alt=x>"}),
            ("https://tea.example/a.jpg", "image/jpeg", len(picture), {"text": __import__("base64").b64encode(picture).decode(), "encoding": "base64"}),
            ("https://cdn.example/b.webp", "image/webp", 77_000, {}),
        ]
    ]  # fmt: skip
    data = json.dumps({"log": {"pages": [{"id": "p", "title": "Tea"}], "entries": entries}}).encode()
    client = application.client
    made = client.put("/api/v1/sites/from-archive", params={"file_name": "tea.har"}, content=data).json()
    read = application.wait(f"/api/v1/captures/{made['capture']['id']}", ("done", "failed"))
    assert (read["pages"], read["images"], read["image_bytes"]) == (1, 2, len(picture) + 77_000)
    measured = client.get(f"/api/v1/captures/{read['id']}/measurement").json()
    (page,) = client.get(f"/api/v1/measurements/{measured['id']}/screens/recorded/pages").json()["items"]
    assert page["scrolled"] == len(picture) + 77_000
    application.audited(read["id"])
    codes = {g["code"] for g in client.get(f"/api/v1/captures/{read['id']}/findings").json()["groups"]}
    assert "unreadable" in codes and "missing-dimensions" in codes


def test_a_folder_of_pictures_without_pages(application: Application, tmp_path: Path) -> None:
    """Its folders stand in the pages' place: roles by folder, treatment, savings, handover with names kept."""
    root = tmp_path / "camera"
    for name in ("trip/dawn.jpg", "trip/dusk.jpg", "Été/garten.png"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        kind = "PNG" if name.endswith("png") else "JPEG"
        pixels = photograph("coffee" if "dawn" in name else "chelsea").resize((900, 600 + len(name)))
        (root / name).write_bytes(encoded(pixels, kind))
    client = application.client
    made = client.post("/api/v1/sites/from-folder", json={"folder": str(root)}).json()
    capture = made["capture"]["id"]
    read = application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))
    assert (read["pages"], read["images"], read["unused_images"]) == (2, 3, 0)
    assert {p["path"] for p in client.get(f"/api/v1/captures/{capture}/pages").json()["items"]} == {"trip/", "Été/"}
    client.post(f"/api/v1/captures/{capture}/roles", json={"role": "thumbnail", "pattern": "trip/*"})
    application.audited(capture)
    run = client.post(f"/api/v1/captures/{capture}/runs?fidelity=fixed").json()
    application.wait(f"/api/v1/runs/{run['id']}", ("done", "failed"))
    savings = client.get(f"/api/v1/runs/{run['id']}/savings").json()
    assert {p["path"] for p in savings["pages"]} == {"trip/", "Été/"}
    assert savings["after"]["avif"] < savings["before"]
    (tmp_path / "h.zip").write_bytes(client.get(f"/api/v1/runs/{run['id']}/handover.zip").content)
    with zipfile.ZipFile(tmp_path / "h.zip") as held:
        names = set(held.namelist())
    # What new files stand for does not leave with them; the folder itself is as it was.
    assert "trip/dawn.jpg" not in names and (root / "trip/dawn.jpg").exists()
    assert any(n.startswith("trip/dawn-") and n.endswith(".avif") for n in names)
    assert any(n.startswith("Été/garten-") for n in names) and "savings.csv" in names


def test_reading_can_be_stopped_and_continued(application: Application, tmp_path: Path) -> None:
    """A stopped capture is not half there; continued, it is whole."""
    root = tmp_path / "many"
    root.mkdir()
    (root / "index.html").write_text("<p>x")
    for n in range(400):
        (root / f"{n}.png").write_bytes(encoded(photograph("chelsea").resize((60, 40 + n % 9)), "PNG"))
    client = application.client
    made = client.post("/api/v1/sites/from-folder", json={"folder": str(root)}).json()
    capture = made["capture"]["id"]
    client.post(f"/api/v1/captures/{capture}/stop")
    stopped = application.wait(f"/api/v1/captures/{capture}", ("stopped", "done", "failed"))
    assert (stopped["state"], stopped["images"]) == ("stopped", 0)
    client.post(f"/api/v1/captures/{capture}/continue")
    assert application.wait(f"/api/v1/captures/{capture}", ("done", "failed"))["pages"] == 1
