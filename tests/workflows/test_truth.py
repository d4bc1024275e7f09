"""Chromium is the judge: what we say a page loads is what comes over the wire, address by address."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from PIL import Image

from bench.truth import Verdict, compare
from css_variables import VARIABLES
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.findings.audit import audit_site
from ivory_thistle.core.findings.pages import PageWeighed
from ivory_thistle.core.formats.tiers import shown_by_chromium
from ivory_thistle.core.selection.loads import PageOnScreens
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake import chromium
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows import measuring
from ivory_thistle.workflows.folders import treat_folder
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.reporting import measured_json

pytestmark = [pytest.mark.recorded, pytest.mark.usefixtures("measured_as_recorded")]
VECTOR = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><g id="a"><rect width="5" height="5"/></g></svg>'


def write_pictures(root: Path, names: str) -> None:
    """A picture of its own for every name."""
    for n, name in enumerate(names.split(), 1):
        file = root / name
        file.parent.mkdir(parents=True, exist_ok=True)
        if name.endswith(".svg"):
            file.write_text(VECTOR + f"<!-- {n} -->")
        else:
            Image.new("RGB", (n, 8), (n, 0, 99)).save(file, "WEBP" if name.endswith(".webp") else "PNG")


def judged(root: Path, html: str, names: str, css: str = "") -> Verdict:
    """The verdict on one page that may use all the pictures named."""
    write_pictures(root, names)
    (root / "css").mkdir(exist_ok=True)
    (root / "css" / "s.css").write_text(css)
    (root / "index.html").write_text(f"<!doctype html>{html}")
    return compare(root)


def agreed(verdict: Verdict) -> bool:
    """True where nothing differs; a difference fails with all sentences."""
    assert verdict.wrong == []
    return verdict.exact == verdict.pages == len(DEFAULT_SCREENS)


def test_elements_without_a_box(tmp_path: Path) -> None:
    """What hides: images load all the same, lazy ones and styles do not, embedded objects do not."""
    html = """<style>.h{display:none} .a{background:url(bg-own.png)} .c{background:url(bg-child.png)}
      .b::before{background:url(no-content.png)} .b2::before{content:"";background:url(content.png)}</style>
      <div class="h a">x<div class=c>y</div><img src=img.png><img src=lazy.png loading=lazy><input type=image src=input.png>
      <video poster=poster.png></video><svg><image href=vector.png /><use href="use.svg#a"/></svg>
      <object data=object.png type=image/png></object><embed src=embed.png type=image/png></div>
      <div class=b>b</div><div class=b2>b</div>
      <details><summary>s</summary><img src=closed.png><div style="background:url(bg-closed.png)">x</div></details>
      <dialog><img src=dialog.png><div style="background:url(bg-dialog.png)">x</div></dialog>
      <div hidden><div style="background:url(bg-hidden.png)">x</div></div>
      <noscript><img src=noscript.png></noscript><template><img src=template.png></template>
      <table background=table.png><tr><td background=cell.png>x</table><object data=shown.png></object>"""
    names = """bg-own.png bg-child.png no-content.png content.png img.png lazy.png input.png poster.png vector.png use.svg
      object.png embed.png closed.png bg-closed.png dialog.png bg-dialog.png bg-hidden.png noscript.png template.png
      table.png cell.png shown.png"""
    assert agreed(judged(tmp_path, html, names))


def test_the_cascade(tmp_path: Path) -> None:
    """Specificity, order, importance, layers, media, imports, nesting, variables: only the winner is loaded."""
    css = """@import "more.css" layer(base) screen and (min-width: 700px);
      @layer base, theme;
      @layer theme { .layer { background-image: url(../theme.png) } .imp { background: url(../imp-theme.png) !important } }
      @layer base { .layer { background-image: url(../base.png) } .imp { background: url(../imp-base.png) !important } }
      .spec { background: url(../spec-class.png) } div { background-image: none } #id.spec { background: url(../spec-id.png) }
      .order { background: url(../order-1.png) } .order { background: url(../order-2.png) }
      @media (max-width: 600px) { .media { background: url(../narrow.png) } }
      @media (min-width: 601px) and (min-resolution: 2dppx) { .media { background: url(../dense.png) } }
      @supports (display: grid) { .sup { background: url(../grid.png) } }
      @supports not (display: grid) { .sup { background: url(../no-grid.png) } }
      .nest { color: red; & .in { background: url(../nested.png) } @media (min-width: 1000px) { background: url(../nest-wide.png) } }
      .var { background: var(--picture, url(../fallback.png)) } .var2 { background: var(--none, url(../fallback2.png)) }
      .set { background-image: image-set("../set-1.png" 1x, "../set-2.png" 2x) }
      .typed { background-image: image-set(url(../t.webp) type("image/webp"), url(../t.png) type("image/png")) }
      .hover:hover { background: url(../hover.png) } .list { list-style: url(../list.png) }
      .inline { background: url(../not-inline.png) } p:is(.x, .y):not(.z) { background: url(../is.png) }
      broken { { } .after { background: url(../after.png) }"""
    html = """<link rel=stylesheet href=css/s.css><style>:root { --picture: url(var.png) }</style>
      <div class=layer>x</div><p class=imp>x<p class=imported>x<div class=spec id=id>x</div><p class=order>x<p class=media>x
      <p class=sup>x<div class=nest><p class=in>x</div><p class=var>x<p class=var2>x<p class=set>x<p class=typed>x<p class=hover>x
      <ul class=list><li>x</ul><p class=inline style="background:url(inline.png)">x<p class="x">x<p class="x z">x"""
    names = """theme.png base.png imp-theme.png imp-base.png spec-class.png spec-id.png order-1.png order-2.png narrow.png
      dense.png grid.png no-grid.png nested.png nest-wide.png fallback.png fallback2.png set-1.png set-2.png t.webp t.png
      hover.png list.png not-inline.png is.png after.png var.png css/var.png inline.png imported.png"""
    write_pictures(tmp_path, "css/more.png")
    (tmp_path / "css" / "more.css").write_text(".imported { background: url(more.png) }")
    assert agreed(judged(tmp_path, html, names, css))


@pytest.mark.parametrize(("css", "_"), VARIABLES)
def test_custom_properties(tmp_path: Path, css: str, _: object) -> None:
    """The cases of the cascade's own test."""
    named = re.sub(r"url[(](.)[)]", r"url(\1.png)", css)
    assert agreed(judged(tmp_path, f"<style>{named}</style><p>", "x.png y.png f.png"))


def test_what_is_not_there_and_what_gives_way(tmp_path: Path) -> None:
    """Pseudo-elements that wait for a person, markers of no list, closed popovers, skipped contents, layers that give way
    and properties that nobody knows: none is loaded. A mouse is taken to be there.
    """
    html = """<style>p::selection { background: url(selected.png) } p::first-letter { background: url(letter.png) }
      p::marker { content: url(no-marker.png) } li::marker { content: url(marker.png) }
      .skips { content-visibility: hidden; background: url(own.png) } .skips::after { content: url(pseudo.png) } .skips b { background: url(skipped.png) }
      @layer low, high; @layer low { .r { background: url(low.png) } } @layer high { .r { background: revert-layer } }
      @layer high { .r2 { background: url(high.png) } } .r2 { background: revert-layer }
      .s:not(:muted) { mask: url(muted.png) } .s[class="s" s] { cursor: url(flag.png), auto }
      li::marker { background: url(bare.png) } p::first-line { border-image: url(line.png) 1; background: url(first.png) }
      @supports (foo: bar) { .s { background: url(unknown.png) } }
      @supports (display: grid) and (not (foo: bar)) { .s { background: url(known.png) } }
      @media (hover: hover) and (pointer: fine) { .m { background: url(mouse.png) } }
      @media (hover: none) { .m { background: url(touch.png) } }</style>
      <p>x<ul><li>x</ul><div class=skips><b>x</b><img src=image.png></div><div class=r>x</div><div class=r2>x</div>
      <div class=s>x</div><div class=m>x</div><div popover><i style="background:url(closed.png)">x</i><img src=pop.png></div>"""
    names = """selected.png letter.png no-marker.png marker.png own.png skipped.png low.png high.png unknown.png known.png
      mouse.png touch.png image.png closed.png pop.png pseudo.png muted.png flag.png bare.png line.png first.png"""
    assert agreed(judged(tmp_path, html, names))


def test_which_style_sheets_count(tmp_path: Path) -> None:
    """By type, by title (the first is that of all), by place; and values that only other browsers know."""
    css = """@charset "utf-8"; @layer before; @import "first.css"; @layer between; @import "late.css";
      .all { background: url(../all.png); all: unset } .moz { background: url(../kept.png); background: -moz-linear-gradient(red, blue) }
      .std { background: url(../lost.png); background: linear-gradient(red, blue) }
      .webkit { background: -webkit-linear-gradient(red, blue), url(../webkit.png) }"""
    html = """<link rel=stylesheet href=css/s.css><link rel=stylesheet type=text/less href=css/less.css>
      <link rel=stylesheet type="TEXT/CSS; charset=utf-8" href=css/typed.css><link rel=stylesheet title=b href=css/titled.css>
      <link rel=stylesheet title=other href=css/other.css><link rel=prefetch href=soon.png><link rel=prefetch href=index.html>
      <style type=text/foo>p { border-image: url(foo.png) 1 }</style><style type="text/css; x">p { mask-image: url(x.png) }</style>
      <svg width=9 height=9><style>.drawn { background: url(drawn.png) }</style></svg><p>x<p class=all>x<p class=moz>x
      <p class=std>x<p class=webkit>x<p class=drawn>x"""
    names = """all.png kept.png lost.png webkit.png soon.png foo.png x.png drawn.png css/first.png css/late.png css/less.png
      css/typed.png css/titled.png css/other.png"""
    (tmp_path / "css").mkdir()
    sheets = {
        "first": "cursor",
        "late": "filter",
        "less": "shape-outside",
        "typed": "clip-path",
        "titled": "list-style-image",
    }
    for name, property in {**sheets, "other": "border-image-source"}.items():
        value = f"url({name}.png)" + (", auto" if property == "cursor" else "")
        (tmp_path / "css" / f"{name}.css").write_text(f"p {{ {property}: {value} }}")
    assert agreed(judged(tmp_path, html, names, css))


def test_what_hangs_on_a_layout_leaves_in_doubt(tmp_path: Path) -> None:
    """What it may override, show, hide or vary is foretold as it would be without, and said to be uncertain."""
    html = """<style>.k { container-type: inline-size; width: 300px; --p: url(var.png); --q: url(steady.png) }
      .o { background: url(under.png); border-image: url(other.png) 1 } .h { display: none; background: url(hidden.png) }
      .v { background: var(--p) } .q { background: var(--q) } .n { background: url(near.png) }
      @container (min-width: 200px) { .o { background: url(over.png) } .h { display: block } .v { --p: none }
        .d { display: none } .n { display: flex } }</style>
      <div class=k><p class=o>x<p class=h>x<p class=v>x<p class=q>x<p class=n>x
      <div class=d><img loading=lazy src=lazy.png><img src=eager.png></div></div>"""
    doubted, sure = "under.png over.png hidden.png var.png lazy.png", "other.png steady.png near.png eager.png"
    write_pictures(tmp_path, f"{doubted} {sure}")
    (tmp_path / "index.html").write_text(f"<!doctype html>{html}")
    folder = Folder(tmp_path)
    site, screen = read_folder(folder), DEFAULT_SCREENS[-1]
    page = PageOnScreens("index.html", site, folder.read)
    foretold = {load.path for load in page.loads(screen, shown_by_chromium())}
    assert foretold == {"under.png", "var.png", "lazy.png", *sure.split()}
    assert page.uncertain() == set(doubted.split())
    ((_, weights),) = measure_folder(folder, site, [screen])
    assert {one.path for one in weights["avif"]} == {"over.png", "hidden.png", *sure.split()}


@pytest.mark.whole
def test_what_style_sheets_leave_open(tmp_path: Path) -> None:
    """By containers, scopes, first styles, animations and shadow trees: said to be uncertain, where it comes and where not."""
    html = """<style>.k { container-type: inline-size; width: 300px }
      @container (min-width: 200px) { .c { background: url(wide.png) } }
      .k { @container (max-width: 100px) { .c { background: url(narrow.png) } } }
      @scope (.k) { .c { border-image: url(scoped.png) 1 } } @starting-style { .c { mask-image: url(first.png) } }
      @keyframes k { from { background: url(from.png) } to { background: image-set("to.png" 1x) } }
      .a { animation: k 1s infinite } .sure { background: url(sure.png) }
      :is(.sure, :unheard-of(x)) { border-image: url(forgiven.png) 1 } .sure:unheard-of { mask: url(void.png) }
      input:focus { background: url(focus.png) }
      @supports selector(:unheard-of) { .sure { cursor: url(supported.png), auto } }</style>
      <div class=k><div class=c>x</div></div><div class=a>x</div><div class=sure>x</div><input autofocus>
      <div><template shadowrootmode=open><style>i { background: url(shadow.png) }</style><i>x</i></template></div>
      <template id=t><p><img src=cloned.png><template><img srcset="unused.png 2x"></template></template>
      <script>document.body.append(t.content)</script>"""
    names = """wide.png narrow.png scoped.png first.png from.png to.png shadow.png cloned.png unused.png forgiven.png
      void.png supported.png focus.png"""
    write_pictures(tmp_path, f"{names} sure.png")
    (tmp_path / "index.html").write_text(f"<!doctype html>{html}")
    folder = Folder(tmp_path)
    site, screen = read_folder(folder), DEFAULT_SCREENS[-1]
    page = PageOnScreens("index.html", site, folder.read)
    assert page.uncertain() == set(names.split())
    assert {load.path for load in page.loads(screen, shown_by_chromium())} == {"sure.png", "supported.png"}
    ((_, weights),) = measure_folder(folder, site, [screen])
    came = {one.path for one in weights["avif"]}
    certain = "sure.png wide.png scoped.png from.png shadow.png cloned.png forgiven.png focus.png"
    assert came >= set(certain.split()) and came.isdisjoint({"narrow.png", "void.png", "supported.png"})


def test_addresses_and_lazy_images(tmp_path: Path) -> None:
    """The same file by two queries comes twice, by two fragments once; lazy images come when they are near."""
    html = """<base href="/deep/"><img src="a.png?1"><img src="a.png?2"><img src="a.png#x"><img src="..\\deep\\a.png">
      <img src=" %62.png "><link rel=preload as=image href=pre.png><link rel=preload as=image href=foo.png type=image/foo>
      <link rel=preload as=image href=wide.png media="(min-width: 9999px)"><img src="https://elsewhere.invalid/x.png">
      <div style="height: 2000px"></div><img loading=lazy width=9 height=9 src=near.png>
      <div style="height: 3000px"></div><img loading=lazy width=9 height=9 src=far.png>
      <img loading=lazy sizes=auto width=300 srcset="small.png 400w, large.png 4000w">"""
    names = "a.png b.png pre.png foo.png wide.png near.png far.png small.png large.png"
    assert agreed(judged(tmp_path, html, " ".join(f"deep/{n}" for n in names.split())))


@pytest.mark.whole
def test_the_little_site_before_and_after_its_treatment(site_folder: Path, tmp_path: Path) -> None:
    """Every page and placement on four screens, and again once `picture` elements stand there."""
    treat_folder(Folder(site_folder), tmp_path / "out", Rules(fixed=True))
    for folder in (site_folder, tmp_path / "out"):
        verdict = compare(folder)
        assert verdict.wrong == []
        assert verdict.placements == 16
        assert verdict.exact == verdict.pages


def test_older_tiers_are_chosen_from_the_markup(tmp_path: Path) -> None:
    """What Chromium loads as WebP, the baseline loads as the fallback; a script's picture stays where it can be shown."""
    write_pictures(tmp_path, "a.webp a.png bg.webp bg.png script.webp")
    (tmp_path / "index.html").write_text(
        "<!doctype html><picture><source srcset=a.webp type=image/webp><img src=a.png></picture>"
        "<p style=\"background-image: image-set(url(bg.webp) type('image/webp'), url(bg.png))\">x</p>"
        "<script>document.body.append(Object.assign(new Image(), {src: 'script.webp'}))</script>"
    )
    folder = Folder(tmp_path)
    ((_, weights),) = measure_folder(folder, read_folder(folder), DEFAULT_SCREENS[:1])
    paths = {tier: sorted(one.path for one in loaded) for tier, loaded in weights.items()}
    assert paths == {
        "avif": ["a.webp", "bg.webp", "script.webp"],
        "webp": ["a.webp", "bg.webp", "script.webp"],
        "baseline": ["a.png", "bg.png"],
    }


def test_without_a_browser_everything_is_estimated_and_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Slots come from sizes, attributes or the file; lazy images are taken to lie below the first screen."""
    monkeypatch.setattr(measuring, "browser_binary", lambda: None)
    assert chromium.browser_binary() is not None
    write_pictures(tmp_path, "x.png y.png")
    (tmp_path / "index.html").write_text(
        '<!doctype html><img srcset="x.png 1w, y.png 2w" sizes="50vw"><img loading=lazy src=x.png width=40 height=20>'
    )
    folder = Folder(tmp_path)
    site = read_folder(folder)
    told = measured_json(site, measure_folder(folder, site, DEFAULT_SCREENS[:1]))
    (page,) = told["pages"]
    sizes = {i["path"]: i["bytes"] for i in told["images"]}
    phone = page["screens"]["phone"]
    assert (phone["measured"], phone["cls"], phone["lcp"]) == (False, None, None)
    assert (phone["opening"], phone["scrolled"]) == (sizes["y.png"], sizes["x.png"] + sizes["y.png"])
    slots = {i["path"]: i["slots"]["phone"] for i in told["images"]}
    assert [(s["width"], s["height"], s["measured"]) for s in slots["x.png"]] == [(40, 20, False)]
    assert [(s["width"], s["measured"]) for s in slots["y.png"]] == [(195, False)]
    json.dumps(told)


@pytest.mark.parametrize(
    "policy",
    ["img-src 'self'", "img-src 'none'", "default-src 'none'", "default-src 'none'; img-src *", "img-src data:", "img-src",
     "img-src http:", "img-src https:", "img-src http://127.0.0.1", "img-src 'self' https://pictures.invalid", "script-src *",
     "IMG-SRC 'SELF'", "img-src 'none' 'self'", "; ;img-src 'self';"],
)  # fmt: skip
def test_a_policy_in_the_page_decides_too(tmp_path: Path, policy: str) -> None:
    """https://www.w3.org/TR/CSP3/#directive-img-src : what it forbids is not loaded, in elements or styles."""
    html = f"""<meta http-equiv=Content-Security-Policy content="{policy}"><img src=a.png>
      <div style="background:url(bg.png)">x</div>"""
    assert agreed(judged(tmp_path, html, "a.png bg.png"))


def test_shadow_trees_and_void_sets(tmp_path: Path) -> None:
    """A template that is a shadow root loads its images; a negative resolution voids an `image-set()`."""
    html = """<div><template shadowrootmode=open><img src=open.png></template></div>
      <div><template shadowrootmode=closed><p><img srcset="closed.png 1x"></p></template></div>
      <template><img src=inert.png></template><style>
      p { background: url(kept.png) } .v { background: image-set(url(void.png) -1x, url(other.png) 1x) }</style><p class=v>x"""
    verdict = judged(tmp_path, html, "open.png closed.png inert.png kept.png void.png other.png")
    # What stands in a shadow tree is not among a document's images.
    assert [w for w in verdict.wrong if "we see" not in w] == [] and verdict.exact == verdict.pages


def test_a_load_that_was_not_foretold_is_understated_in_no_tier(tmp_path: Path) -> None:
    """The box of a lazy `img` decides, which markup does not tell: the older tier's like stands for it, marked."""
    for width in (100, 400, 800):
        Image.new("RGB", (width, width), (width % 256, 0, 0)).save(tmp_path / f"a{width}.webp", "WEBP")
        Image.new("RGB", (width, width), (0, width % 256, 0)).save(tmp_path / f"a{width}.png", "PNG")
    sets = {kind: ", ".join(f"a{w}.{kind} {w}w" for w in (100, 400, 800)) for kind in ("webp", "png")}
    (tmp_path / "index.html").write_text(
        f'<!doctype html><picture><source type=image/webp srcset="{sets["webp"]}"><img loading=lazy sizes="auto, 100vw"'
        f' style="width:90px;height:90px" src=a800.png srcset="{sets["png"]}"></picture>'
    )
    folder = Folder(tmp_path)
    measured = measure_folder(folder, read_folder(folder), DEFAULT_SCREENS)
    for seen, weights in measured:
        (modern,), (older,) = weights["avif"], weights["baseline"]
        assert older.path == modern.path.replace(".webp", ".png"), seen.screen
        assert older.guessed and not modern.guessed
    assert {weights["avif"][0].path for _, weights in measured} == {"a100.webp", "a400.webp"}


def test_what_a_script_shows_is_in_use(tmp_path: Path) -> None:
    """By a measurement; without one, on pages with scripts, it is said that one might show it."""
    write_pictures(tmp_path, "named.png shown.png idle.png")
    (tmp_path / "index.html").write_text(
        "<!doctype html><img src=named.png><script>document.body.append(Object.assign(new Image(), {src: 'shown.png'}))"
        "</script>"
    )
    folder = Folder(tmp_path)
    site = read_folder(folder)
    policy = Policy()

    def unused(weighed: list[PageWeighed]) -> list[str]:
        audit = audit_site(site, folder.read, [], weighed, policy)
        return [f.sentence for f in audit.findings if f.code == "unused-file"]

    assert unused([]) == [f"No page names {name}.png; a script might." for name in ("idle", "shown")]
    measured = measure_folder(folder, site, DEFAULT_SCREENS[:1])
    seen = [
        PageWeighed(m.page, DEFAULT_SCREENS[0], 0, 0, 2, files=tuple(one.path for one in m.requests))
        for m, _ in measured
    ]
    assert unused(seen) == ["No page names idle.png."]
    assert measured_json(site, measured)["totals"]["unused_images"] == 1
