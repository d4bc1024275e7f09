"""What measured boxes change in the markup: `sizes`, and when a picture is loaded."""

from __future__ import annotations

import pytest
from test_rewriting import deliveries_of, rewrite

from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.rewriting.elements import Timing
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewriter

SIZES = "(max-width: 599px) calc(100vw - 32px), 480px"


def with_boxes(page: str, sizes: str = "", timing: Timing | None = None, most: Form = Form.FREE) -> str:
    """The page's new text where all its `img`s were measured alike."""
    starts = [n for n in range(len(page)) if page.startswith("<img", n)]
    limits = Limits(most)
    limits.sizes["index.html"] = dict.fromkeys(starts, sizes) if sizes else {}
    limits.timing["index.html"] = dict.fromkeys(starts, timing) if timing else {}
    return rewrite(page, limits=Limits.from_dict(limits.as_dict()))[0]


def test_measured_sizes_take_the_place_of_guesses() -> None:
    """On the `img` and on every source; kept in the database and back."""
    new = with_boxes("<img src=a.jpg alt=x>", SIZES)
    assert new.count(f'sizes="{SIZES}"') == 3
    assert "1000px" not in new


def test_sizes_that_were_written_give_way_to_measured_ones() -> None:
    """Of a picture's candidates too; media of sources stay."""
    page = (
        '<picture><source media="(min-width: 900px)" srcset="a.jpg 1000w" sizes="90vw">'
        '<img src=a.jpg srcset="a.jpg 1000w" sizes=100vw alt=x></picture>'
    )
    look = Look("photograph", "", {}, None, "0" * 16)
    facts = ImageFacts("jpeg", 1000, 500, 100_000, "a.jpg")
    files = [SiteFile("index.html", "x", len(page)), SiteFile("a.jpg", "a.jpg", 100_000, facts, look)]
    site = read_site(files, lambda path: page.encode())
    limits = Limits(Form.FREE, sizes={"index.html": {page.index("<img"): SIZES}})
    done = SiteRewriter(site, deliveries_of(site), lambda path: page.encode()).rewrite(limits)
    new = done.texts["index.html"].decode()
    assert "90vw" not in new and "sizes=100vw" not in new
    assert new.count(f'sizes="{SIZES}"') == new.count("500w") == 6
    assert new.count('media="(min-width: 900px)"') == 3, "the img's own sources have none"


@pytest.mark.parametrize(("css", "told"), [("", False), (" style='width:300px'", True)])
def test_a_safer_form_asks_by_boxes_only_where_these_are_fixed(css: str, told: bool) -> None:
    """Else the size that a picture has by itself might change with its sizes."""
    new = with_boxes(f"<img src=a.jpg alt=x{css}>", SIZES, most=Form.STEADY)
    assert (SIZES in new) == told


def test_the_largest_of_the_first_screen_is_loaded_at_once() -> None:
    """A lazy one is mended; what its author said of its priority stays."""
    lazy = "<img src=a.jpg alt=x width=1000 height=500 loading=LAZY>"
    assert 'loading="eager"' in with_boxes(lazy, timing=Timing.FIRST)
    assert 'fetchpriority="high"' in with_boxes(lazy, timing=Timing.FIRST)
    said = "<img src=a.jpg alt=x fetchpriority=low>"
    assert "high" not in with_boxes(said, timing=Timing.FIRST)


@pytest.mark.parametrize(
    ("page", "timing", "later"),
    [
        ("<img src=a.jpg alt=x width=1000 height=500>", Timing.LATER, True),
        ("<img src=a.jpg alt=x width=1000 height=500>", Timing.SOON, False),
        ("<img src=a.jpg alt=x width=1000 height=500>", None, False),
        ("<img src=a.jpg alt=x style='width:50%'>", Timing.LATER, False),
        ("<img src=a.jpg alt=x width=1000 height=500 loading=eager>", Timing.LATER, False),
        ("<img src=a.jpg alt=x width=1000 height=500 onload='this.src=1'>", Timing.LATER, False),
    ],
)
def test_what_no_first_screen_shows_comes_later(page: str, timing: Timing | None, later: bool) -> None:
    """Only where its place is kept free, and where nobody said otherwise; then nothing waits for its decoding either."""
    assert ('loading="lazy" decoding="async"' in with_boxes(page, timing=timing)) == later
    said = page.replace("alt=x", "alt=x decoding=sync")
    assert 'decoding="async"' not in with_boxes(said, timing=timing)


def test_an_image_that_stays_is_not_touched() -> None:
    """Where a browser found that nothing may change, the time of its loading does not either."""
    page = "<img src=a.jpg alt=x width=1000 height=500 loading=lazy>"
    assert with_boxes(page, SIZES, Timing.FIRST, Form.LEFT) == page
