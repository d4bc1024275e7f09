"""By rule, a background takes a narrower file on narrow screens: never one that is too small, and nothing else changes."""

from __future__ import annotations

from pathlib import Path

import pytest

from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.rewriting.fitting import fit_rungs
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.folders import TreatOptions, treat_folder
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.served import Side
from pictures import encoded, photograph

pytestmark = pytest.mark.browser
SHEET = """:root{--night:#123} body{margin:0} .wide,
.other > b{background:#123 url("img/hall.jpg") center/cover no-repeat;height:200px;display:block}
@media (min-width:700px){.wide{width:50%}} .own{background:url(img/own.jpg);height:90px}
.two{background:url(img/two.jpg), red;height:90px}
footer{background:var(--night) url('img/foot.jpg') center/cover;height:120px}"""


def test_rungs_up_to_a_width() -> None:
    """A rung holds up to the widest screen before the first that asks for more than it has."""
    samples = [(320, 320.0), (400, 400.0), (699, 699.0), (700, 350.0), (1400, 700.0), (2560, 1280.0)]
    assert fit_rungs(samples, [480, 800, 1400, 2600], 2.0) == ((400, 800), (1400, 1400))
    assert fit_rungs(samples, [2600], 2.0) == ()


def test_the_rules_of_a_sheet_and_their_ends() -> None:
    """Style rules in no other rule, also within conditions; not those that are nested, nor one that is never closed."""
    css = '/*x*/a , b{background:url(1)}@media x{ c{background:url("2")} }d{e{background:url(3)}}f{background:url(4)'
    reading = read_css(css)
    assert [css[slice(*rule.selectors)] for rule in reading.rules.values()] == ["a , b", "c"]
    assert [css[: rule.end].rsplit("}", 1)[1] for rule in reading.rules.values()] == ["", ""]


def test_what_always_matches() -> None:
    """A page that does not show a picture never will, where its rules name nothing that may begin to match."""
    for css, steady in (
        ("p::before , .a > b{background:url(1)}", True),
        ("@media (min-width:9px){p:first-child{background:url(1)}}", True),
        ("p:hover{background:url(1)}", False),
        ("p:not(.open){background:url(1)}", False),
        ("p[open]{background:url(1)}", False),
        ("p{&.a{background:url(1)}}", False),
    ):
        reading = read_css(css)
        assert reading.is_steady(reading.references[0]) is steady, css


@pytest.mark.whole
def test_narrow_screens_take_narrower_files(tmp_path: Path) -> None:
    """Chromium judges: the same boxes and pictures in every tier, and fewer bytes on the phone than on the laptop."""
    site = tmp_path / "site"
    (site / "img").mkdir(parents=True)
    # Four contents, not copies of one. Two of them keep one file, however wide they are.
    for n, (name, width) in enumerate({"hall": 1500, "foot": 1500, "own": 300, "two": 300}.items()):
        china = photograph("china").crop((n, 0, 600 + n, 400)).resize((width, width * 2 // 3))
        (site / f"img/{name}.jpg").write_bytes(encoded(china, "JPEG", quality=90))
    (site / "a.css").write_text(SHEET)
    (site / "index.html").write_text(
        "<!doctype html><title>t</title><link rel=stylesheet href=a.css><p>Words</p><div class=wide></div>"
        "<p class=other><b>x</b></p><div class=own></div><div class=two></div>"
        "<footer></footer>"
    )
    (site / "other.html").write_text(
        "<!doctype html><title>t</title><link rel=stylesheet href=a.css><p>Words</p><footer></footer>"
    )
    out = tmp_path / "out"
    rules = Rules(fixed=True, background_widths=True)
    treat_folder(Folder(site), out, rules, TreatOptions(measure=True))
    sheet = (out / "a.css").read_text()
    assert "@media (max-width: " in sheet and '{.wide,\n.other > b{background-image:url("img/hall-' in sheet
    plain, guarded = sheet.split("@supports")
    assert plain.count("@media (max-width: ") == plain.count("{.wide,\n.other > b{"), "the others keep one file"
    assert '{footer{background:var(--night) image-set(url("img/foot-' in guarded and "@media (max-width: " in guarded
    before, after = Folder(site), Folder(out)
    sides = Side(read_folder(before), before.read), Side(read_folder(after), after.read)
    checked = Checker(*sides, DEFAULT_SCREENS, ["avif", "webp", "baseline"]).all()
    assert [(c.screen, c.tier, str(w)) for c in checked for w in c.wrong] == []
    weighs = {(c.screen, c.tier): c.after for c in checked if c.page == "other.html"}
    assert weighs["phone", "webp"] < weighs["laptop", "webp"]
    weighs = {(c.screen, c.tier): c.after for c in checked if c.page == "index.html"}
    assert weighs["phone", "avif"] < weighs["laptop", "avif"]
