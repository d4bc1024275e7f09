"""Input of any depth and length is read in time that grows with it, and one bad page is that page's fault alone."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress

import pytest

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.errors import PictureError, UnusableInput
from ivory_thistle.core.formats.table import sniff_format
from ivory_thistle.core.formats.tiers import shown_by
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.vector import ballast_bytes, smaller_svg
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.references.source import read_css_source, read_html_source
from ivory_thistle.core.selection.candidates import source_size
from ivory_thistle.core.selection.document import Document
from ivory_thistle.core.selection.loads import PageOnScreens
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.rule_values import CONDITIONS, SETTINGS, SITE_ENTRIES
from ivory_thistle.core.treatment.rules_toml import read_rules

PHONE = DEFAULT_SCREENS[0]


def loads(html: str) -> list[str]:
    """The paths that a page of this markup loads."""
    files = [SiteFile("index.html", "x", len(html)), SiteFile("a.png", "a", 9)]
    site = read_site(files, lambda path: html.encode())
    page = PageOnScreens("index.html", site, lambda path: html.encode())
    return [load.address for load in page.loads(PHONE, shown_by("avif"))]


def test_deep_trees_are_walked() -> None:
    """3,000 elements in one another, with a picture at the bottom."""
    html = "<div>" * 3000 + '<img src=a.png><p style="background:url(a.png)">x'
    assert loads(html) == ["http://site.invalid/a.png"] * 2
    assert len(Document(read_html_source(html.encode())).images) == 1


@pytest.mark.parametrize(
    "html",
    [
        "<img " + " ".join(f"a{n}=1" for n in range(200_000)) + ">",
        "<style " + " ".join(f"a{n}='>'" for n in range(200_000)) + "></style>",
        "".join(f"<html a{n}>" for n in range(200_000)),
    ],
)
def test_more_attributes_than_anybody_writes_are_refused(html: str) -> None:
    """Browsers' tree builders compare each with all others: 250,000 would take minutes."""
    begun = time.thread_time()
    with pytest.raises(UnusableInput, match="more than 1,000 attributes"):
        Document(read_html_source(html.encode()))
    assert time.thread_time() - begun < 10
    assert Document(read_html_source(("<p " + " ".join(f"a{n}" for n in range(1_000))).encode())).images == []


def test_deep_brackets_are_no_condition() -> None:
    """No browser's style sheet nests so; Chromium gives up on them, too."""
    deep = "(" * 5000 + "width" + ")" * 5000
    assert not matches_media(deep, PHONE)
    assert source_size(f"{deep} 10px, calc{deep}, 90px", PHONE) == PHONE.width
    assert matches_media("((((((width))))))", PHONE)


def test_variables_that_double_end() -> None:
    """Each names the one before twice: 2 to the 40th addresses."""
    css = "".join(f"--v{n}: var(--v{n - 1}) var(--v{n - 1});" for n in range(1, 41))
    assert loads(f"<style>p{{--v0: url(a.png);{css}background: var(--v40)}}</style><p>x") == []


def test_variables_that_lead_on_and_on_end() -> None:
    """From element to element, through fallbacks, and inherited by their word at every one of 400."""
    up = "".join(f".v{n} {{--v{n}: var(--v{n - 1})}}" for n in range(1, 400)) + ".v399 {background: var(--v399)}"
    assert loads(f"<style>{up}</style>" + "".join(f"<div class=v{n}>" for n in range(400))) == []
    deep = "var(--x, " * 900 + "url(a.png)" + ")" * 900
    assert loads(f"<style>p {{background: {deep}}}</style><p>x") == []
    inherited = "* {--x: inherit} html {--x: url(a.png)} p {background: var(--x)}"
    assert loads(f"<style>{inherited}</style>{'<div>' * 400}<p>x") == ["http://site.invalid/a.png"]


def test_a_page_that_can_not_be_followed_is_its_own_fault() -> None:
    """The others are read, and it is listed."""
    told: list[str] = []

    def read(path: str) -> bytes:
        if path == "bad.html":
            raise RecursionError
        return b"<img src=a.png>"

    files = [SiteFile(p, p, 9) for p in ("bad.html", "good.html")]
    site = read_site(files, read, on_failure=lambda path, error: told.append(f"{path} {type(error).__name__}"))
    assert [p.path for p in site.pages] == ["bad.html", "good.html"] and told == ["bad.html RecursionError"]
    assert [f.message for f in site.faults] == [
        "bad.html is not audited: its markup can't be followed; RecursionError."
    ]


GROWING: dict[str, Callable[[int], bytes]] = {
    "comments": lambda n: b"<!-- a -->" * n,
    "comments unclosed": lambda n: b"<!-- a " * n,
    "declarations": lambda n: b"<?xml a?>" * n,
    "document types": lambda n: b"<!DOCTYPE svg [" * n,
    "blanks": lambda n: b" " * n + b"<",
}


@pytest.mark.parametrize("name", GROWING)
def test_formats_are_told_in_linear_time(name: str) -> None:
    """Twice the input takes at most some three times as long; thirty comments once took longer than a day."""
    took = []
    for n in (100, 200, 400):
        data = GROWING[name](n)[:4096]
        begun = time.thread_time()
        for _ in range(20):
            assert sniff_format(data) is None
        took.append(time.thread_time() - begun)
    assert took[-1] < 0.5


def test_text_that_begins_like_a_picture_is_none() -> None:
    """BM begins a bitmap only before a header of a size that there is; SVG only where its tag is the first."""
    assert sniff_format(b"BMW and other words of more than eighteen letters") is None
    assert sniff_format(b"BM" + b"\0" * 12 + b"\x28\0\0\0" + b"\0" * 40) == "bmp"
    assert (
        sniff_format(b'\xef\xbb\xbf <?xml version="1.0"?>\n<!-- a --><!DOCTYPE svg [<!ENTITY x "<svg">]><svg:svg >')
        == "svg"
    )
    assert sniff_format(b"<html><svg></svg>") is None


def test_numbers_of_any_length_are_numbers_or_none() -> None:
    """5,000 digits in a reference, an attribute, a descriptor or a drawing's side."""
    digits = "9" * 5000
    html = f"""<img src=a.png width={digits} height=1><img srcset="a.png {digits}w, a.png {digits}x, a.png 1.{digits}x">
      <img src="a.png?&#{digits};&#x{digits};&{"a" * 50_000}">"""
    assert [a.split("?")[0] for a in loads(html)] == ["http://site.invalid/a.png"] * 3
    for sides in (
        f'width="{digits}"',
        'width="1.2.3"',
        'height="."',
        'viewBox="0 0 1e999 1e999"',
        'viewBox="0 0 . 1.1.1"',
    ):
        facts, _ = read_facts("a.svg", f'<svg xmlns="http://www.w3.org/2000/svg" {sides}></svg>'.encode())
        assert facts is not None and 0 <= facts.width <= 1_000_000 and 0 <= facts.height <= 1_000_000


def test_lines_are_counted_once() -> None:
    """20,000 pictures in one sheet of 20,000 lines: each knows its line without counting from the top."""
    source = read_css_source(b"p{background:url(a.png)}\n" * 20_000)
    begun = time.thread_time()
    lines = [source.line_of(n * 25) for n in range(20_000)]
    assert lines == list(range(1, 20_001)) and time.thread_time() - begun < 1


SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">'
DRAWINGS: dict[str, Callable[[int], bytes]] = {
    "comments": lambda n: SVG + b"<!--" * n,
    "metadata": lambda n: SVG + b"<metadata>" * n,
    "texts": lambda n: SVG + b"<text/>" * n + b"</svg>",
    "styles": lambda n: SVG + b"<style/>" * n + b"</svg>",
    "foreign": lambda n: SVG + b"<a:b>" * n,
    "types": lambda n: SVG + b"<!DOCTYPE x [" * n,
}


@pytest.mark.parametrize("name", DRAWINGS)
def test_drawings_are_followed_in_linear_time_or_not_at_all(name: str) -> None:
    """40,000 elements or comments that nothing closes."""
    begun = time.thread_time()
    ballast_bytes(DRAWINGS[name](40_000))
    with suppress(PictureError):
        smaller_svg(DRAWINGS[name](40_000))
    assert time.thread_time() - begun < 3


def test_a_drawing_with_filters_is_not_drawn() -> None:
    """A blur of a blur of a blur may take for ever: the drawing stays as it is, and says why."""
    blur = b'<feMorphology operator="dilate" radius="9999"/><feGaussianBlur stdDeviation="9999"/>' * 50
    drawing = (
        SVG + b'<!-- a --><filter id="f">' + blur + b'</filter><rect width="9" height="9" filter="url(#f)"/></svg>'
    )
    found = smaller_svg(drawing)
    assert found.data == drawing
    assert found.words == ("It holds filters, which may take any time to draw: it stays as it is.",)


ODD_VALUES = [
    "9" * 5_000, f"0x{'f' * 5_000}", "9_223_372_036_854_775_807", "nan", "-inf", "1e400", "1979-05-27T07:32:00Z", "true",
    "[" * 2_000, f"[{'1,' * 400}]", "[[]]", "{}", "{content = {x = 1}}", '"' + "a" * 3_000 + '"', '"""\na\n"""',
    '"\\u0000"',
]  # fmt: skip


@pytest.mark.parametrize("read", [read_rules, Policy.from_toml])
def test_any_toml_is_taken_or_refused_in_a_line(read: Callable[[str], object]) -> None:
    """Whatever an entry says: numbers of any length, depth, infinities, dates, texts of many lines."""
    tables = ("[all]", "[site]", "[[rule]]\nrole = 'content'", "[page]", "[[pages]]\npattern = 'a'", "[caps.hero]", "")
    entries = {
        *SETTINGS,
        *SITE_ENTRIES,
        *CONDITIONS,
        "bytes",
        "requests",
        "screen",
        "pages",
        "caps",
        '"a\\nb"',
        "x" * 9_999,
    }
    for table in tables:
        for entry in entries:
            for value in ODD_VALUES:
                try:
                    read(f"{table}\n{entry} = {value}")
                except UnusableInput as error:
                    assert len(str(error)) < 1_000 and "\n" not in str(error), (table, entry, value[:40])
