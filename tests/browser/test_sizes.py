"""`sizes` from measured boxes, judged by Chromium: never too small a file, and within one rung of the best.

THISTLE_LAYOUTS says how many made-up layouts are tried.
"""

from __future__ import annotations

import io
import os
import random
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Page

from ivory_thistle.core.rewriting.fitting import fit_sizes
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.intake.sweeping import SweptPage, sweep_pages

LAYOUTS = int(os.environ.get("THISTLE_LAYOUTS", "4" if "THISTLE_DAILY" in os.environ else "12"))
RUNGS = tuple(round(120 * 1.2**n) for n in range(18))
"""From 120 to 2,660 px, each a fifth wider than the one before."""
OFF_THE_SWEEP = range(327, 2560, 131)
_CONTAINERS = (
    "", "max-width:{0}px", "max-width:{0}px;margin:0 auto;padding:0 {1}px", "width:{2}%", "padding:0 {3}vw",
    "display:grid;grid-template-columns:repeat(auto-fill,minmax({4}px,1fr));gap:{1}px",
    "display:grid;grid-template-columns:repeat({5},1fr);gap:{1}px",
    "display:grid;grid-template-columns:{4}px minmax(0,1fr)", "display:flex;gap:{1}px", "columns:{5};column-gap:{1}px",
)  # fmt: skip
_IMAGES = (
    "width:100%", "max-width:100%;width:{4}px", "width:{2}%;float:left", "width:100%;height:{4}px;object-fit:cover",
    "width:min({4}px,100%)", "width:{3}rem", "width:100%;padding:{3}px;box-sizing:border-box",
)  # fmt: skip
_LOOK = """async (pages) => {
  const look = async ([address, width]) => {
    const screen = document.createElement('iframe');
    screen.style.cssText = `position:fixed;left:0;top:0;border:0;width:${width}px;height:900px`;
    screen.src = address;
    await new Promise((done) => { screen.onload = done; document.body.append(screen); });
    const image = screen.contentDocument.querySelector('.it');
    const frame = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
    await frame();
    await image.decode().catch(() => 0);
    await frame();
    const box = image.getBoundingClientRect();
    const style = screen.contentWindow.getComputedStyle(image);
    const cover = style.objectFit === 'cover' ? (box.height * 3) / 2 : 0;
    const seen = Math.max(box.width - parseFloat(style.paddingLeft) * 2, cover);
    screen.remove();
    return [seen, parseInt(image.currentSrc.split('/').pop())];
  };
  const seen = [];
  while (pages.length) seen.push(...await Promise.all(pages.splice(0, 12).map(look)));
  return seen;
}"""
"""Each page in a frame as wide as a screen: to media queries and `sizes`, its width is the screen's."""


def numbers(chance: random.Random) -> list[int]:
    """What the templates are filled with: px, px, per cent, small, px of a column, count."""
    return [
        chance.randint(500, 1400), chance.randint(0, 48), chance.randint(25, 100), chance.randint(1, 12),
        chance.randint(140, 420), chance.randint(2, 4),
    ]  # fmt: skip


def layout(seed: int) -> str:
    """Style rules and containers with one picture: columns, grids, floats and side bars that move at a width."""
    chance = random.Random(seed)
    outer, inner = (chance.choice(_CONTAINERS).format(*numbers(chance)) for _ in range(2))
    image = chance.choice(_IMAGES).format(*numbers(chance))
    change = chance.choice((480, 600, 768, 900, 1024))
    wide = chance.choice(_CONTAINERS).format(*numbers(chance))
    beside = "<p>Words beside it</p>" * chance.randint(0, 3)
    rules = f".o{{{outer}}}.i{{{inner}}}img{{display:block;{image}}}@media(min-width:{change}px){{.o{{{wide}}}}}"
    if chance.random() < 0.4:
        rules += f"@media(min-width:{change + 300}px){{.i{{{chance.choice(_CONTAINERS).format(*numbers(chance))}}}}}"
    body = f"<div class=o><div class=i>{{}}{beside}</div></div>"
    return f"<!doctype html><title>x</title><style>body{{margin:0}}{rules}</style>{body}"


@pytest.fixture(scope="module")
def swept(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, SweptPage]]:
    """A folder of made-up layouts, and what their boxes were measured to be."""
    folder = tmp_path_factory.mktemp("layouts")
    for width in RUNGS:
        out = io.BytesIO()
        Image.new("P", (width, round(width / 1.5))).save(out, "PNG")
        (folder / f"{width}.png").write_bytes(out.getvalue())
    pages = [f"{n}.html" for n in range(LAYOUTS)]
    for n, page in enumerate(pages):
        (folder / page).write_text(layout(n).replace("{}", f'<img class=it src="{RUNGS[-1]}.png">'))
    opened = Folder(folder)
    with serve_site([p.name for p in folder.iterdir()], opened.read) as address:
        return folder, sweep_pages(address, pages, DEFAULT_SCREENS)


@pytest.mark.slow
def test_chromium_takes_the_right_rung(page: Page, swept: tuple[Path, dict[str, SweptPage]]) -> None:
    """At every measured width no file is narrower than its box; between them, 95 % are within a rung of the best."""
    folder, found = swept
    assert len(found) == LAYOUTS
    listed = ", ".join(f"{width}.png {width}w" for width in RUNGS)
    for n in range(LAYOUTS):
        sizes = fit_sizes(found[f"{n}.html"].images[0].widths)
        image = f'<img class=it src="{RUNGS[-1]}.png" srcset="{listed}" sizes="{sizes}">'
        (folder / f"{n}.html").write_text(layout(n).replace("{}", image))
    opened = Folder(folder)
    off, total = 0, 0
    (folder / "frames.html").write_text("<!doctype html><body></body>")
    with serve_site([p.name for p in folder.iterdir()], opened.read) as address:
        page.goto(f"{address}/frames.html")
        for n in range(LAYOUTS):
            measured = {screen for screen, _ in found[f"{n}.html"].images[0].widths}
            screens = sorted({*sorted(measured)[::8], *OFF_THE_SWEEP})
            # An address of its own: Chromium takes what it has in memory, even where it is too large.
            pages = [(f"{address}/~{n}-{screen}/{n}.html", screen) for screen in screens]
            for screen, (box, taken) in zip(screens, page.evaluate(_LOOK, pages), strict=True):
                best = next((rung for rung in RUNGS if rung >= box - 0.05), RUNGS[-1])
                if screen in measured:
                    assert taken >= best, (n, screen, box, taken, layout(n))
                total += 1
                off += abs(RUNGS.index(taken) - RUNGS.index(best)) > 1
    assert off <= 0.05 * total, f"{off} of {total}"


def test_what_screens_show_first_is_known(tmp_path: Path) -> None:
    """The largest picture above the fold, one beside it, and one far below it, by screen."""
    Image.new("RGB", (600, 400)).save(tmp_path / "a.png")
    (tmp_path / "index.html").write_text(
        "<!doctype html><title>x</title><body style=margin:0><img src=a.png width=40 height=40>"
        "<img src=a.png style='width:100%;height:300px'><div style=height:3000px></div><img src=a.png width=300>"
    )
    with serve_site(["index.html", "a.png"], Folder(tmp_path).read) as address:
        images = sweep_pages(address, ["index.html"], DEFAULT_SCREENS)["index.html"].images
    every = frozenset(screen.name for screen in DEFAULT_SCREENS)
    assert [image.first for image in images] == [every, every, frozenset()]
    assert [image.largest for image in images] == [frozenset(), every, frozenset()]
    assert [fit_sizes(image.widths) for image in images] == ["40px", "100vw", "300px"]


@pytest.mark.slow
def test_whole_pictures_and_touched_screens(tmp_path: Path) -> None:
    """What is drawn whole in a low box is narrower than it; where fingers get a wider box, that one counts."""
    Image.new("RGB", (600, 400)).save(tmp_path / "a.png")
    (tmp_path / "index.html").write_text(
        "<!doctype html><title>x</title><style>.c{width:100%;height:100px;object-fit:contain}.t{width:25vw}"
        "@media(hover:none){.t{width:50vw}}@media(pointer:coarse) and (min-width:1000px){.t{width:200px}}</style>"
        "<body style=margin:0><img src=a.png class=c><img src=a.png class=t>"
    )
    with serve_site(["index.html", "a.png"], Folder(tmp_path).read) as address:
        images = sweep_pages(address, ["index.html"], DEFAULT_SCREENS)["index.html"].images
    whole, touched = (dict(image.widths) for image in images)
    assert set(whole.values()) == {150}
    assert touched[480] == 240 and touched[800] == 400
    assert touched[1040] == 260 and touched[2560] == 640


def test_boxes_that_take_their_time(tmp_path: Path) -> None:
    """A box that grows slowly once the screen is wider counts as large as it will be."""
    Image.new("RGB", (600, 400)).save(tmp_path / "a.png")
    (tmp_path / "index.html").write_text(
        "<!doctype html><title>x</title><style>img{width:100px;transition:all 3s}@media(min-width:900px){img{width:500px}}"
        "</style><body style=margin:0><img src=a.png>"
    )
    with serve_site(["index.html", "a.png"], Folder(tmp_path).read) as address:
        (image,) = sweep_pages(address, ["index.html"], DEFAULT_SCREENS)["index.html"].images
    assert fit_sizes(image.widths) == "(max-width: 899px) 100px, 500px"


def test_a_page_that_hangs_is_left_out(tmp_path: Path) -> None:
    """The others are swept."""
    (tmp_path / "hangs.html").write_text("<!doctype html><img src=x.png><script>for(;;);</script>")
    (tmp_path / "other.html").write_text("<!doctype html><img src=x.png width=90 height=10>")
    with serve_site(["hangs.html", "other.html"], Folder(tmp_path).read) as address:
        assert list(sweep_pages(address, ["hangs.html", "other.html"], DEFAULT_SCREENS)) == ["other.html"]
