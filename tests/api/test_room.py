"""What takes room is seen, and what nothing needs can be cleared."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from application import Application, running
from ivory_thistle.workflows.kept import PLACE

pytestmark = pytest.mark.database


@pytest.fixture(scope="module")
def data_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder for these tests alone."""
    return tmp_path_factory.mktemp("room") / "data"


@pytest.fixture(scope="module")
def application(data_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """An application of its own: to make room takes away what other tests have encoded."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv(PLACE, str(tmp_path_factory.mktemp("kept")))
        with running(data_folder) as application:
            yield application


def parts(application: Application) -> dict[str, dict[str, int]]:
    """Each part of the data folder by its kind."""
    return {part["kind"]: part for part in application.client.get("/api/v1/room").json()}


def test_sites_that_were_removed_give_back_their_room(
    application: Application, data_folder: Path, site_folder: Path
) -> None:
    """The numbers are those of the files; a site on the list keeps everything."""
    client = application.client
    kept = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
    application.wait(f"/api/v1/captures/{kept['capture']['id']}", ("done",))
    (site_folder / "only-here.txt").write_bytes(b"only here" * 1000)
    gone = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
    for site in (kept, gone):
        application.wait(f"/api/v1/captures/{site['capture']['id']}", ("done",))
        application.audited(site["capture"]["id"])
    client.delete(f"/api/v1/sites/{gone['id']}")
    left = data_folder / "uploads" / "left.zip"
    left.parent.mkdir(exist_ok=True)
    left.write_bytes(b"x" * 500)
    before = parts(application)
    files = [p for p in (data_folder / "blobs").rglob("*") if p.is_file() and len(p.name) == 64]
    assert before["contents"]["bytes"] == sum(p.stat().st_size for p in files)
    assert before["contents"]["spare"] >= 9000 and before["uploads"]["spare"] == 500
    assert before["database"]["bytes"] > 1_000_000
    freed = client.post("/api/v1/room/clear").json()["bytes"]
    assert freed == before["contents"]["spare"] + 500
    after = parts(application)
    assert after["contents"]["spare"] == after["uploads"]["bytes"] == 0
    assert after["contents"]["bytes"] == before["contents"]["bytes"] - before["contents"]["spare"]
    assert client.post(f"/api/v1/sites/{gone['id']}/restore").status_code == 404
    images = client.get(f"/api/v1/captures/{kept['capture']['id']}/images").json()["items"]
    for image in images:
        assert client.get(f"/api/v1/captures/{kept['capture']['id']}/images/{image['id']}/file").status_code == 200


def test_what_can_not_be_read_leaves_nothing(application: Application, data_folder: Path, tmp_path: Path) -> None:
    """An archive that holds no site, and one that is none: neither the upload nor what was unpacked stays."""
    archive = tmp_path / "x.zip"
    with zipfile.ZipFile(archive, "w") as packed:
        packed.writestr("../../escape.html", "x")
    broken = b"PK\x03\x04" + b"nothing" * 50
    for data in (archive.read_bytes(), broken):
        answer = application.client.put("/api/v1/sites/from-archive", params={"file_name": "x.zip"}, content=data)
        site = answer.json()
        capture = application.wait(f"/api/v1/captures/{site['capture']['id']}", ("failed", "done"))
        if capture["state"] == "failed":
            assert capture["error"]
        application.client.delete(f"/api/v1/sites/{site['id']}")
    assert not list((data_folder / "uploads").glob("*"))
    assert not list((data_folder / "staging").glob("*"))
