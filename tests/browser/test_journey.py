"""The journey of a new user through the real interface, and what Chromium makes of the handover."""

from __future__ import annotations

import functools
import http.server
import re
import threading
import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import ClassVar

import pytest
from playwright.sync_api import Page, expect

from application import Application
from axe import violations
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.folders import treat_folder

pytestmark = [pytest.mark.browser, pytest.mark.database]


@pytest.fixture
def complaints(page: Page) -> Iterator[list[str]]:
    """Everything that the browser's console complains of."""
    found: list[str] = []
    # The browser itself notes every refused request; the journey makes one on purpose.
    page.on(
        "console",
        lambda m: found.append(m.text) if m.type in ("error", "warning") and "status of 422" not in m.text else None,
    )
    page.on("pageerror", lambda e: found.append(str(e)))
    yield found
    assert found == []


def audit_accessibility(page: Page) -> None:
    """Nothing is found on the screen as it is."""
    assert violations(page) == []


STEPS = ("Capture", "Audit", "Library", "Treatment", "Runs", "Savings", "Handover")


def every_screen_is_accessible(page: Page, themes: Sequence[str]) -> None:
    """All steps of a treated site, and the screens behind them, in each theme."""
    found: dict[str, list[str]] = {}
    steps = page.get_by_role("navigation", name="Steps")
    for theme in themes:
        page.emulate_media(color_scheme=theme)  # type: ignore[arg-type]
        for step in STEPS:
            steps.get_by_role("link", name=step).click()
            page.wait_for_load_state("networkidle")
            found[f"{step}, {theme}"] = violations(page)
        steps.get_by_role("link", name="Audit").click()
        page.get_by_role("link", name="Findings").click()
        page.get_by_role("button", name=re.compile("Images without width and height")).click()
        expect(page.get_by_text("has no width and height.").first).to_be_visible()
        found[f"Findings, {theme}"] = violations(page)
        steps.get_by_role("link", name="Audit").click()
        page.get_by_role("combobox", name="Screen").select_option("phone")
        page.get_by_role("link", name="index.html").click()
        expect(page.get_by_alt_text("index.html on the phone screen")).to_be_visible()
        found[f"Page, {theme}"] = violations(page)
        steps.get_by_role("link", name="Library").click()
        page.get_by_role("radio", name="Contact sheet").click()
        found[f"Contact sheet, {theme}"] = violations(page)
        page.get_by_role("radio", name="Table").click()
        page.get_by_role("link", name="img/cat.jpg").click()
        expect(page.get_by_role("heading", name="Treatment")).to_be_visible()
        found[f"Image, {theme}"] = violations(page)
        steps.get_by_role("link", name="Savings").click()
        page.get_by_role("button", name="Show its pictures").first.click()
        expect(page.get_by_role("columnheader", name="saved").first).to_be_visible()
        found[f"Savings, its pictures, {theme}"] = violations(page)
        for part in ("The site as a whole", "Who visits"):
            page.get_by_role("radio", name=part).click()
            page.wait_for_load_state("networkidle")
            found[f"{part}, {theme}"] = violations(page)
        steps.get_by_role("link", name="Handover").click()
        for part in ("What changes", "Alternative texts", "Names of files", "Templates"):
            page.get_by_role("radio", name=part).click()
            page.wait_for_load_state("networkidle")
            found[f"{part}, {theme}"] = violations(page)
        page.get_by_role("radio", name="Check").click()
        page.get_by_role("radio", name="Everything").click()
        page.locator("summary", has_text="index.html").first.click()
        expect(page.get_by_alt_text(re.compile("as it will be")).first).to_be_visible()
        found[f"Check, {theme}"] = violations(page)
        steps.get_by_role("link", name="← Sites").click()
        page.get_by_role("link", name="Add a site").click()
        found[f"Add a site, {theme}"] = violations(page)
        page.go_back()
        found[f"Sites, {theme}"] = violations(page)
        page.get_by_role("link", name="Tea house").click()
    page.emulate_media(color_scheme="light")
    assert {where: said for where, said in found.items() if said} == {}


def rules_are_changed(page: Page) -> None:
    """A sentence changed in place, with what it would change told before; as text; both undone. By keyboard."""
    figure = page.get_by_role("heading", level=1)
    before = figure.text_content()
    page.get_by_role("button", name="Change all images").press("Enter")
    dialog = page.get_by_role("dialog", name="All images")
    dialog.get_by_label("No wider than").fill("wide")
    expect(dialog.get_by_text("Something above can't be read yet.")).to_be_visible()
    dialog.get_by_label("No wider than").fill("200")
    expect(dialog.get_by_text(re.compile(r"Changes \d+ images: all pages .*about .* instead of"))).to_be_visible()
    audit_accessibility(page)
    dialog.get_by_role("button", name="Hold the site to this").press("Enter")
    expect(dialog).to_be_hidden()
    expect(
        page.get_by_text(re.compile("All images: AVIF and WebP with a fallback, .*no wider than 200 px"))
    ).to_be_visible()
    expect(figure).not_to_have_text(before or "")
    undo(page, "The rules were changed")
    expect(page.get_by_text(re.compile("All images: .*no wider than 1,920 px"))).to_be_visible()
    page.get_by_role("button", name="As text").press("Enter")
    dialog = page.get_by_role("dialog", name="Rules as TOML")
    text = dialog.get_by_label("Rules as TOML")
    text.fill('[[rule]]\npath = "img/cat.jpg"\nleave = 1\n')
    keep = dialog.get_by_role("button", name="Hold the site to these")
    keep.press("Enter")
    expect(dialog.get_by_role("alert")).to_have_text("Line 3, rule 1.leave: 1 is neither true nor false.")
    audit_accessibility(page)
    text.fill('[[rule]]\npath = "img/cat.jpg"\nleave = true\n')
    keep.press("Enter")
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("Images at img/cat.jpg: left as they are.")).to_be_visible()
    expect(page.get_by_text("decides of 1 image")).to_be_visible()
    expect(page.get_by_text("1 single image overruled")).to_be_visible()
    expect(page.get_by_role("button", name="Treat 4 images")).to_be_visible()
    page.get_by_role("button", name="Drop the rule for images at img/cat.jpg").press("Enter")
    expect(page.get_by_text("1 single image overruled")).to_have_count(0)
    rules_get_a_name(page)


def rules_get_a_name(page: Page) -> None:
    """Kept by a name, followed from there, and forgotten."""
    page.get_by_role("button", name="From elsewhere").press("Enter")
    dialog = page.get_by_role("dialog", name="Rules by name, and of other sites")
    dialog.get_by_label("A name for this site's rules").fill("Light")
    dialog.get_by_role("button", name="Keep them by this name").press("Enter")
    expect(dialog.get_by_text("Light", exact=True)).to_be_visible()
    audit_accessibility(page)
    dialog.get_by_role("button", name="Follow Light").press("Enter")
    expect(dialog.get_by_text("This changes no image.")).to_be_visible()
    dialog.get_by_role("button", name="Leave as it was").press("Enter")
    page.get_by_role("button", name="From elsewhere").press("Enter")
    page.get_by_role("button", name="Forget Light").press("Enter")
    expect(dialog.get_by_text("No rules have a name yet.")).to_be_visible()
    dialog.get_by_role("button", name="Undo").press("Enter")
    expect(dialog.get_by_text("Light", exact=True)).to_be_visible()
    page.get_by_role("button", name="Forget Light").press("Enter")
    expect(dialog.get_by_text("No rules have a name yet.")).to_be_visible()
    dialog.get_by_role("button", name="Close").press("Enter")


def undo(page: Page, notice: str) -> None:
    """Takes back what a notice tells of."""
    page.get_by_role("listitem").filter(has_text=notice).get_by_role("button", name="Undo").first.click()


def savings_are_looked_through(page: Page, folder: Path) -> None:
    """The sentence, the pictures of a page, who visits, the site as a whole, and a report; all in the address."""
    expect(page.get_by_text(re.compile(r"2 pages weigh .* instead of .*; none over budget"))).to_be_visible()
    page.get_by_role("combobox", name="Audience tier").select_option("older browsers")
    page.get_by_role("combobox", name="Order").select_option("by path")
    page.get_by_role("searchbox", name="with").fill("second")
    expect(page.get_by_text("1 page", exact=True)).to_be_visible()
    assert "tier=baseline" in page.url and "find=second" in page.url and "order=page" in page.url
    page.get_by_role("button", name="Show its pictures").press("Enter")
    expect(page.get_by_role("cell", name=re.compile("coffee.*jpg")).first).to_be_visible()
    page.get_by_role("combobox", name="Which pages").select_option("Pages heavier than before")
    expect(page.get_by_text("No page is like that.")).to_be_visible()
    page.reload()
    expect(page.get_by_text("No page is like that.")).to_be_visible()
    page.get_by_role("radio", name="The site as a whole").click()
    page.get_by_role("radio", name="By format").click()
    expect(page.get_by_role("cell", name="jpeg")).to_be_visible()
    page.get_by_role("radio", name="Who visits").click()
    mean = page.get_by_text(re.compile("In the mean of all visitors"))
    usual = mean.text_content()
    page.get_by_label("browsers that show AVIF").fill("0")
    page.get_by_label("older browsers").fill("100")
    page.get_by_role("button", name="Keep these shares").first.press("Enter")
    expect(page.get_by_text("These are your own.")).to_be_visible()
    assert mean.text_content() != usual
    page.get_by_role("button", name="Undo").first.click()
    expect(page.get_by_text("These are your own.")).to_have_count(0)
    views = folder / "views.csv"
    views.write_text("page,views\n/more/second,900\n/gone,1\n")
    page.get_by_label("CSV of page views").set_input_files(views)
    expect(page.get_by_text("900 page views a month, of 1 page, weigh the pages.")).to_be_visible()
    expect(page.get_by_text("Line 3: The site has no page '/gone'.")).to_be_visible()
    page.get_by_role("button", name="Forget page views").click()
    expect(page.get_by_text("Without page views, all pages count alike.")).to_be_visible()
    page.get_by_role("button", name="Take a report").click()
    dialog = page.get_by_role("dialog", name="A report to send")
    audit_accessibility(page)
    with page.expect_download() as download:
        dialog.get_by_role("link", name="Take the report").click()
    assert "Image weight of Tea house" in Path(download.value.path()).read_text()
    dialog.get_by_role("radio", name=re.compile("Markdown")).check()
    dialog.get_by_role("button", name="Show it here").click()
    expect(dialog.get_by_text("## Image weight of Tea house")).to_be_visible()
    dialog.get_by_role("button", name="Close").click()


def the_handover_is_checked(page: Page) -> None:
    """Asked for, watched, left alone, and told in the spine; every load can be looked at."""
    expect(page.get_by_text("Not checked yet.")).to_be_visible()
    page.get_by_role("button", name="Check in a browser").click()
    expect(page.get_by_role("progressbar", name="Loads of pages checked")).to_be_visible()
    page.reload()
    expect(page.get_by_text("24 of 24 loads of pages passed")).to_be_visible(timeout=240_000)
    expect(page.get_by_text("Nothing failed.")).to_be_visible()
    steps = page.get_by_role("navigation", name="Steps")
    expect(steps.get_by_role("link", name=re.compile("Handover"))).to_contain_text("checked")


def words_are_decided(page: Page) -> None:
    """An alternative text is written by keyboard, kept, undone and kept again; then the handover is unchecked."""
    page.get_by_role("radio", name="Alternative texts").click()
    line = page.get_by_role("listitem").filter(has_text="cat.jpg")
    field = line.get_by_label("Alternative text")
    field.fill("A cat on a table")
    field.press("Enter")
    expect(page.get_by_text("1 of 1 decided")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("0 of 1 decided")).to_be_visible()
    field.fill("A cat on a table")
    field.press("Enter")
    expect(page.get_by_text("1 of 1 decided")).to_be_visible()
    page.get_by_role("radio", name="What changes").click()
    page.locator("summary", has_text="index.html").click()
    expect(page.get_by_text('alt="A cat on a table"')).to_be_visible()
    page.get_by_role("radio", name="Check").click()
    expect(page.get_by_text("The handover has changed since its last check.")).to_be_visible()


def nothing_runs_out(page: Page, width: int) -> None:
    """Every step of the site fits a narrow screen: 640 is 1,280 at 200 % (WCAG 2.2, 1.4.10 asks for 320 at 400 %)."""
    page.set_viewport_size({"width": width, "height": 800})
    for step in STEPS:
        page.get_by_role("navigation", name="Steps").get_by_role("link", name=step).click()
        page.wait_for_load_state("networkidle")
        assert page.evaluate("document.documentElement.scrollWidth") <= width, step
    page.set_viewport_size({"width": 1280, "height": 800})


@pytest.mark.slow(90)
def test_from_a_folder_to_the_handover(
    request: pytest.FixtureRequest, page: Page, application: Application, site_folder: Path, tmp_path: Path,
    complaints: list[str],
) -> None:  # fmt: skip
    """Add a site, audit it, change budgets, browse the library, treat, see savings, download."""
    for named in application.client.get("/api/v1/named-rules").json():
        application.client.delete("/api/v1/named-rules", params={"name": named["name"]})
    index = site_folder / "index.html"
    index.write_text(index.read_text().replace("alt=Cat ", ""))
    page.goto(application.access.link())
    page.get_by_role("link", name="Add a site").click()
    page.get_by_label("Name").fill("Tea house")
    page.get_by_label("Whole path of the built site").fill("/does/not/exist")
    page.get_by_role("button", name="Read this folder").click()
    expect(page.get_by_role("alert")).to_have_text("The folder /does/not/exist does not exist.")
    page.get_by_label("Whole path of the built site").fill(str(site_folder))
    page.get_by_role("button", name="Read this folder").click()
    page.get_by_role("link", name="Audit 2 pages", exact=True).click()

    expect(page.get_by_role("heading", name="All 2 pages within budget")).to_be_visible()
    budget = page.get_by_label("Budget of a page")
    budget.fill("much")
    expect(page.get_by_role("alert")).to_have_text("Write sizes like 5 MB or 300 kB.")
    budget.press("Escape")
    expect(budget).to_have_value("5.0 MB")
    budget.fill("200 kB")
    budget.press("Enter")
    expect(page.get_by_role("heading", name="2 of 2 pages over budget")).to_be_visible()
    strip = page.get_by_role("group", name=re.compile("Weight of index.html"))
    strip.press("ArrowRight")
    expect(strip.get_by_role("status")).to_contain_text("·")
    page.get_by_role("link", name="Findings").click()
    expect(page.get_by_role("heading", name=re.compile(r"\d+ findings"))).to_be_visible(timeout=20_000)
    page.get_by_role("button", name=re.compile("Images without width and height")).click()
    expect(page.get_by_text("has no width and height.").first).to_be_visible()
    page.get_by_role("link", name=re.compile(r"Select \d image")).first.click()
    expect(page.get_by_text(re.compile(r"\d selected"))).to_be_visible()
    page.get_by_role("radio", name="Contact sheet").click()
    page.get_by_role("combobox", name="Give the role").select_option("hero")
    expect(page.get_by_text("the audit is done again").first).to_be_visible()
    page.get_by_role("button", name="Undo").first.click()
    page.get_by_role("link", name="Audit").first.click()
    page.get_by_role("button", name="Budgets by page, screen and role").click()
    dialog = page.get_by_role("dialog", name="Budgets")
    dialog.get_by_role("button", name="Add a budget").click()
    dialog.get_by_label("Pages of budget 1").fill("more/*")
    dialog.get_by_label("Bytes of budget 1").fill("170 kB")
    audit_accessibility(page)
    dialog.get_by_role("button", name="Hold the site to these").click()
    expect(dialog).to_be_hidden()
    page.get_by_role("button", name="Measure in a browser").click()
    # One job at a time: a run that another test began may go first.
    screen = page.get_by_role("combobox", name="Screen")
    screen.select_option("phone", timeout=120_000)
    expect(page.get_by_role("button", name="Measure again")).to_be_visible(timeout=120_000)
    expect(page.get_by_role("heading", name="1 of 2 pages over budget")).to_be_visible()
    expect(page.get_by_text(re.compile(r"largest on screen: \w+\.(jpg|png)")).first).to_be_visible()
    page.get_by_role("combobox", name="Audience tier").select_option("older browsers")
    expect(page.get_by_text("Chosen anew from the markup")).to_be_visible()
    page.get_by_role("combobox", name="Part of the visit").select_option("scrolled through")
    assert "tier=baseline" in page.url and "part=scrolled" in page.url
    page.get_by_role("button", name="Change screens and connections").click()
    dialog = page.get_by_role("dialog", name="Screens and connections")
    dialog.get_by_role("button", name="Drop 56 kbit/s modem").click()
    dialog.get_by_label("Width, CSS px of tablet").fill("99999")
    dialog.get_by_role("button", name="Keep these").click()
    expect(dialog.get_by_role("alert")).to_contain_text("8000")
    audit_accessibility(page)
    dialog.get_by_label("Width, CSS px of tablet").fill("800")
    dialog.get_by_role("button", name="Keep these").click()
    expect(dialog).to_be_hidden()
    connections = page.get_by_role("combobox", name="Connection").get_by_role("option")
    expect(connections).to_have_count(4)
    page.get_by_role("listitem").filter(has_text="Screens and connections").get_by_role("button", name="Undo").click()
    expect(connections).to_have_count(5)
    page.get_by_role("link", name="index.html").click()
    expect(page.get_by_alt_text("index.html on the phone screen")).to_be_visible()
    expect(page.get_by_text("img/missing.jpg", exact=True)).to_be_visible()

    page.get_by_role("link", name="Library").first.click()
    rows = page.get_by_role("table", name="Images").get_by_role("row")
    expect(rows).to_have_count(7)
    page.get_by_role("button", name="Pages").click()
    expect(rows.nth(1)).to_contain_text("img/coffee.jpg")
    page.get_by_label("Find in paths").fill("graphic")
    expect(rows).to_have_count(2)
    assert "find=graphic" in page.url and "sort=pages" in page.url
    page.get_by_role("link", name="img/graphic.png").click()
    expect(page.get_by_role("heading", name="1 placement")).to_be_visible()
    expect(page.get_by_text("The file holds no more pixels than its slots need.")).to_be_visible()

    overrule = page.get_by_role("combobox", name="Overrule")
    overrule.select_option("leave as it is")
    expect(page.get_by_text("By the rule for images at img/graphic.png: left as they are.")).to_be_visible()
    page.get_by_role("listitem").filter(has_text="Decided for 1 image").get_by_role("button", name="Undo").click()
    expect(page.get_by_text(re.compile(r"→ .* at most\. As .*, by what holds for all images\."))).to_be_visible()
    page.get_by_role("button", name="Overrule any part").press("Enter")
    dialog = page.get_by_role("dialog", name="What graphic.png gets")
    dialog.get_by_label("No wider than").fill("90")
    audit_accessibility(page)
    dialog.get_by_role("button", name="Hold the site to this").press("Enter")
    expect(page.get_by_text("By the rule for images at img/graphic.png: no wider than 90 px.")).to_be_visible()
    undo(page, "The rules were changed")
    expect(page.get_by_text(re.compile(r"→ .* at most\. As .*, by what holds for all images\."))).to_be_visible()
    page.get_by_role("link", name="Treatment").click()
    rules_are_changed(page)
    page.get_by_role("button", name="Treat 5 images").click()
    expect(page.get_by_role("progressbar", name="Images treated")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="Done")).to_be_visible(timeout=240_000)
    table = page.get_by_role("region", name="Forecast and truth")
    expect(table.get_by_role("columnheader", name="truth")).to_be_visible()
    for figure in ("All pages", "Pages over budget", "Time of the run", "Files made"):
        expect(table.get_by_role("rowheader", name=figure).first).to_be_visible()
    page.get_by_role("link", name="See the savings").click()
    savings_are_looked_through(page, tmp_path)
    page.get_by_role("link", name="Take the handover").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download tea-house-handover.zip").click()
    archive = tmp_path / "handover.zip"
    download.value.save_as(archive)
    with zipfile.ZipFile(archive) as held:
        assert b"<picture" in held.read("index.html")
        assert held.read("img/cat.jpg") == (site_folder / "img/cat.jpg").read_bytes()
    the_handover_is_checked(page)
    words_are_decided(page)
    for width in (640, 390):
        nothing_runs_out(page, width)
    themes = ("light", "dark") if request.config.getoption("whole") else ("light",)
    every_screen_is_accessible(page, themes)
    page.get_by_role("link", name="← Sites").click()
    page.get_by_role("button", name="Remove Tea house").click()
    expect(page.get_by_role("link", name="Tea house")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("link", name="Tea house")).to_be_visible()


def test_an_archive_is_uploaded(page: Page, application: Application, tmp_path: Path) -> None:
    """A ZIP chosen in the browser; one without a web page fails with its reason on the capture's screen."""
    archive = tmp_path / "empty.zip"
    with zipfile.ZipFile(archive, "w") as made:
        made.writestr("readme.txt", "nothing")
    page.goto(application.access.link())
    page.goto(f"{application.address}/new")
    page.locator("input[type=file]").set_input_files(archive)
    expect(page.get_by_role("alert")).to_have_text(
        "The archive holds no web page and no picture; pack the folder of the built site."
    )


SHOWN = {
    "index.html": ["coffee-300.avif", "graphic-240.png", "missing.jpg", "cat-300.avif"],
    "more/second.html": ["coffee-600.avif"],
}
"""What Chromium at one pixel a CSS px shows; the graphic's palette PNG beats both modern formats."""


@pytest.fixture
def served(site_folder: Path, tmp_path: Path) -> Iterator[str]:
    """The little site before and after its treatment, under /site and /out."""
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True))

    class Quiet(http.server.SimpleHTTPRequestHandler):
        extensions_map: ClassVar[dict[str, str]] = {
            **http.server.SimpleHTTPRequestHandler.extensions_map,
            ".avif": "image/avif",
            ".webp": "image/webp",
        }

        def log_message(self, *arguments: object) -> None:
            pass

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Quiet, directory=tmp_path)) as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        yield f"http://127.0.0.1:{server.server_address[1]}"
        server.shutdown()


def test_chromium_shows_the_handover_like_the_original(page: Page, served: str) -> None:
    """Every image is shown in the same box, in AVIF, whole; no request fails but the one that did before."""
    look = """() => [...document.images].map(i => {
        const b = i.getBoundingClientRect();
        return {box: [b.x, b.y, b.width, b.height].map(Math.round), file: i.currentSrc, whole: i.complete && i.naturalWidth > 0};
    })"""
    failed: list[str] = []
    page.on("response", lambda r: failed.append(r.url) if r.status >= 400 and "favicon" not in r.url else None)
    for path in ("index.html", "more/second.html"):
        page.goto(f"{served}/site/{path}", wait_until="networkidle")
        before = page.evaluate(look)
        page.goto(f"{served}/out/{path}", wait_until="networkidle")
        after = page.evaluate(look)
        assert [i["box"] for i in after] == [i["box"] for i in before]
        assert [i["whole"] for i in after] == [i["whole"] for i in before]
        assert [i["file"].rsplit("/")[-1] for i in after] == SHOWN[path]
    assert {f.rsplit("/", 1)[-1] for f in failed} == {"missing.jpg"}
    background = page.goto(f"{served}/out/index.html") and page.evaluate(
        "getComputedStyle(document.querySelector('div')).backgroundImage"
    )
    assert "china-480.avif" in background


@pytest.mark.slow
def test_room_is_cleared_only_when_asked(application: Application, page: Page, site_folder: Path) -> None:
    """The left-overs of a site that was taken off the list, after a question; by keyboard."""
    (site_folder / "only-here.txt").write_text("What no other site has.")
    site = application.client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
    application.wait(f"/api/v1/captures/{site['capture']['id']}", ("done",))
    application.audited(site["capture"]["id"])
    application.client.delete(f"/api/v1/sites/{site['id']}")
    page.goto(application.access.link())
    page.get_by_role("button", name="Show the room taken on this disk").press("Enter")
    page.get_by_role("heading", name="Room taken on this disk").wait_for()
    page.get_by_role("button", name="that nothing needs").press("Enter")
    page.get_by_text("they can't be put back").wait_for()
    page.get_by_role("button", name="Leave as it was").press("Enter")
    assert application.client.post(f"/api/v1/sites/{site['id']}/restore").status_code == 200
    application.client.delete(f"/api/v1/sites/{site['id']}")
    page.get_by_role("button", name="that nothing needs").press("Enter")
    page.get_by_role("button", name="Clear for good").press("Enter")
    page.get_by_text("Everything is needed by a site on the list.").wait_for()
    assert application.client.post(f"/api/v1/sites/{site['id']}/restore").status_code == 404


def test_a_browser_that_is_not_known_is_told_what_to_do(application: Application, page: Page) -> None:
    """No screen without the cookie, and a page that says how to get it."""
    page.goto(f"{application.address}/sites/1/audit")
    page.get_by_role("heading", name="Ivory Thistle is running, but does not know this browser").wait_for()
    assert page.context.cookies() == []
