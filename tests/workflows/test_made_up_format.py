"""A format and a tier that one module from outside brings are known everywhere: no other file is touched."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from application import PHONE, running
from command_line import run
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import TIERS, measured_tier
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import TreatOptions, treat_folder, treat_json
from ivory_thistle.workflows.plugged import VARIABLE, load_formats
from ivory_thistle.workflows.treating import encoding_version


@contextmanager
def known() -> Iterator[None]:
    """The made-up format, here and in all processes, for the length of a block."""
    with pytest.MonkeyPatch.context() as environment:
        environment.setenv(VARIABLE, "thorn")
        environment.setenv("PYTHONPATH", ":".join(sys.path))
        encoding_version.cache_clear()
        load_formats()
        try:
            yield
        finally:
            encoding_version.cache_clear()
            del FORMATS["thorn"], TIERS["thorn"], sys.modules["thorn"]


@pytest.fixture
def thorn() -> Iterator[None]:
    """The made-up format, for one test."""
    with known():
        yield


@pytest.mark.usefixtures("thorn")
def test_a_folder_is_treated_with_it(site_folder: Path, tmp_path: Path) -> None:
    """It is the first choice in the markup, its files are what its encoder made, and the savings tell of it."""
    rules = Rules(fixed=True)
    done = treat_folder(Folder(site_folder), tmp_path / "out", rules, TreatOptions(compare=False))
    page = (tmp_path / "out" / "index.html").read_text()
    assert page.index('<source type="image/x-thorn"') < page.index('<source type="image/avif"')
    files = [f for f in done.handover.new_files if f.tier == "thorn"]
    assert files and all(f.path.endswith(".thorn") for f in files)
    assert (tmp_path / "out" / files[0].path).read_bytes().startswith(b"THORN")
    told = treat_json(done)
    assert list(told["savings"]["tiers"]) == ["thorn", "avif", "webp", "baseline"]
    assert told["savings"]["tiers"]["thorn"] < told["savings"]["tiers"]["avif"]
    assert told["savings"]["after"] == told["savings"]["tiers"][measured_tier()], "what Chromium shows is measured"
    assert {load.tier for load in done.report.totals} == set(TIERS)


@pytest.mark.whole
@pytest.mark.usefixtures("thorn")
@pytest.mark.database
def test_the_application_knows_it(site_folder: Path, tmp_path: Path) -> None:
    """In the vocabulary, in the renditions of an image, and in the savings of a run, all in its own place."""
    with running(tmp_path / "data") as application:
        client = application.client
        tiers = client.get("/api/v1/vocabulary").json()["tiers"]
        assert tiers[0] == {
            "name": "thorn", "words": "browsers that show Thorn", "format": "Thorn", "measured": False,
            "fixed": 3, "modern": True,
        }  # fmt: skip
        site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
        client.patch(f"/api/v1/sites/{site['id']}", json={"screens": PHONE})
        capture = site["capture"]["id"]
        application.wait(f"/api/v1/captures/{capture}", ("done",))
        run = client.post(f"/api/v1/captures/{capture}/runs?fidelity=fixed").json()["id"]
        application.wait(f"/api/v1/runs/{run}", ("done",))
        savings = client.get(f"/api/v1/runs/{run}/savings").json()
        assert list(savings["after"]) == ["thorn", "avif", "webp", "baseline"]
        assert savings["after"]["thorn"] < savings["after"]["avif"] < savings["before"]
        assert all(set(page["after"]) == set(TIERS) for page in savings["pages"])
        cat = next(i for i in client.get(f"/api/v1/captures/{capture}/images").json()["items"] if "cat" in i["path"])
        made = client.get(f"/api/v1/captures/{capture}/images/{cat['id']}").json()["renditions"]
        assert "thorn" in {r["tier"] for r in made}


def test_what_it_made_is_passed_by_once_it_is_gone(site_folder: Path, tmp_path: Path) -> None:
    """A site handed over with it is read all the same without it: its files are of an unknown format."""
    with known():
        treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True), TreatOptions(compare=False))
    again = Rules(fixed=True, formats=("thorn", "webp"))
    done = treat_folder(Folder(tmp_path / "out"), tmp_path / "again", again, TreatOptions(compare=False))
    assert FORMATS["thorn"].label == "an unknown format"
    assert set(done.handover.savings.after) == {"avif", "webp", "baseline"}


def test_a_module_that_is_not_there_is_said(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """In one line, with the variable that names it."""
    (tmp_path / "thistle_broken_format.py").write_text("raise RuntimeError('half done')")
    (tmp_path / "thistle_leaving_format.py").write_text("raise SystemExit(0)")
    monkeypatch.syspath_prepend(str(tmp_path))
    for name, words in {
        "thistle_broken_format": "the module thistle_broken_format, which can't be imported: RuntimeError: half done.",
        "thistle_leaving_format": "the module thistle_leaving_format, which can't be imported: SystemExit: 0.",
        ".rel": "'.rel', which is no name of a module.",
        "a/b": "'a/b', which is no name of a module.",
    }.items():
        monkeypatch.setenv(VARIABLE, name)
        done = run("audit", str(tmp_path))
        assert (done.returncode, done.stderr) == (2, f"THISTLE_FORMATS names {words}\n")
    monkeypatch.setenv(VARIABLE, "no_such_module_of_formats")
    with pytest.raises(UnusableInput, match="THISTLE_FORMATS names the module no_such_module_of_formats"):
        load_formats()
