"""The widths that an image is made at: by the markup's wishes, by measured boxes, within the original."""

from __future__ import annotations

from test_rewriting import site_of

from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.core.treatment.ladder import Step, ladder, plan_treatment
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.core.treatment.rules import Rules


def widths(wanted: list[int], natural: int, rules: Rules | None = None) -> list[int]:
    """The ladder of plain wishes."""
    return [s.width for s in ladder([Step(w) for w in wanted], natural, rules or Rules())]


def test_the_ladder_never_enlarges_and_merges_near_steps() -> None:
    """Rising, within the original and the rules, each step about a seventh wider (a fifth fewer bytes), at most six."""
    assert widths([480, 540, 960, 4000], 1000) == [540, 1000]
    assert widths([3000], 5000) == [1920]
    assert widths([480], 200) == [200]
    assert widths([200, 300, 420, 600, 800, 1000, 1300, 1600, 1920], 4000) == [200, 300, 420, 800, 1300, 1920]
    assert widths([200, 300, 420, 600], 4000, Rules(most_rungs=2)) == [200, 600]


def slot(width: float, screen: Screen, height: float = 100, fit: str = "") -> Slot:
    """A measured box of a.jpg."""
    return Slot("index.html", screen, "a.jpg", "img", 0, 0, width, height, fit=fit)


PHONE, LAPTOP, DESKTOP = (next(s for s in DEFAULT_SCREENS if s.name == n) for n in ("phone", "laptop", "desktop"))


def test_ladders_come_from_measured_slots() -> None:
    """Each slot at its screen's density, two at most; what only dense screens load is marked so."""
    site = site_of("<img src=a.jpg>")
    slots = [slot(390, PHONE), slot(300, LAPTOP), slot(300, DESKTOP)]
    plan = next(
        p for p in plan_treatment(site, Rules(), slots, {"a.jpg": "hero"}, ["index.html"]) if p.image.path == "a.jpg"
    )
    assert plan.steps == (Step(300), Step(600, dense=True), Step(780, dense=True)) and plan.role == "hero"
    # A box filled by cutting needs the height, too: a.jpg is twice as wide as high.
    plan = plan_treatment(site, Rules(), [slot(300, DESKTOP, height=300, fit="cover")], None, ["index.html"])[0]
    assert [s.width for s in plan.steps] == [600]


def test_boxes_count_only_where_every_page_was_seen_whole() -> None:
    """A screen that was not measured might ask for more: then the markup decides, as without any measurement."""
    site = site_of("<img src=a.jpg>")
    seen = [slot(120, PHONE)]
    plain = plan_treatment(site, Rules())[0].steps
    assert plan_treatment(site, Rules(), seen, None, [])[0].steps == plain
    assert plan_treatment(site, Rules(), [], None, ["index.html"])[0].steps == plain
    assert plan_treatment(site, Rules(), seen, None, ["index.html"])[0].steps == (Step(240, dense=True),)


def test_animations_and_backgrounds_get_one_file() -> None:
    """The widest that is asked for."""
    site = site_of("<div style='background:url(a.jpg)'></div>")
    plan = plan_treatment(site, Rules(), [slot(400, DESKTOP), slot(380, LAPTOP)], None, ["index.html"])[0]
    assert plan.steps == (Step(760, dense=True),)


def test_one_place_that_takes_one_address_does_not_stop_the_others() -> None:
    """A poster gets a smaller file of the same size, which is made for it; only scripts' places leave an image alone."""
    site = site_of("<img src=a.jpg width=200><video poster=a.jpg></video><b data-src=d.png></b>")
    plans = {p.image.path: p for p in plan_treatment(site, Rules())}
    assert [s.width for s in plans["a.jpg"].steps] == [200, 400, 1000]
    assert plans["d.png"].reason == (
        "Used only where nothing can stand in its place (b data-src in index.html, line 1)."
    )


def test_steps_keep_the_proportions_of_the_file() -> None:
    """A step whose height is no whole number would make a box that follows the file higher or lower."""
    steps = ladder([Step(485), Step(961)], 1000, Rules(), height=563)
    assert [(s.width, round(s.width * 563 / 1000, 2)) for s in steps] == [(492, 277.0), (968, 544.98)]
