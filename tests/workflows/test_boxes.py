"""Measured boxes as what a page's `img`s need."""

from __future__ import annotations

from pathlib import Path

from ivory_thistle.core.rewriting.elements import Timing
from ivory_thistle.core.rewriting.site import Limits
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.sweeping import SweptImage, SweptPage
from ivory_thistle.workflows.boxes import take_boxes
from ivory_thistle.workflows.reading import read_folder
from pictures import encoded, photograph

PHONE = frozenset({"phone"})


def swept(
    src: str, *widths: float, first: frozenset[str] = frozenset(), largest: frozenset[str] = frozenset()
) -> SweptImage:
    """An `img` that was measured on two screens."""
    return SweptImage(src, tuple(zip((320, 1280), widths, strict=True)), first, largest)


def taken(tmp_path: Path, page: str, *images: SweptImage) -> tuple[dict[int, str], dict[int, Timing]]:
    """What is noted for the page, by the order of its `img`s."""
    (tmp_path / "index.html").write_text(page)
    for name in ("a.jpg", "b.jpg"):
        size = (300, 200) if name == "a.jpg" else (150, 100)
        (tmp_path / name).write_bytes(encoded(photograph("coffee").resize(size), "JPEG"))
    site = read_folder(Folder(tmp_path))
    starts = [n for n in range(len(page)) if page.startswith("<img", n)]
    limits = Limits()
    take_boxes(limits, site.pages[0], starts, SweptPage(images), DEFAULT_SCREENS)
    sizes, timing = (found.get("index.html", {}) for found in (limits.sizes, limits.timing))
    order = {at: n for n, at in enumerate(starts)}
    return {order[at]: s for at, s in sizes.items()}, {order[at]: t for at, t in timing.items()}


def test_images_of_one_file_get_the_same_sizes(tmp_path: Path) -> None:
    """Those of the widest, so that the file is loaded once; another file has its own."""
    page = "<img src=a.jpg><img src=b.jpg><img src=a.jpg>"
    sizes, _ = taken(tmp_path, page, swept("a.jpg", 100, 100), swept("b.jpg", 90, 90), swept("a.jpg", 250, 250))
    assert sizes == {0: "250px", 1: "90px", 2: "250px"}


def test_a_file_among_the_sources_of_a_picture_counts_too(tmp_path: Path) -> None:
    """What a source shows is shown in its picture's box."""
    page = "<picture><source srcset=a.jpg><img src=b.jpg></picture><img src=a.jpg>"
    sizes, _ = taken(tmp_path, page, swept("b.jpg", 120, 120), swept("a.jpg", 60, 60))
    assert sizes == {0: "120px", 1: "120px"}


def test_other_images_than_the_sources_tell_nothing(tmp_path: Path) -> None:
    """Where a script has added, taken away or changed some, no box is known to be whose."""
    assert taken(tmp_path, "<img src=a.jpg>", swept("a.jpg", 9, 9), swept("b.jpg", 9, 9)) == ({}, {})
    assert taken(tmp_path, "<img src=a.jpg>", swept("b.jpg", 9, 9)) == ({}, {})


def test_when_each_is_wanted(tmp_path: Path) -> None:
    """By what the first screens show; one that some width does not show at all is left as it is."""
    page = "<img src=a.jpg><img src=b.jpg><img src=b.jpg><img src=b.jpg>"
    images = (
        swept("a.jpg", 300, 300, first=PHONE, largest=PHONE), swept("b.jpg", 90, 90, first=PHONE),
        swept("b.jpg", 90, 90), swept("b.jpg", 90, 0),
    )  # fmt: skip
    assert taken(tmp_path, page, *images)[1] == {0: Timing.FIRST, 1: Timing.SOON, 2: Timing.LATER}


def test_where_screens_differ_much_none_is_the_first(tmp_path: Path) -> None:
    """Three largest pictures: none is told to be more urgent than the others."""
    page = "<img src=a.jpg>" * 3
    images = [swept("a.jpg", 9, 9, first=PHONE, largest=frozenset({name})) for name in ("phone", "tablet", "desktop")]
    assert set(taken(tmp_path, page, *images)[1].values()) == {Timing.SOON}
