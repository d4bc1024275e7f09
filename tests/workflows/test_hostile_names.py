"""Names and titles that markup, tables and scripts could take wrongly, from the page to everything that leaves."""

from __future__ import annotations

import csv
import io
import re
import subprocess
from pathlib import Path

import pytest
from markdown_it import MarkdownIt
from playwright.sync_api import Page

from command_line import run
from ivory_thistle.api.routes.runs import attached, file_name
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store import tables as t
from pictures import encoded, photograph

pytestmark = pytest.mark.browser
NAMES = (
    "=cmd|' &C calc'!A0",
    "<img src=x onerror=alert(1)>",
    "@SUM(1+1)",
    "](javascript:alert(1)) ![x",
    "`|**www.example.org**|~~",
    "'\"><script>alert(1)<&script>",
)
TITLE = "</title><script>alert('title')</script>http://example.org/ | =1+1 `x`"


@pytest.fixture(scope="module")
def treated(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A site with such pages and pictures, handed over with every form of the report and the proof beside it."""
    place = tmp_path_factory.mktemp("hostile")
    site = place / "site"
    site.mkdir()
    for number, name in enumerate(NAMES):
        name = name.replace("/", "&")
        (site / f"{name}.jpg").write_bytes(encoded(photograph("chelsea").rotate(number), "JPEG", quality=95))
        address = "".join(c if c.isalnum() or c == "." else f"%{ord(c):02x}" for c in f"{name}.jpg")
        (site / f"{name}.html").write_text(
            f"<!doctype html><title>{TITLE}</title><img src='{address}' alt='{TITLE[:9]}'>"
        )
    done = run(
        "handover", str(site), "--out", str(place / "out"), "--quality", "jpeg=80", "--formats", "webp", "--no-compare"
    )
    assert done.returncode == 0, done.stderr
    forms = [
        word for form in ("html", "pdf", "csv", "markdown") for word in (f"--{form}", str(place / f"report.{form}"))
    ]
    assert run("report", str(place / "out"), *forms, "--title", TITLE).returncode == 0
    assert run("proof", str(site), str(place / "out"), "--out", str(place / "proof.html")).returncode == 0
    return place


@pytest.mark.parametrize("name", ["report.html", "proof.html"])
def test_pages_run_and_ask_for_nothing(treated: Path, page: Page, name: str) -> None:
    """In Chromium: no dialog, no script, no element that a name made, no request but for the page."""
    said: list[str] = []
    page.on("dialog", lambda dialog: (said.append(dialog.message), dialog.dismiss()))
    page.on("request", lambda request: said.append(request.url) if request.url.startswith("http") else None)
    page.on("pageerror", lambda error: said.append(str(error)))
    page.goto((treated / name).as_uri())
    page.wait_for_load_state("networkidle")
    assert said == []
    assert page.locator("script, img[src=x], a[href^=javascript], a[href*='example.org']").count() == 0
    assert NAMES[1].split()[1] in page.content()


def test_markdown_is_text(treated: Path) -> None:
    """By a reader of CommonMark with tables: no element but those of the report's own tables, and every name as it is."""
    text = (treated / "report.markdown").read_text()
    tokens = MarkdownIt("commonmark").enable(["table", "strikethrough"]).parse(text)
    kinds = {inner.type for token in tokens for inner in token.children or ()}
    assert kinds <= {"text", "text_special", "softbreak"}, kinds
    shown = [("".join(inner.content for inner in token.children or ())) for token in tokens if token.type == "inline"]
    assert all(f"{name.replace('/', '&')}.html" in shown for name in NAMES), shown
    assert "http://" not in text and "www.example" not in text


def test_cells_are_no_formulas(treated: Path) -> None:
    """In the report and in what is handed over."""
    for place in (treated / "report.csv", treated / "out/savings.csv"):
        rows = list(csv.reader(io.StringIO(place.read_text(), newline="")))
        assert len(rows) > len(NAMES)
        assert not any(cell.startswith(("=", "+", "@", "\t", "\r")) for row in rows for cell in row), place


def test_paper_shows_names_as_they_are(treated: Path) -> None:
    """The PDF's text holds them, and nothing was run to make it."""
    call = ["pdftotext", "-layout", str(treated / "report.pdf"), "-"]
    text = subprocess.run(call, capture_output=True, text=True, check=True).stdout
    assert "onerror=alert(1)" in "".join(text.split()) and "=cmd|" in text


@pytest.mark.parametrize(
    "name", ["../../etc/passwd", 'x"\r\nset-cookie: a=b', "Tea / house; filename=y.exe", "\u202egpj.exe", ""]
)
def test_names_of_downloads_are_plain(name: str) -> None:
    """Letters, digits and hyphens, whatever a site is called: no folder, no second header, no other ending."""
    found = file_name(t.Site(name=name), "handover.zip")
    assert re.fullmatch(r"[a-z0-9-]+-handover\.zip", found)
    assert attached(found) == {"content-disposition": f'attachment; filename="{found}"'}


def test_names_that_lead_out_elsewhere_are_left_out(tmp_path: Path) -> None:
    """Where a backslash parts folders, or a letter names a drive: in a ZIP of ours they would land outside."""
    for name in ("..\\evil.html", "a\\..\\..\\evil.html", "C:evil.png", "fine.html"):
        (tmp_path / name).write_text("<p>x")
    paths, faults = Folder(tmp_path).paths()
    assert paths == ["fine.html"]
    assert {fault.kind for fault in faults} == {"unsafe-entry"} and len(faults) == 3
    assert all(fault.message.endswith("leads out of its folder on other systems; it is left out.") for fault in faults)
