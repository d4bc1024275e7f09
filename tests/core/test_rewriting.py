"""Rewritten pages mean the same, save for the intended elements."""

from __future__ import annotations

import re
from dataclasses import replace

import html5lib
import pytest

from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.core.reports.savings import compute_savings
from ivory_thistle.core.rewriting.css import rewrite_declarations
from ivory_thistle.core.rewriting.delivery import Delivery, Original, RenditionFacts, plan_delivery, sibling_address
from ivory_thistle.core.rewriting.html import WRAPPER
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite, SiteRewriter
from ivory_thistle.core.treatment.ladder import plan_treatment
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

    def renditions(path: str) -> tuple[RenditionFacts, ...]:
        kind = "png" if path.endswith("png") else "jpeg"
        return tuple(
            RenditionFacts(tier=tier, format=form, width=w, height=w // 2, bytes=w * size, sha256=f"{path}{tier}{w}")
            for tier, form, size in (("avif", "avif", 10), ("webp", "webp", 20), ("baseline", kind, 40))
            for w in widths
        )

    images = [f for f in site.files.values() if f.image]
    return dict(
        plan_delivery(
            [Original(f.path, 1000, 500, renditions(f.path), max(widths)) for f in images], FileIndex(site.files)
        )
    )


def rewrite(
    page: str, css: str = "", widths: tuple[int, ...] = (500, 1000), limits: Limits | None = None
) -> tuple[str, SiteRewrite]:
    """The page's new text, and all that was done."""
    site = site_of(page, css)
    texts = {"index.html": page.encode(), "main.css": css.encode()}
    done = SiteRewriter(site, deliveries_of(site, widths), texts.__getitem__).rewrite(limits or Limits())
    return done.texts.get("index.html", page.encode()).decode(), done


def rewritten(page: str, css: str = "", widths: tuple[int, ...] = (500, 1000), most: Form = Form.STEADY) -> str:
    return rewrite(page, css, widths, Limits(most))[0]


def test_an_img_becomes_a_picture_with_everything_kept() -> None:
    """The whole result of one plain img, with sizes that follow the screen."""
    page = "<p><IMG src='a.jpg' alt=\"A > B\" class=x id=y onload='f()' data-z=1>&nbsp;text"
    assert rewritten(page, most=Form.FREE) == (
        "<p>" + WRAPPER + '<source type="image/avif" srcset="a-500.avif 500w, a-1000.avif 1000w"'
        ' sizes="(max-width: 1000px) 100vw, 1000px" hidden>'
        '<source type="image/webp" srcset="a-500.webp 500w, a-1000.webp 1000w"'
        ' sizes="(max-width: 1000px) 100vw, 1000px" hidden>'
        "<IMG src='a-1000.jpg' alt=\"A > B\" class=x id=y onload='f()' data-z=1"
        ' srcset="a-500.jpg 500w, a-1000.jpg 1000w" sizes="(max-width: 1000px) 100vw, 1000px" width="1000" height="500">'
        "</picture>&nbsp;text"
    )


def test_an_image_whose_own_size_may_count_keeps_it() -> None:
    """Without a look in a browser: one file of the same size, or of fewer pixels that stand for the same size."""
    assert 'srcset="a-1000.avif" hidden' in rewritten("<img src=a.jpg>")
    assert 'srcset="a-500.avif 500w" sizes="1000px" hidden' in rewritten("<img src=a.jpg>", widths=(500,))
    assert 'src="a-500.jpg" srcset="a-500.jpg 500w" sizes="1000px"' in rewritten("<img src=a.jpg>", widths=(500,))


def test_one_width_needs_no_descriptors() -> None:
    """A single file of the original's width is named plainly; blanks in names are percent-encoded."""
    out = rewritten('<img src="b c.jpg" width=100 height=50>', widths=(1000,))
    assert '<source type="image/avif" srcset="b%20c-1000.avif" hidden>' in out
    assert '<img src="b%20c-1000.jpg" width=100 height=50>' in out


def test_a_declared_width_bounds_the_ladder() -> None:
    """A slot of 200 px is offered what gives it two pixels each, not the widest."""
    out = rewritten("<img src=a.jpg width=200>")
    assert 'srcset="a-500.avif 500w" sizes="200px"' in out
    assert 'src="a-500.jpg" width=200 srcset="a-500.jpg 500w" sizes="200px"' in out


def test_srcset_keeps_its_meaning() -> None:
    """Candidates are replaced one by one, descriptors scaled with the pixels, sizes copied."""
    out = rewritten('<img src=a.jpg srcset="a.jpg 1000w, d.png 2x" sizes="50vw">', widths=(500,))
    assert '<source type="image/avif" srcset="a-500.avif 500w, d-500.avif 1x" sizes="50vw" hidden>' in out
    assert 'srcset="a-500.jpg 500w, d-500.png 1x"' in out


def test_among_densities_the_plain_address_takes_part() -> None:
    """Browsers take `src` as 1x; without it a source would have only the dense file."""
    out = rewritten('<img src=a.jpg srcset="d.png 2x">', widths=(1000,))
    assert '<source type="image/avif" srcset="d-1000.avif 2x, a-1000.avif" hidden>' in out
    assert '<img src="a-1000.jpg" srcset="d-1000.png 2x">' in out
    assert '<img srcset="d-1000.png 2x">' in rewritten('<img srcset="d.png 2x">', widths=(1000,))


def test_art_direction_stays() -> None:
    """A source with a media condition gets modern sources of the same condition before it."""
    out = rewritten('<picture><source media="(min-width:9em)" srcset="a.jpg"><img src=d.png></picture>', widths=(1000,))
    assert out.startswith(
        '<picture><source type="image/avif" srcset="a-1000.avif" media="(min-width:9em)" hidden>'
        '<source type="image/webp" srcset="a-1000.webp" media="(min-width:9em)" hidden>'
        '<source media="(min-width:9em)" srcset="a-1000.jpg"><source type="image/avif" srcset="d-1000.avif" hidden>'
    )
    assert WRAPPER not in out


SIZES = [
    ("<img src=a.jpg>", "", 'width="1000" height="500"'),
    ("<img src=a.jpg>", "img{max-width:100%;height:auto}", 'width="1000" height="500"'),
    ("<img src=a.jpg width=300>", "img{max-width:100%;height:auto}", 'height="150"'),
    ("<img src=a.jpg>", "img{max-width:100%}", ""),
    ("<img src=a.jpg class=logo>", ".logo{height:40px}", ""),
    ("<img src=a.jpg class=logo>", ".logo{max-height:40px}", ""),
    ("<img src=a.jpg>", "@media (min-width: 9em){img{aspect-ratio:1;height:40px}}", ""),
    ("<div class=row><img src=a.jpg></div>", ".row{display:flex;height:90px}", ""),
    ("<div style='display:grid'><img src=a.jpg></div>", "", ""),
    ("<img src=a.jpg style='position:absolute'>", "", ""),
    ("<img src=a.jpg>", "*{box-sizing:border-box} img{padding:4px}", ""),
    ("<img srcset='a.jpg 2x'>", "", ""),
]


@pytest.mark.parametrize(("html", "css", "added"), SIZES)
def test_width_and_height_are_added_only_where_no_rule_could_tell_the_difference(
    html: str, css: str, added: str
) -> None:
    """Where a style sheet gives one side only, the other would be stretched to the file's own."""
    out = rewritten(f"<link rel=stylesheet href=main.css>{html}", css, widths=(1000,))
    own = re.search(r"<img[^>]*>", out)
    assert own is not None
    before = re.search(r"<img[^>]*>", html)
    assert before is not None
    new = {m for m in re.findall(r'(?:width|height)="[^"]*"', own.group()) if m not in before.group()}
    assert new == set(added.split(" ") if added else [])


ALONE = [
    (".card > img{margin:0}", True),
    (".card>.pic{margin:0}", True),
    ("* + *{margin-top:1em}", True),
    ("img + p{margin:0}", True),
    (".card img:first-child{margin:0}", True),
    ("#one ~ p{margin:0}", True),
    ("@media print{.card > img.pic{margin:0}}", True),
    ("@container (width > 9px){.card > img{margin:0}}", True),
    (".card:hover > img{margin:0}", True),
    (".card:has(> img){margin:0}", True),
    ("picture{font-size:9px}", True),
    ("picture img{margin:0}", True),
    (".card * img, .card * .big{margin:0}", True),
    ("source{display:block !important}", True),
    ("*{zoom:.7}", True),
    ("div *{font-size:1.2em}", True),
    ("img{border-radius:inherit}", True),
    (".card img, nav > a, li:first-child, .other > .thing{margin:0}", False),
    ("*{margin:0;padding:0;box-sizing:border-box} *{font-family:serif}", False),
    ("a:not(.x) > b{color:red}", False),
    (".card.open > p{color:red}", False),
    (".stack > * + *{margin-top:1em}", False),
]


@pytest.mark.parametrize(("css", "alone"), ALONE)
def test_an_img_that_is_selected_by_its_place_keeps_it(css: str, alone: bool) -> None:
    """A wrapper would change which rules hold; such an `img` takes candidates of its own, and savings count just that."""
    html = "<link rel=stylesheet href=main.css><div class='card stack'><img class='big pic' id=one src=a.jpg><p>x</div>"
    out, done = rewrite(html, css)
    assert ("<picture" not in out) is alone
    assert 'src="a-1000.jpg"' in out
    assert set(next(iter(done.outcomes.values()))) == ({"baseline"} if alone else {"avif", "webp", "baseline"})


def test_classes_that_a_script_may_add_count_as_given() -> None:
    """Where the rule also names a class of the page; rules for other pages don't count."""
    html = "<link rel=stylesheet href=main.css><script>f()</script><div class=card><img src=a.jpg></div>"
    assert "<picture" not in rewritten(html, ".card.open > img{margin:0}")
    assert "<picture" in rewritten(html, ".elsewhere > img{margin:0}")


POLICIES = [
    ("<meta http-equiv=content-security-policy content=\"style-src 'self'\"><img src=a.jpg>", False),
    ("<img src=a.jpg onerror='this.parentNode.remove()'>", False),
    ("<svg><image href=x></svg><img src=a.jpg>", True),
    ("<template><img src=a.jpg></template>", False),
    ("<noscript><img src=a.jpg></noscript>", False),
]


@pytest.mark.parametrize(("html", "wrapped"), POLICIES)
def test_where_an_element_around_would_not_be_what_it_seems(html: str, wrapped: bool) -> None:
    """A policy against style attributes, a handler that asks for its parent, markup that scripts move."""
    assert ("<picture" in rewritten(html)) is wrapped


def test_a_handler_that_sets_the_address_gets_no_srcset_before_it() -> None:
    """`this.src = …` would change nothing where candidates come first."""
    out = rewritten("<img src=a.jpg onmouseover=\"this.src='d.png'\">")
    assert out == '<img src="a-1000.jpg" onmouseover="this.src=\'d.png\'">'


def test_a_preload_asks_for_what_the_img_will_load() -> None:
    """Type and candidates as in the first source; other browsers skip it. A social card has no say in it."""
    html = "<meta property=og:image content=a.jpg><link rel=preload as=image href=a.jpg><img src=a.jpg>"
    out = rewritten(html, most=Form.FREE)
    assert 'href="a-1000.avif" type="image/avif" imagesrcset="a-500.avif 500w, a-1000.avif 1000w"' in out
    html = "<link rel=stylesheet href=main.css><link rel=preload as=image href=a.jpg><p><img src=a.jpg>"
    assert 'href="a-1000.jpg"><p><img src="a-1000.jpg">' in rewritten(html, "p > img{margin:0}")


def test_one_picture_is_one_request_wherever_a_page_shows_it() -> None:
    """Boxes of other widths take the same file; a poster takes one address, so all do."""
    out = rewritten("<img src=a.jpg width=100><img src=a.jpg width=400>")
    assert out.count('srcset="a-500.avif 500w, a-1000.avif 1000w" sizes="400px"') == 2
    out = rewritten("<img src=a.jpg><video poster=a.jpg></video><img src=d.png>")
    assert '<img src="a-1000.jpg"><video poster="a-1000.jpg"></video>' in out and "d-1000.avif" in out
    # What scripts load later is the original: the page goes on with that alone.
    assert rewritten("<img src=a.jpg><b data-src=a.jpg></b>") == "<img src=a.jpg><b data-src=a.jpg></b>"
    assert "a-500.avif" not in rewritten("<img src=a.jpg><b style='background:url(a.jpg)'></b>")


def test_true_widths_are_told_where_labels_were_wrong() -> None:
    """A file of 500 px called 960w, in a box that does not depend on it; else nothing but bytes changes."""
    html = '<img src=a.jpg srcset="narrow.jpg 960w, a.jpg 1000w" sizes=50vw {}>'
    look = Look("photograph", "", {}, None, "0" * 16)
    texts: dict[str, bytes] = {}

    def out(attributes: str) -> tuple[str, list[str]]:
        texts["index.html"] = html.format(attributes).encode()
        files = [SiteFile("index.html", "x", 9)]
        for name, width in (("narrow.jpg", 500), ("a.jpg", 1000)):
            files.append(SiteFile(name, name, 99_999, ImageFacts("jpeg", width, width // 2, 99_999, name), look))
        site = read_site(files, texts.__getitem__)
        plan = [p for p in plan_treatment(site, Rules()) if p.image.path == "a.jpg"]
        assert {500, 1000} <= {s.width for s in plan[0].steps}
        done = SiteRewriter(site, deliveries_of(site), texts.__getitem__).rewrite(Limits())
        return done.texts["index.html"].decode(), [f"{f.line}: {f.message}" for f in done.faults]

    text, said = out("width=300 height=150")
    assert '<source type="image/avif" srcset="a-500.avif 500w, a-1000.avif 1000w" sizes="50vw" hidden>' in text
    assert said == ["1: index.html, line 1: srcset told wrong widths of its files; the new one tells the true ones."]
    assert "narrow-1000.jpg 960w, a-1000.jpg 1000w" in out("")[0]


BROKEN = [
    "<p><img src=a.jpg <b>x</b>",
    "<table><img src=a.jpg><tr><td><img src=d.png>",
    "<a href=x><img src=a.jpg></a><select><option>x</select>",
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
            for name in ("src", "srcset", "sizes", "width", "height", "style"):
                element.attrib.pop(name, None)
            if str(element.tag).endswith("style"):
                element.text = ""
        walker = html5lib.getTreeWalker("etree")
        return str(html5lib.serializer.HTMLSerializer(omit_optional_tags=False).render(walker(tree)))

    out = rewritten(html)
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
    (edit,) = rewrite_declarations(css, read_css(css), placements, deliveries_of(site)).edits
    assert edit.new == (
        'background:#222 url("a-1000.jpg") center;background:#222 image-set(url("a-1000.avif") type("image/avif") 1x,'
        ' url("a-1000.webp") type("image/webp") 1x, url("a-1000.jpg") 1x) center'
    )
    out = css[: edit.start] + edit.new + css[edit.end :]
    assert all(p.use == "kept" for p in site_of("<link rel=stylesheet href=main.css>", out).pages[0].placements)


def declared(css: str, widths: tuple[int, ...] = (500, 1000)) -> str:
    """A sheet rewritten."""
    _, done = rewrite("<link rel=stylesheet href=main.css><p>x", css, widths)
    return done.texts.get("main.css", css.encode()).decode()


def test_a_narrower_background_keeps_its_painted_size() -> None:
    """Its resolution says how many pixels one CSS px holds; the plain fallback stays the original.

    Browsers take an option by its resolution: all are of one, or the widest would be taken for its.
    """
    assert declared("p{background-image:url(a.jpg)}", (500,)) == (
        'p{background-image:url(a.jpg);background-image:image-set(url("a-500.avif") type("image/avif") 0.5x,'
        ' url("a-500.webp") type("image/webp") 0.5x, url("a-500.jpg") 0.5x)}'
    )


def test_a_narrower_fallback_alone_is_told_by_its_resolution() -> None:
    """Where no modern format was worth it: plain, and behind a variable."""
    for css, before in (
        ("p{background: red url(a.jpg)}", "p{background: red url(a.jpg);"),
        ("p{background: var(--x) url(a.jpg)}", "p{background: var(--x) url(a.jpg)}@supports (background-image:"),
    ):
        site = site_of("<link rel=stylesheet href=main.css><p>x", css)
        alone = {
            path: replace(d, files=tuple(f for f in d.files if f.tier == "baseline"))
            for path, d in deliveries_of(site, (500,)).items()
        }
        placements = [p for p in site.pages[0].placements if p.source == "main.css"]
        edits = rewrite_declarations(css, read_css(css), placements, alone).edits
        out = css
        for edit in sorted(edits, key=lambda e: -e.start):
            out = out[: edit.start] + edit.new + out[edit.end :]
        assert out.startswith(before) and 'image-set(url("a-500.jpg") 0.5x)' in out


ONE_ADDRESS = [
    "p{background: var(--night) url('a.jpg') center / cover; background-size: contain}",
    "p{q{background: var(--night) url('a.jpg') center / cover}}",
    ":root{--hero: url(a.jpg)}",
    "p{list-style: url(a.jpg)}",
    "p{border-image: url('a.jpg') 3}",
    "p::before{content: url(a.jpg)}",
    "@media print{p{q{background: var(--x), url(a.jpg), url(d.png)}}}",
]


@pytest.mark.parametrize("css", ONE_ADDRESS)
def test_where_no_fallback_works_a_smaller_file_of_the_same_size_stands(css: str) -> None:
    """`var()` makes a declaration valid to every browser, so nothing before it counts; nor before other properties."""
    assert re.sub(r"""url\(["']?([ad])-1000\.(jpg|png)["']?\)""", r"url(\1.\2)", declared(css)) == css.replace("'", "")
    assert "-1000." in declared(css) and declared(css, (500,)) == css


def test_variables_stand_once_more_for_browsers_that_can_choose() -> None:
    """Whole, in a rule of its own behind the first: what the variable holds need not be known."""
    css = "@media print{p , q{color:red;background: var(--x, red) url('a.jpg') !important}}"
    sets = (
        'image-set(url("a-1000.avif") type("image/avif") 1x, url("a-1000.webp") type("image/webp") 1x,'
        ' url("a-1000.jpg") 1x)'
    )
    assert declared(css) == (
        '@media print{p , q{color:red;background: var(--x, red) url("a-1000.jpg") !important}'
        '@supports (background-image:image-set("x" type("image/avif") 1x)){'
        f"p , q{{background: var(--x, red) {sets} !important}}}}}}"
    )


def test_shapes_and_masks_stay() -> None:
    """They read pixels, not looks."""
    css = "p{mask: url(a.jpg); shape-outside: url(d.png); clip-path: url(a.jpg)}"
    assert declared(css) == css


def test_pictures_alone_get_one_width() -> None:
    """No page says where they are shown: each becomes one picture, no wider than the rules say."""
    facts = {p: ImageFacts("jpeg", width, 1000, 900_000, p) for p, width in (("a/x.jpg", 4000), ("a/y.jpg", 1200))}
    site = read_site([SiteFile(p, p, 900_000, f) for p, f in facts.items()], lambda path: b"")
    assert [[s.width for s in p.steps] for p in plan_treatment(site, Rules())] == [[1920], [1200]]


def test_names_never_clash() -> None:
    """Where the site has a file of that name already, part of the hash is added."""
    files = {"x/a.jpg": 1, "x/A-500.avif": 1}
    rendition = RenditionFacts(tier="avif", format="avif", width=500, height=250, bytes=9, sha256="c0ffee00" * 8)
    plan = plan_delivery([Original("x/a.jpg", 1000, 500, (rendition,))], FileIndex(files))
    assert plan["x/a.jpg"].files[0].path == "x/a-500-c0ffee00.avif"
    assert sibling_address("../i/a b.jpg?v=1,2#f", "i/a b-500.avif") == "../i/a%20b-500.avif?v=1%2C2#f"


def test_savings_count_what_each_tier_gets() -> None:
    """The heaviest file that an element may be given; a social card that is also shown counts once."""
    page = "<meta property=og:image content=a.jpg><img src=a.jpg><img src=d.png><img src=a.jpg width=100>"
    site = site_of(page)
    deliveries = deliveries_of(site)
    del deliveries["d.png"]
    done = SiteRewriter(site, deliveries, {"index.html": page.encode()}.__getitem__).rewrite(Limits())
    sizes = {f.path: f.bytes for d in deliveries.values() for f in d.files}
    savings = compute_savings(site, done.outcomes, sizes)
    assert savings.pages[0].before == savings.before == 200_000
    assert dict(savings.after) == {
        "avif": 100_000 + 10_000,
        "webp": 100_000 + 20_000,
        "baseline": 100_000 + 40_000,
    }


def test_one_img_is_one_load() -> None:
    """Of all its candidates and its plain address, the heaviest that may be chosen."""
    page = (
        '<picture><source media=print srcset=d.png><img src="b c.jpg" srcset="a.jpg 1000w, b%20c.jpg 500w"></picture>'
    )
    site = site_of(page)
    assert compute_savings(site, {}, {}).pages[0].before == 100_000
