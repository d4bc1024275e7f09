"""Sizes, media conditions and candidates, by the standards' own words."""

from __future__ import annotations

import pytest

from ivory_thistle.core.formats.tiers import TIERS, shown_by
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.candidates import SourceElement, best_candidate, choose, source_size
from ivory_thistle.core.selection.markup_faults import markup_faults
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen

PHONE, TABLET, LAPTOP, DESKTOP = DEFAULT_SCREENS
SCREEN = Screen("test", 600, 400, 2)


@pytest.mark.parametrize(
    ("query", "expected"),
    [
        ("", True),
        ("all", True),
        ("print", False),
        ("not print", True),
        ("only screen and (min-width: 600px)", True),
        ("(min-width: 601px)", False),
        ("(max-width: 37.5em)", True),
        ("(width: 600px) and (orientation: landscape)", True),
        ("(orientation: portrait) or (height < 401px)", True),
        ("(400px <= width < 600px)", False),
        ("(400px <= width <= 600px)", True),
        ("(600px >= width)", True),
        ("(width > 400px) and (width < 700px) or (height)", False),
        ("not (width < 500px)", True),
        ("(min-resolution: 1.5dppx), print", True),
        ("(min-resolution: 193dpi)", False),
        ("(-webkit-min-device-pixel-ratio: 2)", True),
        ("(aspect-ratio: 3/2)", True),
        ("(prefers-color-scheme: dark)", False),
        ("(unknown: 3px)", False),
        ("not (unknown: 3px)", False),
        ("(unknown) or (width)", True),
        ("(min-width: calc(500px + 5em))", True),
        ("screen and", False),
        ("and (width)", False),
        ("(width) and (not (color))", False),
    ],
)
def test_media_queries(query: str, expected: bool) -> None:
    """Media Queries 5: types, not/and/or, ranges, units, unknown features (worked by hand from the grammar)."""
    assert matches_media(query, SCREEN) is expected


@pytest.mark.parametrize(
    ("sizes", "expected"),
    [
        (None, 600),
        ("", 600),
        ("50vw", 300),
        ("(max-width: 600px) 90vw, 500px", 540),
        ("(max-width: 500px) 90vw, 500px", 500),
        ("calc(100vw - 2em)", 568),
        ("50%, 320px", 320),
        ("-10px, 77px", 77),
        ("min(400px, 50vw)", 300),
        ("clamp(100px, 10vw, 200px)", 100),
        ("(unknown) 10px, 20px", 20),
        ("0", 0),
        ("10vmin, 5px", 40),
        ("1in", 96),
        ("foo, bar 3px, 44px", 44),
    ],
)
def test_source_sizes(sizes: str | None, expected: float) -> None:
    """https://html.spec.whatwg.org/#parse-a-sizes-attribute , worked by hand."""
    assert source_size(sizes, SCREEN) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("src", "srcset", "sizes", "expected"),
    [
        ("a", None, None, ("a", 1.0)),
        ("a", "b 2x", None, ("b", 2.0)),
        ("a", "b 600w, c 1200w", "100vw", ("c", 2.0)),
        ("a", "b 600w, c 1200w, d 2400w", "50vw", ("b", 2.0)),
        ("a", "b 400w", None, ("b", 400 / 600)),
        ("", "b 1x, c 1x", None, ("b", 1.0)),
        ("a", "", None, ("a", 1.0)),
        (None, None, None, None),
        ("a", "b 1.4x, c 3x", None, ("c", 3.0)),
    ],
)
def test_candidates(src: str | None, srcset: str | None, sizes: str | None, expected: tuple[str, float] | None) -> None:
    """The set by the standard; the pick as Chromium makes it (proved against it in tests/browser)."""
    assert best_candidate(src, srcset, sizes, SCREEN) == expected


def test_picture_takes_the_first_source_that_fits() -> None:
    """By media, then by type for the tier; a source without candidates is passed over."""
    sources = [
        SourceElement("", media="all"),
        SourceElement("wide.avif", media="(min-width: 1000px)", type="image/avif"),
        SourceElement("small.avif", type="image/avif"),
        SourceElement("small.webp", type="image/webp;x=1"),
    ]
    chosen = {t: choose("a.jpg", None, None, sources, PHONE, shown_by(t)) for t in TIERS}
    assert {t: c.address for t, c in chosen.items() if c} == {
        "avif": "small.avif",
        "webp": "small.webp",
        "baseline": "a.jpg",
    }
    wide = choose("a.jpg", None, None, sources, DESKTOP, shown_by("avif"))
    assert wide is not None and (wide.address, wide.source) == ("wide.avif", 1)


FAULTS = [
    (
        '<img src=x srcset="a 1x, b 100w" sizes=1px>',
        ["The srcset mixes widths (w) with densities (x); a is not chosen as meant."],
    ),
    ('<img src=x srcset="a 2x, b 2x">', ["b is never used: a is labelled 2x too."]),
    ('<img src=x srcset="a, b 1x">', ["b is never used: a is labelled 1x too."]),
    ('<img src=x srcset="a 0x">', ["a is labelled 0x, a density that no screen has."]),
    (
        '<img src=x srcset="a 200q, b 2x">',
        ["a has the unusable descriptor 200q. Browsers leave this candidate out."],
    ),
    (
        '<img src=x srcset="a 100w">',
        ["A srcset of widths without sizes: browsers take the image to fill the whole width (100vw)."],
    ),
    ('<img src=x srcset="a 2x" sizes=9px>', ["sizes counts only where the srcset labels widths (w)."]),
    ('<img src=x srcset="a 9w" sizes="50%, 9px">', ['The part "50%" of sizes is skipped: it gives no length.']),
    (
        '<img src=x srcset="a 9w" sizes="auto, 9px">',
        ['The part "auto" of sizes is skipped: auto works only with loading=lazy.'],
    ),
    ('<img src=x srcset="a 9w" sizes="auto, 9px" loading=lazy>', []),
    (
        '<img src=x srcset="a 9w" sizes="(wide) 9px, 8px">',
        ['The part "(wide) 9px" of sizes is skipped: its condition is not understood.'],
    ),
    ('<img src=x srcset="">', ["A srcset without any candidate is as if there were none."]),
    ('<img srcset="a 2x">', ["An img with a srcset but no src shows nothing where srcset is unknown."]),
    ("<picture><p>x</picture>", ["A picture without an img shows nothing."]),
    (
        "<picture><img src=x><source srcset=a></picture>",
        ["A source behind the img of its picture is never used; put it before."],
    ),
    (
        "<picture><source src=a><img src=x></picture>",
        ["A source of a picture needs a srcset; without one it is skipped. Its src counts only in video and audio."],
    ),
    (
        "<picture><source srcset=a><source srcset=b type=image/webp><img src=x></picture>",
        ["A source before this one is always taken, so this one is never used."],
    ),
    (
        '<picture><source srcset=a media="min-width: 9px"><img src=x></picture>',
        ['The media condition "min-width: 9px" is not understood and never matches.'],
    ),
    (
        "<picture><source srcset=a type=image/foo><img src=x></picture>",
        ['No browser shows the type "image/foo", so this source is never used.'],
    ),
    ("<picture><source srcset='a 1x, b 2x' type=image/webp><img src=x></picture><video><source src=v></video>", []),
]


@pytest.mark.parametrize(("html", "expected"), FAULTS, ids=[f[0][:50] for f in FAULTS])
def test_faults_of_markup_are_told_with_their_consequence(html: str, expected: list[str]) -> None:
    """Whole sentences, on the line where the fault stands."""
    found = markup_faults("p.html", read_html_source(f"<!doctype html>\n{html}".encode()))
    assert [f.message for f in found] == expected
    assert {f.line for f in found} <= {2}
