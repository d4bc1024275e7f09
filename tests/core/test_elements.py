"""Which images of a page a browser sees, the states of budgets, and what a plan leaves alone."""

from __future__ import annotations

import pytest

from ivory_thistle.core.budgets.budget import Budget, state_of
from ivory_thistle.core.references.addresses import FileIndex, page_address
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.candidates import SourceElement
from ivory_thistle.core.selection.elements import image_elements, loaded_file
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, SHOWN

PHONE, _, _, DESKTOP = DEFAULT_SCREENS


def test_images_in_source_order_with_their_sources() -> None:
    """Sources count for the picture they stand in; noscript and template are not loaded."""
    html = (
        "<img src=a loading=LAZY><picture><source srcset=b media=print type=image/webp sizes=1px><img src=c></picture>"
        "<img src=d><noscript><img src=no></noscript><template><picture><img src=no></picture></template><source srcset=no><img srcset='e 2x'>"
    )
    found = list(image_elements(read_html_source(html.encode())))
    assert [(e.src, e.srcset, e.lazy) for e in found] == [
        ("a", None, True),
        ("c", None, False),
        ("d", None, False),
        (None, "e 2x", False),
    ]
    assert found[1].sources == (SourceElement("b", "1px", "print", "image/webp"),)
    assert [len(e.sources) for e in found] == [0, 1, 0, 0]


def test_the_file_that_is_loaded_depends_on_screen_and_tier() -> None:
    """Down to the site's file; another host's picture is none of ours."""
    html = (
        "<picture><source type=image/avif srcset='a.avif 480w, b.avif 1600w'><img src=c.jpg srcset='c.jpg 1x, d.jpg 3x'></picture>"
        "<img src=//other.example/x.jpg>"
    )
    index = FileIndex(["p/a.avif", "p/b.avif", "p/c.jpg", "p/d.jpg"])
    first, second = image_elements(read_html_source(html.encode()))
    base = page_address("p/page.html")
    assert loaded_file(first, base, index, PHONE, SHOWN["avif"]) == "p/b.avif"
    assert loaded_file(first, base, index, DESKTOP, SHOWN["webp"]) == "p/c.jpg"
    assert loaded_file(first, base, index, PHONE, SHOWN["baseline"]) == "p/d.jpg"
    assert loaded_file(second, base, index, PHONE, SHOWN["avif"]) is None


@pytest.mark.parametrize(
    ("used", "state"),
    [(0, "within"), (4_249_999, "within"), (4_250_000, "near"), (5_000_000, "near"), (5_000_001, "over")],
)
def test_budget_states(used: int, state: str) -> None:
    """Near from 85 % of the budget, over beyond it; the defaults are those of the trade (common practice, no source)."""
    assert state_of(used, Budget().page_bytes) == state
    assert Budget().image_bytes == 300_000
