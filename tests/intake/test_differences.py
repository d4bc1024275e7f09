"""What changed is told from what moves by itself, by a second look at a page before the change."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ivory_thistle.intake.differences import Box, Difference, Seen, differences, restless

TITLE, PICTURE = Box("h1", 0, 20, 390, 38), Box("img", 0, 100, 390, 260)


def told(new: list[Box], again: list[Box] | None = None) -> list[Difference]:
    """Of a title with a picture below it."""
    others = [Seen(again)] if again else []
    return differences("a.html", "phone", Seen([TITLE, PICTURE]), Seen(new), others)


def test_what_moves_by_itself_may_be_anywhere() -> None:
    """A title that swings is somewhere else at each look; what stands still is held against the page all the same."""
    swung, elsewhere = replace(TITLE, x=12), replace(TITLE, x=-7)
    assert [d.moved for d in told([elsewhere, PICTURE])] == [1]
    assert told([elsewhere, PICTURE], again=[swung, PICTURE]) == []
    smaller = replace(PICTURE, width=300)
    assert [(d.moved, d.images) for d in told([elsewhere, smaller], again=[swung, PICTURE])] == [(1, (0,))]


def test_the_size_of_what_moves_by_itself_counts() -> None:
    """A picture that slides is still as large as it was, unless its size changes by itself as well."""
    slid, resized = replace(PICTURE, x=-390), replace(PICTURE, width=380)
    small = replace(PICTURE, x=-180, width=200)
    assert [d.images for d in told([TITLE, small], again=[TITLE, slid])] == [(0,)]
    assert told([TITLE, replace(PICTURE, x=-180)], again=[TITLE, slid]) == []
    assert told([TITLE, small], again=[TITLE, resized]) == []
    elsewhere = replace(TITLE, x=9)
    assert [(d.moved, d.images) for d in told([elsewhere, small], again=[TITLE, resized])] == [(1, ())]


@pytest.mark.parametrize(
    ("again", "images"),
    [
        ([TITLE, PICTURE], None),
        ([replace(TITLE, x=9, width=200), replace(PICTURE, y=140)], None),
        ([TITLE, replace(PICTURE, width=234)], (0,)),
        ([TITLE], ()),
    ],
)
def test_what_cannot_be_compared(again: list[Box], images: tuple[int, ...] | None) -> None:
    """Images that are resized by themselves are named; of a page with other boxes, all is in doubt (no names)."""
    doubts = restless("a.html", "phone", Seen([TITLE, PICTURE]), [Seen(again)])
    assert [(d.images, d.comparable) for d in doubts] == ([] if images is None else [(images, False)])


def test_loads_and_messages_of_both_looks_are_known() -> None:
    """A slide show may have loaded one picture more at the second look."""
    old, again = Seen([TITLE], images={"a": 5}), Seen([TITLE], images={"a": 5, "b": 7})
    again.messages["error: it failed"] = 1
    assert len(differences("a.html", "phone", old, again)) == 3
    assert differences("a.html", "phone", old, again, [again]) == []
