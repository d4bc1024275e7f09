"""Rewritten pages mean the same, save for the intended elements."""

from __future__ import annotations

import html5lib
import pytest

from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.site import SiteFile, SiteReading, read_site
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.reports.savings import reckon_savings
from ivory_thistle.core.rewriting.css import rewrite_declarations
from ivory_thistle.core.rewriting.delivery import Delivery, RenditionFacts, plan_delivery, sibling_address
from ivory_thistle.core.rewriting.html import SIZED_RULE, WRAPPER, rewrite_page
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.core.treatment.ladder import Step, ladder, plan_treatment
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.core.treatment.rules import Rules


def site_of(page: str, css: str = "", width: int = 1000, height: int = 500) -> SiteReading:
    """A site of one page, one sheet and three pictures of 100,000 bytes."""
    texts = {"index.html": page.encode(), "main.css": css.encode()}
    files = [SiteFile(p, p, len(t)) for p, t in texts.items()]
    for name in ("a.jpg", "b c.jpg", "d.png"):
        facts = ImageFacts("png" if name == "d.png" else "jpeg", width, height, 100_000, name)
        files.append(SiteFile(name, name, 100_000, facts))
    return read_site(files, texts.__getitem__)


def deliveries_of(site: SiteReading, widths: tuple[int, ...] = (500, 1000)) -> dict[str, Delivery]:
    """All three tiers at each width; avif 10, webp 20, fallback 40 bytes a pixel of width."""

    def renditions(path: str) -> list[RenditionFacts]:
        kind = "png" if path.endswith("png") else "jpeg"
        return [
            RenditionFacts(tier, form, w, w // 2, w * size, f"{path}{tier}{w}")
            for tier, form, size in (("avif", "avif", 10), ("webp", "webp", 20), ("baseline", kind, 40))
            for w in widths
        ]

    images = [f for f in site.files.values() if f.image]
    return dict(plan_delivery([(f.path, 1000, 500, renditions(f.path)) for f in images], FileIndex(site.files)))


def rewritten(page: str, css: str = "", widths: tuple[int, ...] = (500, 1000)) -> str:
    site = site_of(page, css)
    source = read_html_source(page.encode())
    return source.apply(rewrite_page(source, site.pages[0], deliveries_of(site, widths)).edits).decode()


def test_an_img_becomes_a_picture_with_everything_kept() -> None:
    """The whole result of one plain img."""
    page = "<p><IMG src='a.jpg' alt=\"A > B\" class=x id=y onload='f()' data-z=1>&nbsp;text"
    assert rewritten(page) == (
        "<p>"
        + WRAPPER
        + '<source type="image/avif" srcset="a-500.avif 500w, a-1000.avif 1000w" sizes="(max-width: 1000px) 100vw, 1000px">'
        '<source type="image/webp" srcset="a-500.webp 500w, a-1000.webp 1000w" sizes="(max-width: 1000px) 100vw, 1000px">'
        "<IMG src='a-1000.jpg' alt=\"A > B\" class=x id=y onload='f()' data-z=1"
        ' srcset="a-500.jpg 500w, a-1000.jpg 1000w" sizes="(max-width: 1000px) 100vw, 1000px" width="1000" height="500"></picture>&nbsp;text'
    )


def test_one_width_needs_no_descriptors() -> None:
    """A single file of the original's width is named plainly; blanks in names are percent-encoded."""
    out = rewritten('<img src="b c.jpg" width=100 height=50>', widths=(1000,))
    assert '<source type="image/avif" srcset="b%20c-1000.avif">' in out
    assert '<img src="b%20c-1000.jpg" width=100 height=50>' in out


def test_a_declared_width_bounds_the_ladder() -> None:
    """A slot of 200 px is offered what gives it two pixels each, not the widest."""
    out = rewritten("<img src=a.jpg width=200>")
    assert 'srcset="a-500.avif 500w" sizes="(max-width: 200px) 100vw, 200px"' in out
    assert 'src="a-500.jpg" width=200 height="100"' in out


def test_srcset_keeps_its_meaning() -> None:
    """Candidates are replaced one by one, descriptors scaled with the pixels, sizes copied."""
    out = rewritten('<img src=a.jpg srcset="a.jpg 1000w, d.png 2x" sizes="50vw">', widths=(500,))
    assert '<source type="image/avif" srcset="a-500.avif 500w, d-500.avif 1x" sizes="50vw">' in out
    assert 'srcset="a-500.jpg 500w, d-500.png 1x"' in out


def test_art_direction_stays() -> None:
    """A source with a media condition gets modern sources of the same condition before it."""
    out = rewritten('<picture><source media="(min-width:9em)" srcset="a.jpg"><img src=d.png></picture>', widths=(1000,))
    assert out.startswith(
        '<picture><source type="image/avif" srcset="a-1000.avif" media="(min-width:9em)">'
        '<source type="image/webp" srcset="a-1000.webp" media="(min-width:9em)">'
        '<source media="(min-width:9em)" srcset="a-1000.jpg"><source type="image/avif" srcset="d-1000.avif">'
    )
    assert WRAPPER not in out


def test_height_rule_only_where_a_style_sheet_could_distort() -> None:
    """With `img{height:auto}` or no styles at all nothing is added; else one rule without specificity."""
    head = "<head><link rel=stylesheet href=main.css></head><img src=a.jpg>"
    assert SIZED_RULE not in rewritten(head, "img{max-width:100%;height:auto}")
    assert SIZED_RULE not in rewritten("<img src=a.jpg>")
    out = rewritten(head, "img{max-width:100%}")
    assert out.startswith("<head>" + SIZED_RULE) and 'data-thistle="sized"' in out


@pytest.mark.parametrize(
    ("css", "spared"),
    [
        (".card > img{margin:0}", True),
        (".card>.pic{margin:0}", True),
        (".stack > * + *{margin-top:1em}", True),
        ("img + p{margin:0}", True),
        ("p img:first-child{margin:0}", True),
        ("#one ~ p{margin:0}", True),
        ("@media print{ul > img.pic{margin:0}}", True),
        (".card img, nav > a, li:first-child, .other > .thing{margin:0}", False),
        ("a:not(.x) > b{color:red}", False),
    ],
)
def test_an_img_that_is_selected_by_its_place_keeps_it(css: str, spared: bool) -> None:
    """A wrapper would come between; such an `img` takes the optimised fallback only, and savings count just that."""
    html = "<link rel=stylesheet href=main.css><img class='big pic' id=one src=a.jpg>"
    site = site_of(html, css)
    source = read_html_source(html.encode())
    result = rewrite_page(source, site.pages[0], deliveries_of(site))
    out = source.apply(result.edits).decode()
    assert ("<picture" not in out) is spared
    assert 'src="a-1000.jpg"' in out
    assert set(next(iter(result.outcomes.values()))) == ({"baseline"} if spared else {"avif", "webp", "baseline"})


def test_a_preload_asks_for_what_the_img_will_load() -> None:
    """Type and candidates as in the first source; other browsers skip it."""
    out = rewritten("<link rel=preload as=image href=a.jpg><img src=a.jpg>")
    assert 'href="a-1000.avif" type="image/avif" imagesrcset="a-500.avif 500w, a-1000.avif 1000w"' in out
    html = "<link rel=stylesheet href=main.css><link rel=preload as=image href=a.jpg><p><img src=a.jpg>"
    spared = rewritten(html, "p > img{margin:0}")
    assert 'href="a-1000.jpg" type="image/jpeg" imagesrcset="a-500.jpg 500w, a-1000.jpg 1000w"' in spared


BROKEN = [
    "<p><img src=a.jpg <b>x</b>",
    "<table><img src=a.jpg><tr><td><img src=d.png>",
    "<a href=x><img src=a.jpg></a><select><img src=a.jpg></select>",
    "<ul><li><img src=a.jpg><li><img src='b c.jpg' alt='&quot;'>",
    "<svg><style>p{background:url(a.jpg)}</style></svg><img src=a.jpg>",
    "<div style=\"color:red;background:url('a.jpg')\">x</div><style>p{background:url(d.png)}</style>",
]


@pytest.mark.parametrize("html", BROKEN)
def test_the_tree_is_the_same_apart_from_the_intended(html: str) -> None:
    """By html5lib: without picture, source, styles and the attributes that we write, both trees are equal."""

    def plain(text: str) -> str:
        tree = html5lib.parse(text, treebuilder="etree", namespaceHTMLElements=False)
        for parent in list(tree.iter()):
            for child in list(parent):
                if child.tag == "picture":
                    kept = [c for c in child if c.tag != "source"]
                    at = list(parent).index(child)
                    kept[-1].tail = child.tail
                    parent.remove(child)
                    for n, k in enumerate(kept):
                        parent.insert(at + n, k)
        for element in tree.iter():
            for name in ("src", "srcset", "sizes", "width", "height", "style", "data-thistle"):
                element.attrib.pop(name, None)
            if str(element.tag).endswith("style"):
                element.text = ""
        walker = html5lib.getTreeWalker("etree")
        return str(html5lib.serializer.HTMLSerializer(omit_optional_tags=False).render(walker(tree)))

    out = rewritten(html).replace(SIZED_RULE, "")
    assert out != html
    assert plain(out) == plain(html)
    again = site_of(out)
    assert all(
        p.use in ("kept", "social")
        for p in again.pages[0].placements
        if p.element != "style" and p.attribute != "style"
    )


def test_backgrounds_get_a_fallback_before_image_set() -> None:
    """Fallback first, then typed candidates; a second time changes nothing."""
    css = "p{color:red;background:#222 url(a.jpg) center;margin:0}"
    site = site_of("<link rel=stylesheet href=main.css>", css)
    placements = [p for p in site.pages[0].placements if p.source == "main.css"]
    edits, _ = rewrite_declarations(css, read_css(css), placements, deliveries_of(site))
    edit = edits[0]
    assert edit.new == (
        'background:#222 url("a-1000.jpg") center;background:#222 image-set(url("a-1000.avif") type("image/avif") 1x,'
        ' url("a-1000.webp") type("image/webp") 1x, url("a-1000.jpg") 1x) center'
    )
    out = css[: edit.start] + edit.new + css[edit.end :]
    assert all(p.use == "kept" for p in site_of("<link rel=stylesheet href=main.css>", out).pages[0].placements)


def test_a_narrower_background_keeps_its_painted_size() -> None:
    """Its resolution says how many pixels one CSS px holds; the plain fallback stays the original."""
    css = "p{background-image:url(a.jpg)}"
    site = site_of("<link rel=stylesheet href=main.css>", css)
    placements = [p for p in site.pages[0].placements if p.source == "main.css"]
    edits, _ = rewrite_declarations(css, read_css(css), placements, deliveries_of(site, (500,)))
    assert "background-image:url(a.jpg);" in edits[0].new and 'type("image/avif") 0.5x' in edits[0].new


def test_names_never_clash() -> None:
    """Where the site has a file of that name already, part of the hash is added."""
    files = {"x/a.jpg": 1, "x/A-500.avif": 1}
    rendition = RenditionFacts("avif", "avif", 500, 250, 9, "c0ffee00" * 8)
    plan = plan_delivery([("x/a.jpg", 1000, 500, [rendition])], FileIndex(files))
    assert plan["x/a.jpg"].files[0].path == "x/a-500-c0ffee00.avif"
    assert sibling_address("../i/a b.jpg?v=1,2#f", "i/a b-500.avif") == "../i/a%20b-500.avif?v=1%2C2#f"


def test_savings_count_what_each_tier_gets() -> None:
    """The widest offered file of the tier; a social card that is also shown counts once."""
    page = "<meta property=og:image content=a.jpg><img src=a.jpg><img src=d.png><img src=a.jpg width=100>"
    site = site_of(page)
    source = read_html_source(page.encode())
    deliveries = deliveries_of(site)
    del deliveries["d.png"]
    result = rewrite_page(source, site.pages[0], deliveries)
    sizes = {f.path: f.bytes for d in deliveries.values() for f in d.files}
    savings = reckon_savings(site, result.outcomes, sizes)
    assert savings.pages[0].before == savings.before == 200_000
    assert dict(savings.after) == {
        "avif": 100_000 + 15_000,
        "webp": 100_000 + 30_000,
        "baseline": 100_000 + 60_000,
    }


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


def test_what_can_not_be_rewritten_everywhere_is_left_alone() -> None:
    """An image that a poster also names is not treated: a browser would load both files."""
    site = site_of("<img src=a.jpg><video poster=a.jpg></video><img src=d.png>")
    plans = {p.image.path: p for p in plan_treatment(site, Rules())}
    assert plans["a.jpg"].reason == "Used where no fallback can be offered (video poster in index.html, line 1)."
    assert [s.width for s in plans["d.png"].steps] == [480, 1000]
