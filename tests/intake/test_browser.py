"""Headless Chromium measures what a page really loads, in which boxes; a bad page never stops the rest."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from PIL import Image

from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.intake.browser import PageMeasurement, measure_pages
from ivory_thistle.intake.chromium import _clear_away
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import media_type, serve_site
from pictures import camera_picture, encoded, photograph

pytestmark = pytest.mark.browser
PHONE, DESKTOP = DEFAULT_SCREENS[0], DEFAULT_SCREENS[3]
SMALL = Screen("small", 400, 300, 1)


def measured(root: Path, page: str, screen: Screen) -> PageMeasurement:
    """One page of a folder on one screen."""
    folder, found = Folder(root), []
    with serve_site(folder.paths()[0], folder.read) as address:
        measure_pages(address, [page], [screen], found.append)
    (only,) = found
    return only


@pytest.fixture
def pictures(tmp_path: Path) -> Path:
    """Four pictures of known sizes."""
    for n, width in enumerate((100, 200, 300, 400)):
        (tmp_path / f"{n}.jpg").write_bytes(encoded(photograph("coffee").resize((width, width)), "JPEG"))
    return tmp_path


def test_bytes_on_the_wire_are_those_of_the_files(site_folder: Path) -> None:
    """The chosen candidates only, each once; a missing file is told and weighs nothing."""
    size = {p.name: p.stat().st_size for p in (site_folder / "img").iterdir()}
    first = measured(site_folder, "index.html", PHONE)
    assert (
        first.opening_bytes
        == first.scrolled_bytes
        == sum(size[n] for n in ("coffee.jpg", "graphic.png", "cat.jpg", "china.jpg"))
    )
    assert first.errors == ("img/missing.jpg answers with 404.",)
    assert measured(site_folder, "more/second.html", PHONE).scrolled_bytes == size["coffee-2x.jpg"]
    assert measured(site_folder, "more/second.html", DESKTOP).scrolled_bytes == size["coffee.jpg"]


def test_lazy_pictures_count_once_scrolled(pictures: Path) -> None:
    """Far below the first screen a lazy picture is no part of the opening; nor where a page scrolls smoothly."""
    (pictures / "a.html").write_text(
        "<style>:root{scroll-behavior:smooth}</style><img src=0.jpg><div style='height:9000px'></div><img src=3.jpg loading=lazy width=10 height=10>"
    )
    m = measured(pictures, "a.html", SMALL)
    assert {r.path: r.opening for r in m.requests} == {"0.jpg": True, "3.jpg": False}
    assert m.opening_bytes == (pictures / "0.jpg").stat().st_size
    assert {(p.path, p.first_screen, p.lazy) for p in m.placements} == {("0.jpg", True, False), ("3.jpg", False, True)}


def test_pictures_that_scripts_load_are_scrolled_to(pictures: Path) -> None:
    """Such scripts commonly hear of scrolling every tenth of a second; where a picture then is, it is loaded."""
    script = """
      const load = () => document.querySelectorAll('[data-src]').forEach((image) => {
        const box = image.getBoundingClientRect();
        if (box.top < innerHeight && box.bottom > 0) image.src = image.dataset.src;
      });
      let waits = false;
      onscroll = () => { waits = waits || setTimeout(() => { waits = false; load(); }, 100); };"""
    below = "".join(f"<p style='height:500px'><img data-src={n}.jpg width=10 height=10>" for n in range(4))
    (pictures / "a.html").write_text(
        f"<p style='height:900px'>{below}<p style='height:900px'><script>{script}</script>"
    )
    assert [r.path for r in measured(pictures, "a.html", SMALL).requests] == [f"{n}.jpg" for n in range(4)]


def test_panes_and_strips_are_scrolled_through(pictures: Path) -> None:
    """A page whose words scroll in a pane of their own, and a row that scrolls sideways."""
    lazy = [f"<img src={n}.jpg loading=lazy style='flex:0 0 6000px;height:90px'>" for n in range(4)]
    high = "<p style='height:6000px'></p>"
    (pictures / "a.html").write_text(
        "<!doctype html><style>html,body{height:100%;margin:0;overflow:hidden}"
        "main{height:90%;overflow:auto;scroll-behavior:smooth}div{display:flex;overflow-x:scroll}</style>"
        f"<main>{high}{lazy[0]}{high}{lazy[1]}{high}<div>{lazy[2]}{lazy[3]}</div></main>"
    )
    seen = measured(pictures, "a.html", SMALL)
    assert [(r.path, r.opening) for r in seen.requests] == [(f"{n}.jpg", False) for n in range(4)]


def test_boxes_of_elements_backgrounds_and_pseudo_elements(pictures: Path) -> None:
    """Each with its place and size in CSS px and how it fits."""
    (pictures / "a.html").write_text(
        "<style>body{margin:0}img{width:50px;height:40px;object-fit:cover;display:block}"
        "div{width:80px;height:30px;background:url(1.jpg) 0 0/cover}div::before{content:'';background:url(2.jpg)}"
        "@media (min-width:9999px){p{background:url(3.jpg)}}</style><img src=0.jpg><div></div><p>x</p>"
    )
    m = measured(pictures, "a.html", SMALL)
    seen = {(p.kind, p.path, p.x, p.y, p.width, p.height, p.fit) for p in m.placements}
    assert ("img", "0.jpg", 0, 0, 50, 40, "cover") in seen
    assert ("background", "1.jpg", 0, 40, 80, 30, "cover") in seen
    assert {(k, p) for k, p, *_ in seen} == {("img", "0.jpg"), ("background", "1.jpg"), ("before", "2.jpg")}


def test_the_largest_picture_and_the_shift_it_causes(pictures: Path) -> None:
    """A picture without a height moves what stands below it."""
    (pictures / "a.html").write_text(
        "<body style=margin:0><h1 style='font:9px x'>a</h1><img src=3.jpg style='display:block;width:300px'><p style='height:200px'>text below</p>"
    )
    m = measured(pictures, "a.html", Screen("tall", 400, 700))
    assert m.lcp_path == "3.jpg"
    assert 0 <= m.layout_shift < 1


@pytest.mark.whole
def test_a_large_picture_is_waited_for_until_it_is_painted(pictures: Path) -> None:
    """It is decoded for longer than it takes to load; what covers the screen or holds nothing is not waited for."""
    (pictures / "hero.jpg").write_bytes(encoded(camera_picture(5400, 3600), "JPEG", quality=95))
    (pictures / "flat.png").write_bytes(encoded(Image.new("RGB", (900, 600)), "PNG"))
    for name in ("hero.jpg", "flat.png"):
        page = f"<body style=margin:0><h1 style='font:9px x'>a</h1><img src={name} style='display:block;width:100%'>"
        (pictures / f"{name}.html").write_text(page)
    assert measured(pictures, "hero.jpg.html", Screen("tall", 900, 700)).lcp_path == "hero.jpg"
    assert measured(pictures, "flat.png.html", Screen("tall", 900, 700)).lcp_element == "h1"
    sheet = "<style>div{height:600px;background:url(hero.jpg) center/cover}</style>"
    (pictures / "behind.html").write_text(f"{sheet}<body style=margin:0><h1 style='font:9px x'>a</h1><div></div>")
    assert measured(pictures, "behind.html", Screen("tall", 900, 700)).lcp_path == "hero.jpg"


def test_a_page_that_hangs_is_a_problem_and_the_next_is_measured(
    pictures: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An endless script, then a sound page."""
    monkeypatch.setattr("ivory_thistle.intake.browser.PAGE_SECONDS", 10.0)
    (pictures / "a.html").write_text("<img src=0.jpg><script>while(true){}</script>")
    (pictures / "b.html").write_text("<img src=1.jpg>")
    folder, found = Folder(pictures), {}
    with serve_site(folder.paths()[0], folder.read) as address:
        measure_pages(address, ["a.html", "b.html"], [SMALL], lambda m: found.update({m.page: m}), at_once=1)
    assert found["a.html"].problem == "a.html did not come to rest within 10 seconds on the small screen."
    assert found["b.html"].problem == "" and found["b.html"].scrolled_bytes == (pictures / "1.jpg").stat().st_size


def test_nothing_else_is_asked_for(pictures: Path) -> None:
    """Other hosts, also by name or address, are out of reach."""
    (pictures / "a.html").write_text(
        "<img src=http://localhost:1/x.jpg><img src=//pictures.example/y.jpg><img src=0.jpg>"
    )
    assert [r.path for r in measured(pictures, "a.html", SMALL).requests] == ["0.jpg"]


@pytest.mark.slow
def test_the_command_line_adds_screens_and_slots(site_folder: Path) -> None:
    """`audit --measure --json` has bytes per screen for pages and boxes for images."""
    call = [
        sys.executable,
        "-m",
        "ivory_thistle.cli",
        "audit",
        str(site_folder),
        "--measure",
        "--screens",
        "phone,desktop",
        "--json",
    ]
    result = subprocess.run(call, capture_output=True, text=True, check=False)
    assert result.returncode == 0, result.stderr
    told = json.loads(result.stdout)
    screens = told["pages"][0]["screens"]
    assert set(screens) == {"phone", "desktop"} and set(screens["phone"]) >= {
        "opening",
        "scrolled",
        "lcp",
        "cls",
        "requests",
    }
    coffee = next(i for i in told["images"] if i["path"] == "img/coffee.jpg")
    assert {"page": "index.html", "width": 300, "height": 200, "measured": True} in coffee["slots"]["desktop"]
    unknown = subprocess.run([*call[:-1], "--screens", "wall"], capture_output=True, text=True, check=False)
    assert (unknown.returncode, unknown.stderr.strip()) == (
        2,
        "There is no screen 'wall'; there are phone, tablet, laptop, desktop.",
    )


def test_what_a_killed_process_left_is_cleared_away(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Profiles of a process that is gone; none that was written to just now, and none of one that lives."""
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    gone = subprocess.Popen(["true"])
    gone.wait()
    left, lives, odd = (tmp_path / f"thistle-browser-{n}-a" for n in (gone.pid, os.getpid(), "x"))
    fresh = tmp_path / f"thistle-browser-{gone.pid}-b"
    for folder in (left, lives, odd, fresh):
        (folder / "profile").mkdir(parents=True)
    for folder in (left, lives, odd):
        os.utime(folder, (0, 0))
    _clear_away()
    assert not left.exists() and lives.exists() and odd.exists() and fresh.exists()


def test_media_types_follow_names() -> None:
    """As a plain web server sends them; text without a charset."""
    assert [media_type(p) for p in ("a.HTML", "b.avif", "c.svg", "d.bin")] == [
        "text/html",
        "image/avif",
        "image/svg+xml",
        "application/octet-stream",
    ]
