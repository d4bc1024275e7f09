"""Roles from measured boxes; budgets by site, pattern, page and screen; TOML in and out."""

from __future__ import annotations

import pytest

from ivory_thistle.core.budgets.connection import Connection
from ivory_thistle.core.budgets.policy import PageBudget, Policy
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.roles import Slot, image_role

DESKTOP = DEFAULT_SCREENS[3]


def box(width: float, height: float, **more: object) -> Slot:
    """A box on the desktop screen (1,920 x 1,080)."""
    values = {"page": "p", "screen": DESKTOP, "path": "img/a.jpg", "kind": "img", "x": 0, "y": 0}
    return Slot(width=width, height=height, **{**values, **more})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("slots", "role"),
    [
        ([box(1920, 800, first_screen=True)], "hero"),
        ([box(1920, 800)], "content"),
        ([box(1920, 80, first_screen=True)], "content"),
        ([box(1920, 900, kind="background", fit="cover")], "background"),
        ([box(300, 200, kind="background", fit="cover")], "decoration"),
        ([box(1920, 900, kind="background", fit="auto")], "decoration"),
        ([box(32, 32)], "icon"),
        ([box(220, 60, path="img/logo.png")], "logo"),
        ([box(220, 60, around="a site-logo header")], "logo"),
        ([box(220, 60, around="a catalogue")], "content"),
        ([box(600, 10, alt="", around="hr divider")], "decoration"),
        ([box(700, 467)], "content"),
        ([box(1920, 800, first_screen=True), box(32, 32)], "hero"),
    ],
)
def test_roles(slots: list[Slot], role: str) -> None:
    """From the box, the first screen, and what the page calls it; the weightiest of several placements."""
    assert image_role(slots, social=False, icon=False)[0] == role


def test_a_role_says_why() -> None:
    """With the figures that decided."""
    assert image_role([box(1920, 800, first_screen=True)], False, False) == (
        "hero", "On the first screen, over 100 % of its width (1920 × 800 on desktop).",
    )  # fmt: skip


def test_thumbnails_come_in_numbers() -> None:
    """A small picture alone is content; three of a size are thumbnails."""
    one = box(300, 200)
    row = [box(300, 200, path=f"img/{n}.jpg") for n in range(3)]
    assert image_role([one], False, False, [[one]])[0] == "content"
    assert image_role([row[0]], False, False, [row]) == (
        "thumbnail",
        "One of 3 of about the same size, 300 × 200 on desktop.",
    )


def test_images_without_a_box() -> None:
    """What names it decides."""
    assert image_role([], social=True, icon=False)[0] == "social card"
    assert image_role([], social=False, icon=True)[0] == "icon"
    assert image_role([], social=False, icon=False)[0] == "content"


NEWS = PageBudget("news/*", "", 2_000_000)
NEWS_PHONE = PageBudget("news/*", "phone", 1_000_000, 20)
ONE = PageBudget("news/long.html", "", 3_000_000)


@pytest.mark.parametrize(
    ("page", "screen", "size", "said", "requests"),
    [
        ("index.html", "phone", 5_000_000, "the whole site", 60),
        ("news/a.html", "desktop", 2_000_000, "news/*", 60),
        ("news/a.html", "phone", 1_000_000, "news/* on phone", 20),
        ("news/long.html", "phone", 3_000_000, "news/long.html", 20),
    ],
)
def test_the_most_specific_budget_holds(page: str, screen: str, size: int, said: str, requests: int) -> None:
    """A page before a pattern, a longer pattern before a shorter, a screen before all; each figure by itself."""
    allowed = Policy(pages=(NEWS_PHONE, ONE, NEWS)).allowed(page, screen)
    assert (allowed.bytes, allowed.bytes_from.said, allowed.requests) == (size, said, requests)


def test_toml_in_and_out() -> None:
    """What is written is read again as the same."""
    policy = Policy(pages=(NEWS_PHONE, ONE))
    again = Policy.from_toml(policy.as_toml())
    assert again == policy
    changed = Policy.from_toml(
        "[page]\nbytes = 900_000\n[caps.hero]\nbytes = 1\n[[pages]]\npattern = 'a/*'\nrequests = 3"
    )
    assert changed.site.bytes == 900_000 and changed.site.requests == 60
    assert (changed.cap("hero").bytes, changed.cap("hero").width) == (1, 2000)
    assert changed.pages == (PageBudget("a/*", "", None, 3),)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (
            "pages = 3 =",
            "This is no TOML: Expected newline or end of document after a statement (at line 1, column 11).",
        ),
        ("[colour]\nx = 1", "Budgets know no 'colour'; there are page, pages and caps."),
        ("[page]\nbytes = -1", "page.bytes must be a whole number from 1 to 1,000,000,000,000."),
        ("[page]\nweight = 1", "page knows no 'weight'; there are bytes and requests."),
        ("[[pages]]\nbytes = 1", "pages, number 1 needs a pattern."),
        ("[[pages]]\npattern = 'x'", "pages, number 1 needs bytes or requests."),
        ("page = 3", "page must be a table."),
    ],
)
def test_faults_in_toml_are_told_with_their_place(text: str, message: str) -> None:
    """One sentence for the person."""
    with pytest.raises(UnusableInput) as told:
        Policy.from_toml(text)
    assert str(told.value) == message


def test_seconds_on_a_connection() -> None:
    """8 bits a byte and one round trip: 1 MB at 8 Mbit/s with 100 ms takes 1.1 s; nothing takes none."""
    line = Connection("x", 8_000_000, 100)
    assert line.seconds(1_000_000) == pytest.approx(1.1)
    assert line.seconds(0) == 0
