"""A handed-over site is checked in Chromium in every tier: what is right passes, what was spoilt is named."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree

import pytest

from command_line import run
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import TreatOptions, treat_folder
from pictures import encoded, photograph

pytestmark = pytest.mark.browser


@pytest.fixture
def handed_over(site_folder: Path, tmp_path: Path) -> Path:
    """The little site, treated without a look at it."""
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True), TreatOptions(compare=False))
    return tmp_path / "out"


@pytest.mark.slow
@pytest.mark.usefixtures("two_screens")
def test_what_was_handed_over_passes_in_every_tier(site_folder: Path, tmp_path: Path) -> None:
    """Two pages on two screens in three tiers; older tiers load their own formats, as foretold."""
    handed_over, junit = tmp_path / "out", tmp_path / "check.xml"
    treat_folder(Folder(site_folder), handed_over, Rules(fixed=True))
    options = ("--screens", "phone,desktop", "--json", "--junit", str(junit))
    done = run("check", str(site_folder), str(handed_over), *options)
    assert done.returncode == 0, done.stdout
    told = json.loads(done.stdout)
    assert told["passed"] and len(told["pages"]) == 2 * 2 * 3
    weighs = {c["tier"]: c["after"] for c in told["pages"] if (c["page"], c["screen"]) == ("index.html", "phone")}
    assert weighs["avif"] < weighs["baseline"]
    assert all(c["after"] == c["foretold"] < c["before"] for c in told["pages"])
    root = ElementTree.parse(junit).getroot()
    assert (root.tag, root.get("tests"), root.get("failures")) == ("testsuites", "12", "0")
    assert {case.get("name") for case in root.iter("testcase")} == {"index.html", "more/second.html"}


@pytest.mark.whole
@pytest.mark.usefixtures("two_screens")
def test_what_is_never_slid_into_view_is_not_missed(tmp_path: Path) -> None:
    """Lazy pictures beside what a row shows come when a visitor slides it; what does not come weighs nothing."""
    site, out = tmp_path / "site", tmp_path / "out"
    site.mkdir()
    for n in range(8):
        (site / f"{n}.jpg").write_bytes(encoded(photograph("coffee").resize((600, 400 + n)), "JPEG"))
    row = "".join(f"<img loading=lazy src={n}.jpg alt=x width=600 height=400>" for n in range(8))
    style = "<style>div{display:flex;overflow:hidden}img{flex:none}</style><p style=height:3000px>x"
    (site / "index.html").write_text(f"<!doctype html><meta charset=utf-8><title>t</title>{style}<div>{row}</div>")
    treat_folder(Folder(site), out, Rules(fixed=True))
    done = run("check", str(site), str(out), "--screens", "phone", "--json")
    assert done.returncode == 0, done.stdout
    pages = json.loads(done.stdout)["pages"]
    files = sum(file.stat().st_size for file in out.glob("*.avif"))
    assert len(pages) == 3 and all(0 < page["after"] == page["foretold"] < page["before"] for page in pages)
    assert pages[0]["after"] < files


def without_a_file(out: Path) -> None:
    """The AVIF file that phones load is gone."""
    for file in out.glob("img/cat-*"):
        file.unlink()


def in_another_box(out: Path) -> None:
    """A rule that the original has not."""
    sheet = out / "css/main.css"
    sheet.write_text(sheet.read_text() + "img{width:50px}")


def heavier(out: Path) -> None:
    """A file took the place of a lighter one."""
    for file in out.glob("img/cat-*"):
        shutil.copy(out / "img/coffee-2x.jpg", file)


def without_a_page(out: Path) -> None:
    """A page is gone."""
    (out / "index.html").unlink()


@pytest.mark.slow
@pytest.mark.daily(1)
@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (without_a_file, "1 images are broken."),
        (in_another_box, "boxes changed"),
        (heavier, "bytes of images are loaded instead of"),
        (without_a_page, "The page is not there any more."),
    ],
)
def test_what_was_spoilt_is_named(
    site_folder: Path, handed_over: Path, tmp_path: Path, spoil: Callable[[Path], None], words: str
) -> None:
    """With its page, screen and tier, in words and as JUnit XML; exit code 1."""
    spoil(handed_over)
    junit = tmp_path / "check.xml"
    options = ("--screens", "phone", "--tiers", "avif", "--junit", str(junit))
    done = run("check", str(site_folder), str(handed_over), *options)
    assert done.returncode == 1
    assert any(line.startswith("index.html, phone, avif: ") and words in line for line in done.stdout.splitlines())
    failure = next(ElementTree.parse(junit).getroot().iter("failure"))
    assert failure.get("message")


def test_addresses_are_told_apart_as_browsers_do(tmp_path: Path) -> None:
    """A file comes once for each query, whatever its fragment; blanks and letters beyond ASCII are escaped or not."""
    picture = encoded(photograph("coffee").resize((300, 200)), "JPEG")
    for name in ("a.jpg", "b c.jpg", "ü.jpg", "100%.jpg", "odd?.jpg"):
        (tmp_path / name).write_bytes(picture)
    named = "a.jpg a.jpg?v=1 a.jpg?v=2 a.jpg#x b%20c.jpg ü.jpg %C3%BC.jpg 100%25.jpg odd%3F.jpg?v=3"
    images = "".join(f'<img src="{address}" width=90>' for address in named.split())
    cloned = "<template><img src='d.jpg'></template><script>document.body.append(document.querySelector('template').content)</script>"
    (tmp_path / "d.jpg").write_bytes(picture)
    (tmp_path / "index.html").write_text(f"<!doctype html><meta charset=utf-8><title>t</title>{images}{cloned}")
    done = run("check", str(tmp_path), str(tmp_path), "--screens", "phone", "--tiers", "avif", "--json")
    (load,) = json.loads(done.stdout)["pages"]
    assert (done.returncode, load["wrong"], load["foretold"]) == (0, [], 7 * len(picture))


@pytest.mark.whole
def test_frames_and_layouts_are_allowed_for(tmp_path: Path) -> None:
    """Pages in frames may show one picture at two sizes; what a container overrides need not come."""
    small = encoded(photograph("coffee").resize((150, 100)), "JPEG")
    for side, narrow, middle in (("before", "a", "a"), ("after", "narrow", "middle")):
        site = tmp_path / side
        site.mkdir()
        for name, more in (("a", 9_000), ("narrow", 0), ("middle", 2_000), ("wide", 9_000)):
            (site / f"{name}.jpg").write_bytes(small + bytes(more))
        (site / "one.html").write_text(f"<!doctype html><title>1</title><img src={narrow}.jpg width=90 height=60>")
        (site / "two.html").write_text(f"<!doctype html><title>2</title><img src={middle}.jpg width=300 height=200>")
        style = f"""<style>.k{{container-type:inline-size}} .b{{height:90px;background:url({narrow}.jpg)}}
            @container (min-width:1px){{.b{{background:url(wide.jpg)}}}}</style>"""
        frames = "<iframe src=one.html></iframe><iframe src=two.html></iframe>"
        page = f"<!doctype html><title>t</title>{style}{frames}<div class=k><div class=b></div></div>"
        (site / "index.html").write_text(page)
    done = run("check", *(str(tmp_path / side) for side in ("before", "after")), "--screens", "phone", "--json")
    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--tiers", "jpeg"), "There is no tier 'jpeg' to check; there are avif, webp, baseline.\n"),
        (("--screens", "watch"), "There is no screen 'watch'; there are phone, tablet, laptop, desktop.\n"),
        (("--junit", "/does/not/exist.xml"), "The folder /does/not does not exist.\n"),
    ],
)
def test_what_can_not_be_checked_is_said(site_folder: Path, options: tuple[str, ...], words: str) -> None:
    """In one line, before anything is read."""
    done = run("check", str(site_folder), str(site_folder), *options)
    assert (done.returncode, done.stderr) == (2, words)
