"""A background that is a page's largest paint is named before the style sheet that leads to it, and loaded once."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.folders import treat_folder
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.served import Side
from pictures import encoded, photograph

pytestmark = [pytest.mark.browser, pytest.mark.usefixtures("two_screens")]
SHEET = ".wide{background:url(../img/hall.jpg) center/cover;height:420px} .small{height:20px}"
PAGE = (
    "<!doctype html><html><head><title>t</title>{}<link rel=stylesheet href=../css/a.css></head><body>{}</body></html>"
)


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """Pages below a folder that show one background: large, small, already preloaded, and beside an `img`."""
    for name in ("css", "img", "pages"):
        (tmp_path / "site" / name).mkdir(parents=True)
    (tmp_path / "site/css/a.css").write_text(SHEET)
    (tmp_path / "site/img/hall.jpg").write_bytes(encoded(photograph("china").resize((900, 600)), "JPEG", quality=95))
    (tmp_path / "site/img/tile.jpg").write_bytes(encoded(photograph("coffee").resize((180, 120)), "JPEG", quality=95))
    preload = "<link rel=preload as=image href=../img/hall.jpg>"
    for name, head, body in [
        ("large", "", "<div class=wide></div><p>x</p>"),
        ("text", "", f"<h1>{'words ' * 300}</h1><div class=wide></div>"),
        ("twice", preload, "<div class=wide></div>"),
        ("beside", "", "<div class=wide></div><p>x</p><img src=../img/tile.jpg width=90 height=60>"),
        ("both", "", "<div class=wide></div><img src=../img/hall.jpg>"),
    ]:
        (tmp_path / f"site/pages/{name}.html").write_text(PAGE.replace("{}", head, 1).replace("{}", body, 1))
    return tmp_path / "site"


@pytest.mark.whole
def test_where_it_is_named_early(site: Path, tmp_path: Path) -> None:
    """Only where it is the largest paint on every screen, is not named yet, and takes no other file elsewhere."""
    treat_folder(Folder(site), tmp_path / "out", Rules(fixed=True))
    named = {}
    for path in sorted((tmp_path / "out/pages").glob("*.html")):
        text = path.read_text()
        named[path.stem] = re.findall(r"<link rel=.?preload[^>]*>", text)
    assert named["large"] == [
        '<link rel="preload" as="image" href="../img/hall-900.avif" type="image/avif" fetchpriority="high">'
    ]
    assert named["beside"] == named["large"] and "tile-90.jpg 90w" in (tmp_path / "out/pages/beside.html").read_text()
    assert named["text"] == [] and named["both"] == [] and len(named["twice"]) == 1
    before, after = Folder(site), Folder(tmp_path / "out")
    sides = Side(read_folder(before), before.read), Side(read_folder(after), after.read)
    checked = Checker(*sides, DEFAULT_SCREENS[:1], ["avif", "baseline"]).all()
    assert [(c.page, str(w)) for c in checked for w in c.wrong] == []
    assert all(c.after < c.before for c in checked)
