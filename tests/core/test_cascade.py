"""What style sheets paint, by the cascade alone: no browser needed to say why a rule wins."""

from __future__ import annotations

from collections.abc import Mapping

import pytest
import tinycss2

from css_variables import VARIABLES
from ivory_thistle.core.formats.tiers import shown_by, shown_by_chromium
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.cascade import RuleReader, read_declarations
from ivory_thistle.core.selection.css_pictures import image_set_option
from ivory_thistle.core.selection.css_validity import supported
from ivory_thistle.core.selection.document import Document
from ivory_thistle.core.selection.paint import Painter
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen

PHONE, TABLET, LAPTOP, DESKTOP = DEFAULT_SCREENS
BASE = "http://site.invalid/"


def painted(
    css: str, html: str = "<p>", screen: Screen = DESKTOP, sheets: Mapping[str, str] | None = None
) -> list[str]:
    """The pictures that a sheet at the site's root paints on a page, without the site's origin."""
    held = {f"{BASE}{name}": text for name, text in (sheets or {}).items()}
    reader = RuleReader(held.get)
    reader.read(css, BASE)
    document = Document(read_html_source(f"<!doctype html>{html}".encode()))
    found = Painter(document, reader.rules, BASE).paint(screen, shown_by_chromium()).painted
    return [p.address.removeprefix(BASE) for p in found]


def bg(name: str) -> str:
    """A background declaration."""
    return f"background: url({name})"


# https://drafts.csswg.org/css-cascade-5/#cascade-sort and https://drafts.csswg.org/selectors-4/#specificity-rules ,
# worked by hand.
WINNERS = [
    (f"p {{{bg('a')}}} p {{{bg('b')}}}", "<p>", ["b"]),
    (f".x {{{bg('a')}}} p {{{bg('b')}}}", "<p class=x>", ["a"]),
    (f"#i {{{bg('a')}}} .x.x.x {{{bg('b')}}}", "<p id=i class=x>", ["a"]),
    (f":is(#i, p) {{{bg('a')}}} .x {{{bg('b')}}}", "<p class=x>", ["a"]),
    (f":where(#i, p) {{{bg('a')}}} p {{{bg('b')}}}", "<p>", ["b"]),
    (f"p {{{bg('a')} !important}} #i {{{bg('b')}}}", "<p id=i>", ["a"]),
    (f"p {{{bg('a')}}}", f"<p style='{bg('b')}'>", ["b"]),
    (f"p {{{bg('a')} !important}}", f"<p style='{bg('b')}'>", ["a"]),
    (f"p {{{bg('a')}}} p {{background-image: none}}", "<p>", []),
    (f"p {{background-image: none}} p {{{bg('a')}, url(b)}}", "<p>", ["a", "b"]),
    (f"@layer one, two; @layer two {{p {{{bg('a')}}}}} @layer one {{#i {{{bg('b')}}}}}", "<p id=i>", ["a"]),
    (f"@layer one {{#i {{{bg('a')}}}}} p {{{bg('b')}}}", "<p id=i>", ["b"]),
    (f"@layer one {{p {{{bg('a')} !important}}}} #i {{{bg('b')} !important}}", "<p id=i>", ["a"]),
    (f"@layer a {{@layer b {{p {{{bg('in')}}}}} p {{{bg('own')}}}}}", "<p>", ["own"]),
    (f"p {{& .q {{{bg('a')}}} .r & {{{bg('b')}}}}}", "<div class=r><p><b class=q></b>", ["b", "a"]),
    (f"@media print {{p {{{bg('a')}}}}} @media screen and (width > 1000px) {{p {{{bg('b')}}}}}", "<p>", ["b"]),
    (f"p, ::unknown-thing, q {{{bg('a')}}}", "<p>", ["a"]),
    (f"p::before {{{bg('a')}}} q::before {{content: ''; {bg('b')}}}", "<p><q>", ["b"]),
    ("ul {list-style: square url(a)} li {border-image: url(b) 3; mask: url(c)}", "<ul><li>", ["a", "b", "c"]),
    (f"p {{display: none; {bg('a')}}} p b {{{bg('b')}}}", "<p><b></b>", []),
    (f"[hidden] {{display: block}} p {{{bg('a')}}}", "<p hidden>", ["a"]),
    (f"@container (width > 1px) {{p {{{bg('a')}}}}} p:hover {{{bg('b')}}}", "<p>", []),
]


@pytest.mark.parametrize(("css", "html", "expected"), WINNERS, ids=[w[0][:60] for w in WINNERS])
def test_only_the_winner_is_painted(css: str, html: str, expected: list[str]) -> None:
    """Specificity, order, importance, layers, conditions, nesting, boxes."""
    assert painted(css, html) == expected


def test_media_decide_for_each_screen() -> None:
    """The same rules, asked for four screens."""
    css = f"p {{{bg('wide')}}} @media (max-width: 600px) {{p {{{bg('narrow')}}}}} @media (min-resolution: 2x) and (min-width: 800px) {{p {{{bg('dense')}}}}}"
    assert [painted(css, screen=s) for s in DEFAULT_SCREENS] == [["narrow"], ["dense"], ["dense"], ["wide"]]


def test_imports_bring_conditions_layers_and_their_own_base() -> None:
    """Each import where it stands; a circle ends; one behind a rule does not count."""
    sheets = {
        "css/a.css": "@import 'b.css'; p {background: url(a.png)}",
        "css/b.css": "@import 'a.css'; q {background: url(../b.png)}",
        "c.css": "b {background: url(c.png)}",
        "late.css": "i {background: url(late.png)}",
        "print.css": "u {background: url(print.png)}",
    }
    css = (
        "@import url(css/a.css) layer(base) supports(display: grid) screen; @import 'c.css' supports(not (display: grid));"
        "@import 'print.css' print; p {color: red} @import 'late.css';"
    )
    assert painted(css, "<p><q><b><i><u>", sheets=sheets) == ["css/a.png", "b.png"]
    over = css + "p {background: url(own.png)}"
    assert painted(over, "<p id=x>", sheets=sheets) == ["own.png"]


@pytest.mark.parametrize(("css", "expected"), VARIABLES)
def test_custom_properties(css: str, expected: list[str]) -> None:
    """Inherited as computed, overridden, with fallbacks; a cycle has no value; names keep their case."""
    assert painted(css) == expected


# https://drafts.csswg.org/css-images-4/#image-set-notation
SETS = [
    ("'a' 1x, 'b' 2x", 1, "a"),
    ("'a' 1x, 'b' 2x", 2, "b"),
    ("'a' 1x, 'b' 2x", 3, "b"),
    ("'b' 2x, 'a' 1x", 1, "a"),
    ("url(a) 96dpi, url(b) 2dppx", 1.5, "b"),
    ("'a' type('image/avif'), 'b' type('image/webp'), 'c'", 1, "b"),
    ("'a' type('image/foo')", 1, None),
    ("'a', 'b'", 1, "a"),
    ("", 1, None),
]


@pytest.mark.parametrize(("options", "density", "expected"), SETS)
def test_options_of_an_image_set(options: str, density: float, expected: str | None) -> None:
    """Resolution first, then the order; what the browser does not show is left out."""
    arguments = tinycss2.parse_component_value_list(options, skip_comments=True)
    assert image_set_option(arguments, Screen("any", 800, 600, density), shown_by("webp")) == expected


# https://drafts.csswg.org/css-conditional-3/#at-supports
CONDITIONS = [
    ("(display: grid)", True), ("not (display: grid)", False), ("(float: b) and (color: d)", True),
    ("(float: b) and (not (color: d))", False), ("(not (float: b)) or (color: d)", True), ("((float: b))", True),
    ("(foo: bar)", False), ("(background: foo(url(a)))", False), ("(background: url(a))", True), ("(transform: scale(2))", True), ("(--own: foo(url(a)))", True), ("(grid-template: repeat(2, 1fr) / minmax(0, 1fr))", True), ("(display: grid) and (not (foo: bar))", True), ("(--own: x)", True), ("(-webkit-mask: x)", True), ("selector(a > b)", True), ("", False), ("foo", False),
]  # fmt: skip


@pytest.mark.parametrize(("condition", "expected"), CONDITIONS)
def test_supports(condition: str, expected: bool) -> None:
    """For a browser that knows what Chromium knows."""
    assert supported(tinycss2.parse_component_value_list(condition)) is expected


def test_functions_of_layout_void_nothing() -> None:
    """What is known of functions is known of pictures; other properties have theirs, and custom ones any."""
    text = "grid-template: repeat(2, 1fr); transform: scale(2); --own: foo(url(a)); background: foo(url(a)); width: -moz-calc(1px)"
    read = read_declarations(text, BASE, lambda name: True)
    assert [d.property for d in read] == ["grid-template", "transform", "--own"]
