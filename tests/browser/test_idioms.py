"""Rare markup and style rules: what is foretold of them is what Chromium loads."""

from __future__ import annotations

from pathlib import Path

import pytest
from PIL import Image

from ivory_thistle.core.formats.tiers import shown_by_chromium
from ivory_thistle.core.selection.loads import PageOnScreens
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.browser import PageMeasurement, measure_pages
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.workflows.reading import read_folder
from pictures import encoded

pytestmark = [pytest.mark.whole, pytest.mark.browser]
SCREEN = Screen("desktop", 1280, 800, 1)
WIDTHS = {"a.png": 80, "b.png": 400, "c.png": 900}
_SET = "srcset='a.png 80w, b.png 400w, c.png 900w'"
PAGES = (
    "<select><option><img src=a.png>x</select>",
    "<select><button><picture><source srcset=b.png><img src=a.png></picture></button><option>x</select><img src=c.png>",
    "<link rel=stylesheet href=marked.css><p class=x>x",
    "<link rel=stylesheet href=importing.css><p class=x>x",
    "\ufeff<!doctype html><img src=a.png>",
    f"<img {_SET} sizes=6cqw>",
    f"<img {_SET} sizes='calc(20cqi + 1px)'>",
    f"<img {_SET} sizes=50cqmax>",
    "<img src='gr\u00fcn.png'><img src='gru\u0308n.png?composed=no'>",
    "<style>p{background:image-set('a.png' calc(1x * 2), 'b.png' max(1x, .5dppx))}</style><p>x",
    *(
        f"<style>{css}</style><p>x"
        for css in (
            "p::after{content:none;background:url(a.png)}",
            "p::after{background:url(a.png)}",
            "p::after{content:'';display:none;background:url(a.png)}",
            "p{border-image:url(a.png) 3;border:1px solid red}",
            "p{background:url(a.png)\\9}",
            "p{background:url(a.png)!ie}",
            "p{background:url(a.png)url(b.png)}",
            "p{background:url(a.png),;cursor:url(b.png)}",
            "p{cursor:url(a.png),url(b.png) 2 2,auto}",
            "p{background:image-set('a.png' 1x,)}",
            "p{-webkit-mask-box-image:url(a.png)}",
            "p{background:light-dark(url(a.png),url(b.png))}",
            "p{background:if(style(--q: 1): url(a.png); else: url(b.png))}",
            "@function --f(){result:url(a.png)}p{background:--f()}",
            "p{background:url(a.png) no-repeat left 3px top/4px auto, red url(b.png)}",
        )
    ),
    "<style>p{-webkit-box-reflect:below 0 url(a.png)}</style><p>x",
    "<img loading=lazy src=a.png style=display:contents><img src=b.png style=display:contents>",
    "<style>@property --q{syntax:'<url>';inherits:false;initial-value:url(a.png)}p{background:var(--q)}</style><p>x",
)


def test_what_is_foretold_is_what_chromium_loads(tmp_path: Path) -> None:
    """Byte order marks, pictures in lists, units of containers, letters in parts; what is in doubt may come or not."""
    for name, width in WIDTHS.items():
        (tmp_path / name).write_bytes(encoded(Image.new("RGB", (width, 60), (width % 255, 9, 9)), "PNG"))
    (tmp_path / "gr\u00fcn.png").write_bytes(encoded(Image.new("RGB", (30, 30)), "PNG"))
    (tmp_path / "marked.css").write_bytes(b"\xef\xbb\xbf.x{background:url(a.png)}")
    (tmp_path / "importing.css").write_bytes(b"\xef\xbb\xbf@import 'marked.css';p{color:red}")
    for number, page in enumerate(PAGES):
        (tmp_path / f"{number}.html").write_text(page if "!doctype" in page else f"<!doctype html>{page}")
    folder, measured = Folder(tmp_path), dict[str, PageMeasurement]()
    site = read_folder(folder)
    names = [f"{n}.html" for n in range(len(PAGES))]
    with serve_site(site.files, folder.read) as address:
        measure_pages(address, names, [SCREEN], lambda m: measured.update({m.page: m}), index=site.index)
    for number, name in enumerate(names):
        page = PageOnScreens(name, site, folder.read)
        foretold = {load.path for load in page.loads(SCREEN, shown_by_chromium()) if load.path}
        came = {request.path for request in measured[name].requests if request.path}
        assert foretold - page.uncertain() <= came <= foretold | page.uncertain(), PAGES[number]
