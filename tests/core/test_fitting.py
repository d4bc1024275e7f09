"""`sizes` from measured boxes: exact for layouts that are made of straight pieces, and never too small for any."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from ivory_thistle.core.rewriting.fitting import fit_sizes, widest_of
from ivory_thistle.core.selection.candidates import source_size
from ivory_thistle.core.selection.screen import Screen

SCREENS = (320, 360, 390, 480, 560, 599, 600, 720, 767, 768, 900, 1023, 1024, 1200, 1440, 1920, 2560)


def fitted(box: object) -> str:
    """What is fitted to a box that is a function of the screen's width."""
    return fit_sizes(tuple((screen, box(screen)) for screen in SCREENS))  # type: ignore[operator]


def test_a_box_that_never_changes() -> None:
    """One length."""
    assert fitted(lambda screen: 240.0) == "240px"


def test_a_share_of_the_screen_less_its_margins() -> None:
    """One length too, with the margins as pixels."""
    assert fitted(float) == "100vw"
    assert fitted(lambda screen: screen - 32.0) == "calc(100vw - 32px)"
    assert fitted(lambda screen: screen / 3 - 20) == "calc(33.33vw - 19px)"


def test_layouts_that_change() -> None:
    """A column that becomes two and then stays as it is: a condition for each change, at its very pixel."""

    def box(screen: int) -> float:
        if screen < 600:
            return screen - 32
        return screen / 2 - 24 if screen < 1024 else 500

    said = "(max-width: 599px) calc(100vw - 32px), (max-width: 1023px) calc(50vw - 24px), 500px"
    assert fitted(box) == said


def test_where_it_is_not_shown_nothing_is_asked_for() -> None:
    """A picture that only wide screens show has no condition for narrow ones; one that none shows has no sizes."""
    assert fitted(lambda screen: screen / 4 if screen >= 768 else 0) == "25vw"
    assert fitted(lambda screen: 0) == ""


def test_boxes_of_one_file_are_one() -> None:
    """The wider of two boxes counts at every screen."""
    assert widest_of([[(320, 100.0), (640, 300.0)], [(320, 200.0), (640, 200.0)]]) == ((320, 200.0), (640, 300.0))


BOXES = st.lists(st.floats(0, 2560).map(lambda n: round(n * 64) / 64), min_size=len(SCREENS), max_size=len(SCREENS))


@given(BOXES)
def test_no_box_at_all_gets_too_little(boxes: list[float]) -> None:
    """Whatever the boxes are: at every measured width the length is at least the box, by few conditions."""
    said = fit_sizes(tuple(zip(SCREENS, boxes, strict=True)))
    assert said.count("(max-width") <= 5
    for screen, box in zip(SCREENS, boxes, strict=True):
        if said:
            assert length(said, screen) >= box - 1 / 32, (said, screen, box)


@given(st.lists(st.tuples(st.integers(5, 100), st.integers(-60, 0)), min_size=1, max_size=4), st.data())
def test_layouts_of_straight_pieces_get_hardly_more_than_they_need(
    pieces: list[tuple[int, int]], data: st.DataObject
) -> None:
    """Shares less margins between up to three changes: never 2 % and a pixel more than the box."""
    count = len(pieces) - 1
    changes = sorted(data.draw(st.sets(st.sampled_from(SCREENS[1:]), min_size=count, max_size=count)))

    def box(screen: int) -> float:
        share, plus = pieces[sum(screen >= change for change in changes)]
        return max(1.0, screen * share / 100 + plus)

    said = fitted(box)
    for screen in SCREENS:
        assert box(screen) - 0.03 <= length(said, screen) <= box(screen) * 1.02 + 1.2, (said, screen)


def length(sizes: str, screen: int) -> float:
    """What the value says on a screen, by the reader that is judged against Chromium (tests/browser)."""
    return source_size(sizes, Screen("any", screen, 900, 1))
