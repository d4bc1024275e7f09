"""A site settles where no page loads more than before, and says what it loads."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import replace

import pytest

from core.test_rewriting import deliveries_of
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.references.site import SiteFile as File
from ivory_thistle.core.references.source import Source
from ivory_thistle.core.rewriting import site as site_rewriting
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewriter
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.intake.differences import Difference
from ivory_thistle.workflows import settling
from ivory_thistle.workflows.progress import StoppedError
from ivory_thistle.workflows.reporting import report
from ivory_thistle.workflows.settling import Settled, Settler

SHEET = ".hero{background:url(a.jpg) center/cover} .wide{background:url(d.png)}"


def site_of(pages: dict[str, str]) -> tuple[SiteReading, dict[str, bytes]]:
    """Pages that share one sheet and three pictures of 1,000 x 500 px."""
    texts = {"main.css": SHEET.encode()}
    texts |= {path: f"<link rel=stylesheet href=main.css>{body}".encode() for path, body in pages.items()}
    files = [File(path, path, len(text)) for path, text in texts.items()]
    for name in ("a.jpg", "b.jpg", "d.png"):
        facts = ImageFacts("png" if name == "d.png" else "jpeg", 1000, 500, 100_000, name)
        files.append(File(name, name, 100_000, facts))
    return read_site(files, texts.__getitem__), texts


def settled(
    pages: dict[str, str], widths: tuple[int, ...] = (500, 1000)
) -> tuple[Settled, SiteReading, dict[str, Delivery]]:
    """Settled without a browser."""
    site, texts = site_of(pages)
    deliveries = deliveries_of(site, widths)
    return Settler(site, deliveries, texts.__getitem__, DEFAULT_SCREENS).settle(), site, deliveries


def test_a_page_where_a_script_loads_the_original_keeps_it_and_others_do_not() -> None:
    """What `data-src` names is loaded as it is; the sheet, which both pages share, must not add a second file to it."""
    lazy = "<p class=hero>x</p><img src=b.jpg data-src=a.jpg>"
    done, _, _ = settled({"one.html": lazy, "two.html": "<img src=a.jpg><img src=d.png>"})
    assert b"<picture" in done.rewrite.texts["two.html"]
    for one in done.loads:
        assert len(one.after) <= len(one.before) and sum(x.bytes for x in one.after) <= sum(x.bytes for x in one.before)


MIXED = [
    "<p class=hero>x</p><img src=a.jpg width=100>",
    "<p class=hero>x</p><p style='background:url(a.jpg)'>y</p><img src=a.jpg><img src=a.jpg width=300>",
    "<p class=hero>x</p><video poster=a.jpg></video><img src=a.jpg>",
    "<p class=hero>x</p><p class='hero wide'>y</p><picture><source srcset=d.png media=print><img src=a.jpg></picture>",
    "<p class=wide>x</p><img src=a.jpg srcset='a.jpg 1000w, d.png 500w'><img src=d.png>",
    "<img srcset='a.jpg 2x'><img src=a.jpg><p class=hero>x</p><link rel=preload as=image href=a.jpg>",
    "<link rel=preload as=image imagesrcset='a.jpg 1000w' imagesizes=50vw><img srcset='a.jpg 1000w' sizes=50vw>",
    "<img src=a.jpg class=x><style>p > .x, b + p > img{margin:1px}</style><b></b><p class=hero><img src=a.jpg></p>",
]


@pytest.mark.parametrize("body", MIXED)
@pytest.mark.parametrize("widths", [(500, 1000), (500,), (1000,)])
def test_no_tier_on_any_screen_loads_more_files_or_bytes(body: str, widths: tuple[int, ...]) -> None:
    """Boxes, backgrounds, posters and preloads of one picture on one page, and on a second that shares the sheet."""
    done, _, _ = settled({"one.html": body, "two.html": "<p class=hero>x</p><img src=d.png>"}, widths)
    assert done.rewrite.texts
    for one in done.loads:
        assert len(one.after) <= len(one.before), (one.page, one.screen, one.tier, done.rewrite.texts[one.page])
        assert sum(x.bytes for x in one.after) <= sum(x.bytes for x in one.before)
        assert {x.path for x in one.after} <= done.rewrite.offered | {"a.jpg", "b.jpg", "d.png"}


def test_the_report_names_what_stays_and_what_is_too_much() -> None:
    """Originals by bytes times pages with their reason, files made for nothing, bytes over the narrowest that would do."""
    pages = {"one.html": "<img src=a.jpg><i data-src=b.jpg></i><img src=b.jpg>", "two.html": "<img src=b.jpg>"}
    done, site, deliveries = settled(pages)
    laptop = DEFAULT_SCREENS[2]
    slot = Slot("one.html", laptop, "a.jpg", "img", 0, 0, 200, 100)
    told = report(site, done, deliveries, [slot, replace(slot, page="two.html", path="b.jpg")])
    assert [(s.path, s.pages, s.reason) for s in told.still_loaded] == [
        ("b.jpg", 1, "i data-src in one.html, line 1 takes nothing else.")
    ]
    total = next(t for t in told.totals if (t.screen, t.tier) == ("laptop", "avif"))
    # 200 CSS px at two pixels each want 400: the file of 500 px would do, that of 1,000 is loaded on both pages.
    assert (total.before, total.after, total.overshoot) == (300_000, 120_000, 10_000)
    assert total.requests_before == total.requests_after == 3 and total.heavier == ()
    assert told.forms == {"picture": 2, "left as it was": 1}
    assert told.unused_files > 0 and "a-500.jpg" not in done.rewrite.offered
    assert json.loads(json.dumps(told.as_dict()))["still_loaded"][0]["path"] == "b.jpg"


def test_it_ends_between_pages_once_it_is_stopped() -> None:
    """Pages without number are read before any is compared in a browser: nobody waits for the last of them."""
    site, texts = site_of({f"{n}.html": "<img src=a.jpg>" for n in range(5)})
    asked: list[str] = []

    def read(path: str) -> bytes:
        asked.append(path)
        return texts[path]

    with pytest.raises(StoppedError):
        Settler(site, deliveries_of(site), read, DEFAULT_SCREENS, stop=lambda: True).settle()
    assert asked == []


def test_limits_come_back_from_plain_values() -> None:
    """The same handover can be made again from what a run kept."""
    site, texts = site_of({"one.html": "<img src=a.jpg><p class=hero>x</p>", "two.html": "<img src=d.png>"})
    limits = Limits(Form.FREE, plain={"a.jpg"}, sheets_left={"d.png"})
    limits.forms["one.html"][36] = Form.SAME
    limits.left["two.html"] = {"d.png"}
    again = Limits.from_dict(json.loads(json.dumps(limits.as_dict())))
    rewrites = [
        SiteRewriter(site, deliveries_of(site), texts.__getitem__).rewrite(one).texts
        for one in (limits, again, Limits())
    ]
    assert rewrites[0] == rewrites[1] != rewrites[2]


def test_a_page_that_can_not_be_followed_stays_as_it_is(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whether its rewriting or what it loads can't be told; the others are rewritten."""
    real = site_rewriting.rewrite_page

    def broken(source: Source, page: Page, *others: object) -> object:
        if page.path == "bad.html":
            raise RecursionError
        return real(source, page, *others)  # type: ignore[arg-type]

    pages = {"bad.html": "<img src=a.jpg>", "good.html": "<img src=b.jpg>"}
    with monkeypatch.context() as patched:
        patched.setattr(site_rewriting, "rewrite_page", broken)
        done, _, _ = settled(pages)
    assert "bad.html" not in done.rewrite.texts and b"<picture" in done.rewrite.texts["good.html"]
    assert [f.message for f in done.rewrite.faults] == [
        "bad.html stays as it is. It can't be followed (RecursionError)."
    ]
    nested = "a{" * 200 + "background:url(b.jpg)"
    done, _, _ = settled({**pages, "bad.html": f"<style>{nested}</style><img src=a.jpg>"})
    assert "bad.html" not in done.rewrite.texts and b"<picture" in done.rewrite.texts["good.html"]


Looks = Callable[[Sequence[str]], list[Difference]]


def settled_by(looks: Looks, monkeypatch: pytest.MonkeyPatch, pages: dict[str, str]) -> Settled:
    """A site settled by what a made-up browser says of pages that are compared."""
    site, texts = site_of(pages)
    settler = Settler(site, deliveries_of(site), texts.__getitem__, DEFAULT_SCREENS[:1], lambda new: b"")
    monkeypatch.setattr(settling, "browser_binary", lambda: "a browser")
    monkeypatch.setattr(settler, "_measure_boxes", lambda limits, on_page: on_page)
    monkeypatch.setattr(settler, "_compared", lambda rewrite, paths, on_pair: looks(paths))
    return settler.settle()


@pytest.mark.parametrize("always", [False, True])
def test_a_page_is_looked_at_alone_before_anything_is_taken_back(always: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """What differs only while the machine is busy costs nothing; what differs always stays as it was, with the words."""
    looked: list[list[str]] = []

    def looks(pages: Sequence[str]) -> list[Difference]:
        looked.append(list(pages))
        differs = "one.html" in pages and (always or len(pages) > 1)
        return [Difference("one.html", "phone", "3 boxes changed.")] if differs else []

    done = settled_by(looks, monkeypatch, {"one.html": "<img src=a.jpg>", "two.html": "<img src=b.jpg>"})
    assert looked[:2] == [["one.html", "two.html"], ["one.html"]]
    assert b"<picture" in done.rewrite.texts["two.html"]
    assert (b"<picture" in done.rewrite.texts.get("one.html", b"")) is not always
    told = "it looked different in every form. 3 boxes changed."
    assert done.unknown == ({"one.html": told} if always else {})


def test_images_in_doubt_take_a_safe_form_and_no_others(monkeypatch: pytest.MonkeyPatch) -> None:
    """One is never twice of the same size; the other one's form follows from what was compared."""
    doubt = Difference("one.html", "phone", "Some are never of the same size.", images=(0,), comparable=False)
    done = settled_by(lambda pages: [doubt], monkeypatch, {"one.html": "<img src=a.jpg><img src=b.jpg>"})
    assert [form for _, form in sorted(done.rewrite.forms["one.html"].items())] == [Form.STEADY, Form.FREE]
    assert done.comparison and done.comparison.unsure == ("one.html",) and not done.comparison.different


def test_pictures_that_a_script_loads_from_src_have_one_file(monkeypatch: pytest.MonkeyPatch) -> None:
    """It came once beside what is shown: that is enough, since when a script runs is chance."""
    twice = Difference("one.html", "phone", "3 images are loaded instead of 2.", unshown=("/a-1000.jpg",))
    told = iter([[twice]])
    done = settled_by(lambda pages: next(told, []), monkeypatch, {"one.html": "<img src=a.jpg><img src=b.jpg>"})
    assert set(done.rewrite.forms["one.html"].values()) == {Form.SAME}
    assert b"srcset" not in done.rewrite.texts["one.html"]
