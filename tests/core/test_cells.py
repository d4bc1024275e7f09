"""CSV of ours opened in a spreadsheet: no cell is a formula, and what is read again is what was written."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ivory_thistle.core.cells import as_it_was, csv_of, harmless
from ivory_thistle.core.reports.as_csv import report_csv
from ivory_thistle.core.reports.savings import PageSavings, Savings, savings_csv
from ivory_thistle.core.wording.renaming import redirects
from ivory_thistle.workflows.wording import WordingRow, read_wording, wording_csv
from made_up_report import a_report

# What OWASP names: https://owasp.org/www-community/attacks/CSV_Injection
BEGINNINGS = ("=", "+", "-", "@", "\t", "\r", "\n")


def cells(data: bytes) -> list[list[str]]:
    return list(csv.reader(io.StringIO(data.decode(), newline="")))


@pytest.mark.parametrize("beginning", BEGINNINGS)
def test_no_text_begins_like_a_formula(beginning: str) -> None:
    """Whatever follows; a number below zero stays a number."""
    ((text, number, plain),) = cells(csv_of([[f"{beginning}1+cmd|' /C calc'!A0", -5, "plain"]]))
    assert text == f"'{beginning}1+cmd|' /C calc'!A0" and (number, plain) == ("-5", "plain")


@given(st.text())
def test_what_was_made_harmless_comes_back(text: str) -> None:
    """Also a text that began with an apostrophe by itself."""
    assert as_it_was(harmless(text)) == text
    assert not harmless(text).startswith(BEGINNINGS)


def test_words_go_through_a_spreadsheet_and_back() -> None:
    """Decisions about files and pages with such names reach them."""
    row = WordingRow("alternative", "=page.html", "@picture.jpg", 1, "+1 for the dome")
    data = wording_csv([row])
    assert not any(cell.startswith(BEGINNINGS) for line in cells(data) for cell in line)
    assert read_wording(data).alternatives == {("=page.html", "@picture.jpg"): "+1 for the dome"}


def test_every_table_of_ours_is_harmless() -> None:
    """The report, the savings, the redirects."""
    page = PageSavings("=HYPERLINK(1)", 1, dict.fromkeys(("avif", "webp", "baseline"), 1))
    savings = Savings(1, dict.fromkeys(("avif", "webp", "baseline"), 1), (page,))
    tables = [savings_csv(savings), redirects({"=a.png": "=b.png"})["redirects.csv"], report_csv(a_report())]
    for table in tables:
        for line in cells(table):
            assert not any(cell.startswith(BEGINNINGS) and not cell.lstrip("-").isdigit() for cell in line), line
