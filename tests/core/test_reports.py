"""Reports: what pages load before and after, for whom, and as what they are written."""

from __future__ import annotations

import csv
import io
import json
import re
from dataclasses import replace
from pathlib import Path

import jsonschema_rs
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ivory_thistle.core.budgets.policy import PageBudget, Policy
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.site import Page, Placement
from ivory_thistle.core.reports.as_csv import report_csv
from ivory_thistle.core.reports.as_json import read_report, report_json
from ivory_thistle.core.reports.as_markdown import report_markdown
from ivory_thistle.core.reports.audience import (
    Audience,
    read_views,
    shares,
    usual_screen_shares,
    usual_tier_shares,
)
from ivory_thistle.core.reports.predicted import Families, PageLoads
from ivory_thistle.core.reports.report import (
    expected,
    page_rows,
    still_over,
    total,
    totals,
)
from ivory_thistle.core.reports.sentences import headline, less, plain_bytes
from ivory_thistle.core.reports.weight import Measured, Weight
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from made_up_report import DESKTOP, PHONE, a_report, row

SCHEMA = json.loads((Path(__file__).parents[2] / "docs/report.schema.json").read_text())


def loaded(path: str, size: int, opening: bool = True) -> Loaded:
    return Loaded(f"/{path}", path, size, opening)


def families(origins: dict[str, str], *files: str, choice: tuple[str, ...] = ()) -> Families:
    """Of a page that names these files; `choice` are candidates of one `img`."""
    placements = tuple(
        Placement("p.html", f, f, "img", "src", "p.html", n, n, 1, use="candidate" if f in choice else "single",
                  choice_start=0 if f in choice else n + 1)
        for n, f in enumerate(files)
    )  # fmt: skip
    return Families(Page("p.html", "", "utf-8", 9, files, 0, (), (), placements), origins)


def test_files_before_and_after_are_paired_by_their_picture() -> None:
    """New files with their originals, candidates of one choice with each other; what is left alone with itself."""
    before = (loaded("a-800.jpg", 800), loaded("b.jpg", 500, opening=False), loaded("kept.gif", 90))
    after = (loaded("a-400-400.avif", 60), loaded("b-320.avif", 50, opening=False), loaded("kept.gif", 90))
    of = families(
        {"a-400-400.avif": "a-400.jpg", "b-320.avif": "b.jpg"}, "a-400.jpg", "a-800.jpg", "b.jpg", "kept.gif",
        choice=("a-400.jpg", "a-800.jpg"),
    )  # fmt: skip
    (found,) = page_rows([PageLoads("p.html", "phone", "avif", before, after)], {"p.html": of}, {})
    names = [(c.before and c.before.path, c.after and c.after.path) for c in found.changes]
    assert names == [("a-800.jpg", "a-400-400.avif"), ("b.jpg", "b-320.avif"), ("kept.gif", "kept.gif")]
    assert (found.before, found.after) == (Weight(890, 1390, 2, 3), Weight(150, 200, 2, 3))
    assert not found.is_heavier


def test_what_a_script_loads_is_not_saved() -> None:
    """It was seen before, no markup foretells it, and it stays as it was."""
    loads = PageLoads("p.html", "phone", "avif", (loaded("a.jpg", 900),), (loaded("a-1.avif", 100),))
    seen = {("p.html", "phone", "avif"): (loaded("a.jpg", 900), loaded("by-script.jpg", 700, opening=False))}
    (found,) = page_rows([loads], {"p.html": families({"a-1.avif": "a.jpg"}, "a.jpg")}, seen)
    assert (found.before.scrolled, found.after.scrolled) == (1600, 800)


def test_a_page_that_weighs_more_is_heavier() -> None:
    """At opening or scrolled through, foretold or measured."""
    light = row("p.html", 900, 100)
    assert not light.is_heavier
    assert replace(light, after=Weight(901, 901, 1, 1)).is_heavier
    assert replace(light, before=Weight(0, 900, 0, 3), after=Weight(10, 100, 1, 1)).is_heavier
    assert replace(light, measured=Measured(Weight(5, 5, 1, 1), Weight(6, 6, 1, 1))).is_heavier


def test_totals_and_budgets() -> None:
    """Sums of one screen and tier; measured only where every page is."""
    policy = Policy(site=PageBudget("", "", 500, 60), pages=(PageBudget("big/*", "", 5_000),))
    rows = [row("a.html", 900, 400), row("b.html", 900, 501), row("big/c.html", 6_000, 4_000)]
    found = total(rows, policy, opening=True)
    assert (found.before, found.after, found.over_before, found.over_after) == (7_800, 4_901, 3, 1)
    assert (found.requests_before, found.requests_after, found.measured_after) == (9, 6, None)
    seen = Measured(Weight(900, 900, 3, 3), Weight(402, 402, 2, 2), 800.0, 500.0)
    assert total([replace(r, measured=seen) for r in rows], policy, opening=True).measured_after == 3 * 402
    (over,) = still_over(rows, policy)
    assert (over.page, over.over) == ("b.html", 1)


def test_what_would_be_needed() -> None:
    """By how much, or without which pictures."""
    policy = Policy(site=PageBudget("", "", 1_000, 60))
    of = families({}, "a.jpg", "b.jpg", "c.jpg")
    files = (loaded("a.jpg", 900), loaded("b.jpg", 600), loaded("c.jpg", 500))
    (found,) = page_rows([PageLoads("p.html", "phone", "avif", files, files)], {"p.html": of}, {})
    (over,) = still_over([found], policy)
    assert over.words == (
        "Its pictures would have to lose another 50 %, or the page would have to do without its heaviest 2 pictures."
    )


def test_the_mean_over_everybody() -> None:
    """By hand: 0.75 x (0.9 x 100 + 0.1 x 200) + 0.25 x (0.9 x 300 + 0.1 x 400) = 82.5 + 77.5."""
    sizes = {("phone", "avif"): 100, ("phone", "webp"): 200, ("desktop", "avif"): 300, ("desktop", "webp"): 400}
    rows = tuple(row("a.html", 1_000, size, *view) for view, size in sizes.items())
    audience = Audience({"avif": 0.9, "webp": 0.1}, {"phone": 0.75, "desktop": 0.25})
    found = expected(a_report(rows=rows, audience=audience, tiers=("avif", "webp")))
    assert (found.before, found.after, found.plan_share) == pytest.approx((1_000, 160, 160 / 10e9))


def test_page_views_weigh_pages_and_devices() -> None:
    """90 views of a.html on phones, 10 of b.html on any: of these, six of ten on the phone."""
    rows = tuple(
        row(page, 1_000, size, screen)
        for page, screen, size in (
            ("a.html", "phone", 100), ("a.html", "desktop", 9_999), ("b.html", "phone", 500), ("b.html", "desktop", 700)
        )
    )  # fmt: skip
    views = {"a.html": {"phone": 90}, "b.html": {"": 10}}
    audience = Audience({"avif": 1.0}, {"phone": 0.6, "desktop": 0.4}, views)
    found = expected(a_report(rows=rows, audience=audience, tiers=("avif",)))
    assert found.after == pytest.approx(0.9 * 100 + 0.1 * (0.6 * 500 + 0.4 * 700))
    assert audience.total_views(["a.html", "b.html", "c.html"]) == 100


def test_usual_shares_sum_to_one() -> None:
    """Whatever screens there are; nine of ten browsers show AVIF (caniuse.com, 2026-11)."""
    for screens in (DEFAULT_SCREENS, (PHONE,), (DESKTOP, replace(DESKTOP, name="other"))):
        assert sum(usual_screen_shares(screens).values()) == pytest.approx(1)
    assert sum(usual_tier_shares().values()) == pytest.approx(1)
    assert usual_tier_shares()["avif"] > 0.9
    assert shares({"a": 1e308, "b": 1e308}) == {"a": 0.5, "b": 0.5}
    assert shares({"a": 5e-324, "b": 0.0}) == {"a": 1.0, "b": 0.0}
    for wrong in ({"a": -1.0}, {"a": float("nan")}, {"a": 0.0}, {"a": float("inf")}):
        with pytest.raises(UnusableInput):
            shares(wrong)


PAGES = ("index.html", "news/index.html", "shop.html", "a b.html")


def test_page_views_from_csv() -> None:
    """Paths and addresses as statistics tell them; what is not taken is told with its line."""
    table = (
        '\ufeffPage,Views,Device\r\n/,1000,mobile\r\nhttps://tea.example/news/?x=1#top,"1,200",desktop\r\n/shop,7,\r\n'
        "/shop.html,3,Phone\r\n/a%20b.html,5,tablet\r\n/gone,1,phone\r\n/shop,many,phone\r\n/shop,1,fridge\r\n\r\n"
    )
    found = read_views(table.encode(), PAGES, DEFAULT_SCREENS)
    assert found.views == {
        "index.html": {"phone": 1000}, "news/index.html": {"desktop": 1200}, "shop.html": {"": 7, "phone": 3},
        "a b.html": {"tablet": 5},
    }  # fmt: skip
    assert found.problems == (
        "Line 7: The site has no page '/gone'.",
        "Line 8: 'many' is no number of views.",
        "Line 9: 'fridge' is no device; there are desktop, laptop, phone, tablet.",
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "The first line must name the columns page and views, and may name device."),
        (b"page;views\n/;1", "The first line must name the columns page and views, and may name device."),
        (b"page,views\n", "This CSV tells no views."),
        (b"page,views\n/x,1", "Line 2: The site has no page '/x'."),
        (b"page,views\n/," + b"9" * 5_000, f"Line 2: {'9' * 40!r} is no number of views."),
        (b"page,views\n" + b'"' + b"x" * 200_000, "This is no CSV: field larger than field limit (131072)."),
    ],
)  # fmt: skip
def test_tables_that_are_none(data: bytes, says: str) -> None:
    """Told in a sentence."""
    with pytest.raises(UnusableInput) as told:
        read_views(data, PAGES, DEFAULT_SCREENS)
    assert str(told.value) == says


@given(st.binary(max_size=400))
@settings(max_examples=150)
def test_any_bytes_are_a_table_or_none(data: bytes) -> None:
    """Whatever is sent, the answer is a table or a sentence."""
    try:
        read_views(b"page,views\n" + data, PAGES, DEFAULT_SCREENS)
    except UnusableInput as error:
        assert str(error)


def test_json_comes_back_and_keeps_to_its_schema() -> None:
    """All of it; what is no report is told in a sentence."""
    seen = Measured(Weight(1, 2, 3, 4), Weight(5, 6, 7, 8), 100.5, None)
    changes = page_rows(
        [PageLoads("p.html", "phone", "avif", (loaded("a.jpg", 9),), (loaded("a-1.avif", 3, opening=False),))],
        {"p.html": families({"a-1.avif": "a.jpg"}, "a.jpg")}, {},
    )  # fmt: skip
    report = a_report(rows=(replace(changes[0], measured=seen), *a_report().rows))
    values = json.loads(json.dumps(report_json(report)))
    jsonschema_rs.validate(SCHEMA, values)
    assert read_report(values) == report
    for wrong in (None, [], {}, {"kind": "ivory-thistle-report", "version": 1}, values | {"pages": [{}]},
                  values | {"files": []}, values | {"screens": [{"name": 1}]}):  # fmt: skip
        with pytest.raises(UnusableInput):
            read_report(wrong)


def test_csv_is_a_row_for_each_page_screen_and_tier() -> None:
    """As the csv module reads it; no cell is a formula (OWASP, CSV injection)."""
    report = a_report()
    rows = list(csv.DictReader(io.StringIO(report_csv(report).decode(), newline="")))
    assert len(rows) == len(report.rows)
    first = rows[0]
    assert (first["page"], first["screen"], first["tier"]) == (report.rows[0].page, "phone", "avif")
    assert int(first["saved_opening"]) == int(first["before_opening"]) - int(first["after_opening"]) == 5_100_000
    assert first["measured_after_opening"] == "" and first["state_before"] == "over"
    # 900 kB on 10 Mbit/s after a round trip of 50 ms: 0.05 + 7.2 Mbit / 10 Mbit/s.
    assert float(first["seconds_after (10 Mbit/s)"]) == pytest.approx(0.77)
    assert not any(cell.startswith(("=", "+", "@")) for r in rows for cell in r.values())


def test_markdown_shows_names_as_they_are() -> None:
    """No name is taken for markup, and every row has the cells of its head."""
    text = report_markdown(a_report())
    assert text.startswith("## Image weight of Tea \\& \\<i\\>cake\\</i\\>\n")
    tables = [line for line in text.splitlines() if line.startswith("|")]
    assert {len(re.findall(r"(?<!\\)\|", line)) for line in tables[:8]} == {8}
    assert {len(re.findall(r"(?<!\\)\|", line)) for line in tables[8:]} == {6}
    assert not re.search(r"(?<!\\)<", text)


def test_headlines() -> None:
    """One sentence, in words that fit one page and many."""
    rows = (row("a.html", 74_300_000, 9_100_000), row("b.html", 100, 90))
    assert headline(a_report(rows=rows)) == (
        "On a phone, for browsers that show AVIF, 2 pages weigh 9.1 MB instead of 74.3 MB at opening;"
        " 1 is still over budget."
    )
    assert headline(a_report(rows=rows[1:]), opening=False) == (
        "On a phone, for browsers that show AVIF, 1 page weighs 0.1 kB instead of 0.1 kB scrolled through;"
        " none is over budget."
    )
    assert [plain_bytes(n) for n in (0, 940, 9_949, 9_950, 999_000, 1_000_000, 999_949_000, 3e9)] == [
        "0 kB", "0.9 kB", "9.9 kB", "10 kB", "999 kB", "1.0 MB", "999.9 MB", "3.0 GB",
    ]  # fmt: skip
    assert (less(0, 0), less(100, 25), less(100, 150)) == ("0 %", "75 % less", "50 % more")
    # Something is left.
    assert (less(1000, 3), less(10**9, 1), less(10, 0)) == ("99.7 % less", "99.9 % less", "100 % less")


def test_all_totals_are_there() -> None:
    """One a screen and tier, at opening and scrolled through."""
    assert len(totals(a_report(), opening=True)) == len(totals(a_report(), opening=False)) == 6
