"""A page looks different only where it does so each time: a busy machine may not have painted a picture yet."""

from __future__ import annotations

import asyncio
import io
from contextlib import ExitStack
from itertools import chain, repeat
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

from ivory_thistle.core.quality.likeness import Likeness
from ivory_thistle.core.quality.likeness import likeness as likeness_of
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.comparing import SWEEP, Closeness, Pair, _compared, compare_sites
from ivory_thistle.intake.differences import Box, Seen
from ivory_thistle.intake.site_server import serve_site

ALIKE, OTHER = b"alike", b"other"


def by_equality(before: Seen, after: Seen) -> Likeness:
    """Alike or not at all."""
    score = 100.0 if before.picture == after.picture else -53.0
    return Likeness(score, score)


@pytest.mark.parametrize(("unpainted", "told"), [(0, 0), (1, 0), (2, 0), (3, 0), (99, 1)])
def test_what_looks_different_is_looked_at_again(unpainted: int, told: int) -> None:
    """The first looks at the new page may show something else; what always does is told."""
    pictures = chain(repeat(OTHER, unpainted), repeat(ALIKE))

    async def old(*, fine: bool = False) -> Seen:
        return Seen(picture=ALIKE)

    async def new(*, fine: bool = False) -> Seen:
        return Seen(picture=next(pictures))

    async def pair() -> int:
        found = await _compared("a.html", "phone", await old(), await new(), (old, new), by_equality)
        return len(found.different)

    assert asyncio.run(pair()) == told


@pytest.mark.parametrize("alike", [0, 1, 2, 3])
def test_a_page_that_moves_is_not_judged_by_its_picture(alike: int) -> None:
    """Text that types itself looks the same at some looks by chance, and then does not."""
    phases = chain(repeat(ALIKE, 1 + alike), (b"%d" % n for n in range(9)))

    async def old(*, fine: bool = False) -> Seen:
        return Seen(picture=next(phases))

    async def new(*, fine: bool = False) -> Seen:
        return Seen(picture=OTHER)

    async def pair() -> Pair:
        return await _compared("a.html", "phone", await old(), await new(), (old, new), by_equality)

    found = asyncio.run(pair())
    (doubt,) = found.different
    assert not doubt.comparable and found.likeness is None


@pytest.mark.parametrize("swings", [False, True])
def test_a_file_that_came_and_is_not_shown_is_told(swings: bool) -> None:
    """A script loaded it once, beside what is shown; that it does not at the next looks is chance."""
    places = chain((0, 30, -12, 7), repeat(21))

    async def look(*, fine: bool = False, images: tuple[str, ...] = ("/a.avif",)) -> Seen:
        title = Box("h1", next(places) if swings else 0, 0, 100, 20)
        shown = Box("img", 0, 40, 100, 20, shown="http://127.0.0.1/a.avif")
        return Seen([title, shown], images=dict.fromkeys(images, 5))

    async def pair() -> Pair:
        twice = await look(images=("/a.avif", "/a.jpg"))
        return await _compared("a.html", "phone", await look(), twice, (look, look), None)

    assert [d.unshown for d in asyncio.run(pair()).different if d.unshown] == [("/a.jpg",)]


def pixels(seen: Seen) -> np.ndarray:
    """The page's picture."""
    assert seen.picture is not None
    return np.asarray(Image.open(io.BytesIO(seen.picture)).convert("RGB"))


@pytest.mark.whole
@pytest.mark.browser
def test_softer_lettering_on_a_dense_screen_is_no_damage(tmp_path: Path) -> None:
    """A screenshot of 1,320 px, shown 380 wide on three pixels a CSS px, against its copy of 760 px; blots still are."""
    whole = Image.new("RGB", (1320, 1500), "white")
    draw, font = ImageDraw.Draw(whole), ImageFont.load_default(18)
    for row in range(60):
        draw.text(
            (30 + 7 * (row % 5), 10 + 24 * row),
            "Name of what is shown, in small letters 0123456789 " * 3,
            "black",
            font,
        )
        draw.rectangle((20, 8 + 24 * row, 1290, 30 + 24 * row), outline="black")
    spoilt = whole.resize((760, 864), Image.Resampling.LANCZOS)
    spoilt.paste("grey", (100, 100, 660, 700))
    pictures = {"before": whole, "after": whole.resize((760, 864), Image.Resampling.LANCZOS), "spoilt": spoilt}
    files: dict[str, dict[str, bytes]] = {}
    for name, picture in pictures.items():
        stream = io.BytesIO()
        picture.save(stream, "PNG")
        page = b'<!doctype html><title>x</title><img src="a.png" width="380" height="432">'
        files[name] = {"index.html": page, "a.png": stream.getvalue()}
    screen, closeness = (
        Screen("phone", 390, 844, 3),
        Closeness(sweep=(), judge=lambda a, b: likeness_of(pixels(a), pixels(b))),
    )
    pairs: list[Pair] = []
    with serve_site(files["before"], files["before"].__getitem__) as before:
        for name in ("after", "spoilt"):
            with serve_site(files[name], files[name].__getitem__) as after:
                compare_sites(before, after, ["index.html"], [screen], on_pair=pairs.append, closeness=closeness)
    told = [[d.words for d in pair.different if "looks different" in d.words] for pair in pairs]
    assert told[0] == [] and len(told[1]) == 1, (told, [pair.likeness for pair in pairs])


def test_a_picture_drawn_by_its_own_size() -> None:
    """Of `object-fit: none` and `scale-down`, the box may stay while what is drawn in it changes."""
    pages = {
        f"{fit}.html": f"<!doctype html><title>x</title><img src=a.png style='width:90px;height:80px;object-fit:{fit}'>"
        for fit in ("none", "scale-down", "contain", "cover")
    }
    sites = []
    for width in (60, 40):
        stream = io.BytesIO()
        Image.new("RGB", (width, width)).save(stream, "PNG")
        sites.append({**{name: text.encode() for name, text in pages.items()}, "a.png": stream.getvalue()})
    was, now = sites
    with serve_site(was, was.__getitem__) as before, serve_site(now, now.__getitem__) as after:
        found = compare_sites(before, after, sorted(pages), [Screen("plain", 800, 600)])
    assert {d.page: d.images for d in found} == {"none.html": (0,), "scale-down.html": (0,)}
    assert all("drawn as 60 x 60" in d.words and "drawn as 40 x 40" in d.words for d in found)


def test_what_moves_is_seen_at_rest() -> None:
    """A bar that slides out while it is scrolled down, and in again; a picture that turns without end; one that grows.

    The page itself would scroll smoothly, as common frameworks have it.
    """
    page = """<!doctype html><title>x</title><style>:root { scroll-behavior: smooth } body { margin: 0; height: 5000px }
      nav { position: fixed; top: 0; height: 100px; width: 100%; transition: top 2s }
      @keyframes turn { to { transform: rotate(1turn) } } .turns { animation: turn 3s infinite linear }
      @keyframes grow { from { width: 0 } to { width: 300px } } .grows { animation: grow 20s forwards }</style>
      <nav>x</nav><img class=turns src=a.png><img class=grows src=a.png><script>
      let last = 0;
      onscroll = () => {
        document.querySelector('nav').style.top = scrollY > last ? '-100px' : '0';
        last = scrollY;
      };</script>"""
    stream = io.BytesIO()
    Image.new("RGB", (60, 60)).save(stream, "PNG")
    files = {"index.html": page.encode(), "a.png": stream.getvalue()}
    pairs: list[Pair] = []
    with serve_site(files, files.__getitem__) as address:
        found = compare_sites(address, address, ["index.html"], [Screen("plain", 800, 600)], on_pair=pairs.append)
    (pair,) = pairs
    assert found == [] and pair.different == ()
    bar, turning, growing = (box for box in pair.new.boxes if box.element in ("nav", "img"))
    assert (bar.y, turning.width, growing.width) == (0, 60, 300)


def test_scripts_follow_a_new_size_before_boxes_are_read() -> None:
    """They commonly wait for a tenth of a second, so that not every step of a resizing costs a layout."""
    page = b"""<!doctype html><title>x</title><p id=half>x</p><script>
      const follow = () => { half.style.width = innerWidth / 2 + 'px'; };
      let waits;
      onresize = () => { clearTimeout(waits); waits = setTimeout(follow, 100); };
      follow();</script>"""
    pairs: list[Pair] = []
    with serve_site(["index.html"], lambda path: page) as address:
        compare_sites(address, address, ["index.html"], [Screen("plain", 800, 600)], on_pair=pairs.append)
    widths = {at: next(box.width for box in boxes if box.element == "p") for at, boxes in pairs[0].old.swept.items()}
    assert widths == {at: at / 2 for at in SWEEP}


@pytest.mark.whole
def test_a_page_that_moves_without_end_is_compared() -> None:
    """A script swings its title; a smaller picture is told all the same, and nothing where all is as it was."""
    page = b"""<!doctype html><title>x</title><h1>x</h1><img src=a.png alt=""><script>
      const title = document.querySelector('h1');
      const swing = (time) => {
        title.style.transform = `translateX(${40 * Math.sin(time / 300)}px)`;
        requestAnimationFrame(swing);
      };
      requestAnimationFrame(swing);</script>"""
    sites = []
    for width in (60, 60, 40):
        stream = io.BytesIO()
        Image.new("RGB", (width, width)).save(stream, "PNG")
        sites.append({"index.html": page, "a.png": stream.getvalue()})
    with ExitStack() as servers:
        old, same, other = (servers.enter_context(serve_site(site, site.__getitem__)) for site in sites)
        screens = [Screen("plain", 800, 600)]
        assert compare_sites(old, same, ["index.html"], screens) == []
        found = compare_sites(old, other, ["index.html"], screens)
    assert found and all(d.comparable and d.images == (0,) for d in found)


def test_scripts_that_wait_for_pictures_load_them_twice() -> None:
    """Over a network, they run before pictures come, and before the browser says which it has chosen."""
    waiting = "for (const i of document.images) if (!i.complete) new Image().src = i.currentSrc || i.src;"
    plain = "<!doctype html><title>x</title>{}<script>" + waiting + "</script>"
    old = {"index.html": plain.format('<img src=a.png alt="">').encode()}
    new = {"index.html": plain.format('<picture><source srcset=b.png><img src=a.png alt=""></picture>').encode()}
    for name in ("a.png", "b.png"):
        stream = io.BytesIO()
        Image.new("RGB", (60, 60)).save(stream, "PNG")
        old[name] = new[name] = stream.getvalue()
    with ExitStack() as servers:
        sites = (servers.enter_context(serve_site(s, s.__getitem__, slow_pictures=True)) for s in (old, new))
        found = compare_sites(*sites, ["index.html"], [Screen("plain", 800, 600)])
    assert [d.unshown for d in found if d.unshown] == [("/a.png",)]
