"""The report on a treated folder in all its forms: true, self-contained, and without a trace of this machine."""

from __future__ import annotations

import csv
import getpass
import json
import re
import socket
import subprocess
from dataclasses import replace
from pathlib import Path

import html5lib
import jsonschema_rs
import numpy as np
import pytest
from lxml import html
from playwright.sync_api import Page

from axe import violations
from command_line import run
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.reports.report import ImageLine, MadeFile, PageRow, Report
from ivory_thistle.core.reports.weight import Weight
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.inspecting import thumbnail
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.report_page import report_html
from ivory_thistle.workflows.reported import report_in
from ivory_thistle.workflows.served import Side
from made_up_report import a_report
from pictures import photograph, write_site

pytestmark = pytest.mark.browser
SCHEMA = json.loads((Path(__file__).parents[2] / "docs/report.schema.json").read_text())


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The little site, with a picture far below the first screen that is lazy already, and one that a script shows."""
    folder = write_site(tmp_path_factory.mktemp("little") / "site")
    index = folder / "index.html"
    index.write_text(
        index.read_text().replace(
            "</body>",
            "<div style='height:4000px'></div><img src=img/china.jpg?later loading=lazy width=300 height=200 alt=Temple>"
            "<script>const i = new Image(); i.src = 'img/by-script.jpg'; document.body.append(i)</script></body>",
        )
    )
    photograph("flower").resize((500, 300)).save(folder / "img/by-script.jpg")
    return folder


@pytest.fixture(scope="module")
def treated(tmp_path_factory: pytest.TempPathFactory, site: Path) -> Path:
    """The site handed over, its pages measured before."""
    out = tmp_path_factory.mktemp("treated") / "out"
    done = run("handover", str(site), "--out", str(out), "--quality", "webp=70", "--measure")
    assert done.returncode == 0, done.stderr
    return out


def test_by_reference_as_counted_by_others(site: Path, treated: Path) -> None:
    """Each file that lxml finds in img, source and link, and the file system's sizes: the same sum before."""
    found: set[Path] = set()
    for page in site.rglob("*.html"):
        tree = html.parse(page)
        named = tree.xpath("//img/@src | //link[contains(@rel,'icon')]/@href | //meta[@property='og:image']/@content")
        for srcset in tree.xpath("//img/@srcset | //source/@srcset"):
            named += [part.split()[0] for part in srcset.split(",")]
        found |= {page.parent / str(name).split("?")[0] for name in named}
    for text in (*site.rglob("*.html"), *site.rglob("*.css")):
        found |= {text.parent / name for name in re.findall(r"url\(['\"]?([^'\")]+)", text.read_text())}
    size = sum(path.stat().st_size for path in {path.resolve() for path in found} if path.is_file())
    whole = report_in(Folder(treated)).by_reference
    assert whole.before == size
    for by in ("role", "format", "folder", "kind"):
        parts = [g for g in whole.groups if g.by == by]
        assert sum(g.before for g in parts) == whole.before, by
        for tier in TIERS:
            assert sum(g.after[tier] for g in parts) == whole.after[tier], by
    files = {f.path for f in read_folder(Folder(treated)).files.values()} - {
        p.relative_to(site).as_posix() for p in site.rglob("*")
    }
    new = [treated / path for path in files if path.startswith("img/")]
    assert (whole.new_files, whole.new_bytes) == (len(new), sum(path.stat().st_size for path in new))


@pytest.mark.whole
def test_foretold_as_chromium_loads_it(site: Path, treated: Path) -> None:
    """Before and after, at opening and scrolled through, on every screen in every tier: within 1 %."""
    rows = {(r.page, r.screen, r.tier): r for r in report_in(Folder(treated)).rows}
    before, after = Folder(site), Folder(treated)
    sides = Side(read_folder(before), before.read), Side(read_folder(after), after.read)
    checked = Checker(*sides, DEFAULT_SCREENS, list(TIERS)).all()
    assert len(checked) == len(rows) == 24
    for one in checked:
        row = rows[one.page, one.screen, one.tier]
        for foretold, seen in zip((row.before, row.after), one.weights, strict=True):
            assert foretold.scrolled == pytest.approx(seen.scrolled, rel=0.01), one
            assert foretold.opening == pytest.approx(seen.opening, rel=0.01), one
            assert foretold.requests == seen.requests, one
    phone = rows["index.html", "phone", "avif"]
    assert phone.after.opening < phone.after.scrolled
    script = [c for c in phone.changes if c.before and c.before.path == "img/by-script.jpg"]
    assert script and script[0].saved == 0, "what a script loads stays as it was"


def test_every_form_from_the_command_line(treated: Path, tmp_path: Path, site: Path) -> None:
    """Readable by those who made the formats, and without paths, users or names of this machine."""
    places = {form: tmp_path / f"r.{form}" for form in ("html", "pdf", "csv", "json", "markdown")}
    asked = [word for form, place in places.items() for word in (f"--{form}", str(place))]
    done = run("report", str(treated), *asked)
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    html5lib.HTMLParser(strict=True).parse(places["html"].read_bytes())
    jsonschema_rs.validate(SCHEMA, json.loads(places["json"].read_text()))
    rows = list(csv.DictReader(places["csv"].open(newline="")))
    assert len(rows) == 24
    printed = subprocess.run(["pdftotext", "-layout", places["pdf"], "-"], capture_output=True, text=True, check=True)
    assert "Image weight of Tea & light" in printed.stdout and "index.html" in printed.stdout
    said = run("report", str(treated))
    assert said.stdout.startswith("On a phone, for browsers that show AVIF, 2 pages weigh ")
    assert said.stdout.strip() in places["html"].read_text() and said.stdout.strip() in places["markdown"].read_text()
    texts = [places[form].read_text() for form in ("html", "csv", "json", "markdown")] + [printed.stdout]
    # A short name of a machine may stand in a picture's Base64 by chance.
    texts = [re.sub(r"data:[^\"]*", "", text) for text in texts]
    places_here = [
        re.escape(trace) for trace in (str(treated), str(site), str(tmp_path), getpass.getuser() + "@", "/tmp/")
    ]
    for trace in (*places_here, rf"\b{re.escape(socket.gethostname())}\b"):
        assert not any(re.search(trace, text) for text in texts), trace


def test_what_is_in_it_can_be_chosen(treated: Path) -> None:
    """Pages, screens, tiers, single images, and what the site is called; what there is not is told."""
    chosen = run(
        "report", str(treated), "--json", "-", "--pages", "more/*", "--screens", "phone", "--tiers", "webp", "--no-images",
        "--title", "Our tea",
    )  # fmt: skip
    told = json.loads(chosen.stdout)
    jsonschema_rs.validate(SCHEMA, told)
    assert [(p["page"], p["screen"], p["tier"]) for p in told["pages"]] == [("more/second.html", "phone", "webp")]
    assert (told["site"], told["images"], told["files"]) == ("Our tea", [], [])
    for asked, says in (
        (("--screens", "watch"), "The report has no screen 'watch'; it has phone, tablet, laptop, desktop."),
        (("--tiers", "jxl"), "The report has no tier 'jxl'; it has avif, webp, baseline."),
        (("--pages", "none.html"), "The report has no page 'none.html'."),
        (("--html", "/nowhere/at/all.html"), "The folder /nowhere/at does not exist."),
        (("--run", "3"), "Name a handed-over folder, or a run with --run."),
    ):
        done = run("report", str(treated), *asked)
        assert (done.returncode, done.stderr.strip()) == (2, says)


def test_pictures_alone_have_a_report_without_pages(tmp_path: Path) -> None:
    """By reference, each file once."""
    folder = tmp_path / "camera"
    folder.mkdir()
    photograph("china").save(folder / "one.jpg", quality=97)
    assert run("treat", str(folder), "--out", str(tmp_path / "out"), "--quality", "webp=70").returncode == 0
    place = tmp_path / "r.html"
    done = run("report", str(tmp_path / "out"), "--html", str(place), "--markdown", "-")
    assert re.search(r"The images in use weigh \d+ kB instead of \d+ kB, each file once\.\n$", done.stdout), done.stderr
    text = place.read_text()
    html5lib.HTMLParser(strict=True).parse(text)
    assert "one.jpg" in text and "Screens and browsers" not in text


def test_a_report_that_is_none(tmp_path: Path) -> None:
    """Of a folder that was not handed over, and of one that holds something else by that name."""
    assert (
        run("report", str(tmp_path))
        .stderr.strip()
        .endswith("holds no report.json; treat it again, and hand it over anew.")
    )
    for content in ("[" * 100_000, "{}", '{"kind": "ivory-thistle-report", "version": 1, "files": 7}', "\xff"):
        (tmp_path / "report.json").write_text(content, encoding="latin-1")
        done = run("report", str(tmp_path))
        assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 1, done.stderr


def fifty_pages() -> Report:
    """A large site with a picture a page, and a page that became heavier."""
    rows = tuple(
        PageRow(f"news/{n}.html", s.name, tier, Weight(5_100_000, 9_000_000, 9, 20), Weight(700_000, 900_000, 9, 20))
        for n in range(50) for s in DEFAULT_SCREENS for tier in TIERS
    )  # fmt: skip
    heavier = replace(rows[7], after=Weight(5_200_000, 9_500_000, 9, 20))
    images = tuple(
        ImageLine(f"img/{n}.jpg", "jpeg", 4000, 3000, 5_000_000, "content", "photograph", 1,
                  files=(MadeFile(f"img/{n}-960.avif", "avif", "avif", 960, 720, 90_000, 75.0),))
        for n in range(300)
    )  # fmt: skip
    return replace(a_report(screens=DEFAULT_SCREENS), rows=(*rows[:7], heavier, *rows[8:]), images=images)


@pytest.mark.slow
def test_a_page_of_its_own(page: Page, tmp_path: Path) -> None:
    """Small, without scripts and addresses, names as text, nothing that axe finds; what got heavier comes first."""
    small = thumbnail(Pixels(np.asarray(photograph("china"))))
    written = report_html(fifty_pages(), lambda path: small)
    assert len(written) < 500_000
    text = written.decode()
    html5lib.HTMLParser(strict=True).parse(text)
    assert "<script" not in text and not re.search(r"(?:src|href)=\"(?!data:)", text) and "http" not in text
    assert text.count("data:image/webp") == 60
    assert text.index("Heavier than before") < text.index("Screens and browsers")
    place = tmp_path / "r.html"
    place.write_bytes(written)
    for scheme in ("light", "dark"):
        page.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
        page.goto(place.as_uri())
        assert violations(page) == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    names = report_html(a_report()).decode()
    assert "<i>cake" not in names and "Tea &amp; &lt;i&gt;cake&lt;/i&gt;" in names and "<b>a.jpg" not in names
