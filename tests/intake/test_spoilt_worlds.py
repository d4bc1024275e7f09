"""What a page's scripts do to the language and the browser changes nothing of what is seen of it, or of the others."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.browser import PageMeasurement, measure_pages
from ivory_thistle.intake.comparing import compare_sites
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.intake.sweeping import sweep_pages
from pictures import encoded, photograph

pytestmark = pytest.mark.browser
SPOILERS = {
    "numbers": "Math.round = () => 'x'; Math.max = () => ({}); Number.prototype.toFixed = () => null;",
    "lists": "Array.prototype.push = () => {}; Array.prototype.map = () => 7; Array.prototype.filter = () => 'q';",
    "boxes": "Element.prototype.getBoundingClientRect = () => ({x: 'a', y: null, width: {}, height: [1]});",
    "documents": "Document.prototype.querySelectorAll = () => { throw 1; }; window.getComputedStyle = () => null;",
    "text": "JSON.stringify = () => '}{'; Object.prototype.toJSON = () => 5; String.prototype.toLowerCase = () => 3;",
    "clocks": "performance.now = () => 'late'; window.requestAnimationFrame = () => {}; window.setTimeout = () => {};",
    "paints": "PerformanceObserver = function () { throw 3; }; window.__thistle = {lcp: {url: {}, size: 'x'}};",
    "images": "for (const name of ['currentSrc', 'complete', 'naturalWidth'])"
    " Object.defineProperty(HTMLImageElement.prototype, name, {get: () => ({a: 1})});",
    "listeners": "window.getEventListeners = () => { for (;;); };",
    "names": "Object.defineProperty(Element.prototype, 'tagName', {get: () => 5});"
    "Object.defineProperty(document, 'images', {get: () => 5});",
}
HIDING = ("tagName", "id", "parentElement", "getBoundingClientRect", "getAttribute", "checkVisibility", "className")
"""Names of fields that hide what is a form's own (https://html.spec.whatwg.org/multipage/forms.html#dom-form-nameditem)."""
HIDING_OF_DOCUMENTS = ("documentElement", "body", "images", "querySelectorAll", "baseURI", "scripts", "querySelector")
"""The same for images and a document (https://html.spec.whatwg.org/multipage/dom.html#dom-document-nameditem)."""
SCREEN = Screen("small", 400, 600, 1)


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Folder:
    """A plain page, and the same with each of the scripts."""
    folder = tmp_path_factory.mktemp("site")
    (folder / "a.png").write_bytes(encoded(photograph("coffee").resize((300, 200)), "PNG"))
    for name, script in {"plain": "", **SPOILERS}.items():
        head = f"<!doctype html><title>x</title><script>{script}</script>"
        (folder / f"{name}.html").write_text(f'{head}<p>Text</p><img src="a.png" width="300" height="200">')
    return Folder(folder)


@pytest.mark.whole
def test_a_page_is_seen_as_it_is(site: Folder) -> None:
    """Boxes, bytes and paints of a spoilt page are those of the plain one; comparing and sweeping it finds the same."""
    pages = [f"{name}.html" for name in ("plain", *SPOILERS)]
    found: dict[str, PageMeasurement] = {}
    with serve_site(site.paths()[0], site.read) as address:
        measure_pages(address, pages, [SCREEN], lambda measured: found.update({measured.page: measured}))
        swept = sweep_pages(address, pages, [SCREEN])
        assert compare_sites(address, address, pages, [SCREEN]) == []
    plain = replace(found["plain.html"], page="", layout_shift=0.0)
    assert (plain.placements[0].width, plain.lcp_path, plain.problem) == (300, "a.png", "")
    for name in SPOILERS:
        page = f"{name}.html"
        assert replace(found[page], page="", layout_shift=0.0) == plain, name
        assert swept[page] == swept["plain.html"], name


def test_names_hide_nothing(tmp_path: Path) -> None:
    """A page whose fields and images are called like what the document and its forms have is seen as any other."""
    (tmp_path / "a.png").write_bytes(encoded(photograph("coffee").resize((300, 200)), "PNG"))
    for page, names in {"plain": [f"n{n}" for n in range(14)], "hiding": [*HIDING, *HIDING_OF_DOCUMENTS]}.items():
        fields = "".join(f'<input name="{name}" size="4">' for name in names[: len(HIDING)])
        images = "".join(f'<img src="a.png" name="{name}" width="90" height="60">' for name in names[len(HIDING) :])
        form = f'<form id="f" style="background: url(a.png)">{fields}</form>'
        (tmp_path / f"{page}.html").write_text(f"<!doctype html><title>x</title><body>{form}{images}")
    pages, site, found = ["plain.html", "hiding.html"], Folder(tmp_path), {}
    with serve_site(site.paths()[0], site.read) as address:
        measure_pages(address, pages, [SCREEN], lambda one: found.update({one.page: one}), looks=True)
        swept = sweep_pages(address, pages, [SCREEN], backgrounds=pages)
        assert compare_sites(address, address, pages, [SCREEN]) == []
    seen = [found[page].seen for page in pages]
    assert seen[0] and seen[1] and seen[0].boxes == seen[1].boxes
    plain, hiding = (replace(found[page], page="", layout_shift=0.0, seen=None) for page in pages)
    assert hiding == plain and plain.problem == ""
    assert [p.element for p in plain.placements] == ["form#f", *["img"] * 7]
    assert swept["hiding.html"] == swept["plain.html"] and len(swept["plain.html"].images) == 7


def test_pages_that_do_not_stay_are_told_in_words(tmp_path: Path) -> None:
    """One that begins anew without end and one whose document is taken away: both say so, and no other suffers."""
    pages = {
        "anew": (
            "<script>setInterval(() => location.reload(), 50)</script>",
            "it went on to another page, or began anew.",
        ),
        "gone": ("<script>onload = () => document.documentElement.remove()</script>", "took its document apart."),
        "plain": ("", ""),
    }
    for name, (script, _) in pages.items():
        (tmp_path / f"{name}.html").write_text(f"<!doctype html><title>{name}</title>{script}<p>Text")
    site, found = Folder(tmp_path), {}
    names = [f"{name}.html" for name in pages]
    with serve_site(site.paths()[0], site.read) as address:
        measure_pages(address, names, [SCREEN], lambda one: found.update({one.page: one}))
        compared = {d.page: d.words for d in compare_sites(address, address, names, [SCREEN])}
    for name, (_, words) in pages.items():
        assert found[f"{name}.html"].problem.endswith(words) and compared.get(f"{name}.html", "").endswith(words), name
    assert compared.keys() == {"anew.html", "gone.html"}


@pytest.mark.whole
def test_what_is_told_of_a_page_has_an_end(tmp_path: Path) -> None:
    """Endless messages, a long inline picture behind every element, more elements than a page has: each has a limit."""
    inline = "data:image/png;base64," + "A" * 300_000
    pages = {
        "plain": "<p>Text</p>",
        "messages": "<script>for (let n = 0; n < 3000; n++) console.error(n + 'x'.repeat(5000));</script>",
        "inline": f'<style>p {{ background: url("{inline}") }}</style>{"<p>x</p>" * 100}<img src="{inline}">',
        "elements": "<script>for (let n = 0; n < 150000; n++) document.body.append(document.createElement('b'));</script>",
    }
    for name, body in pages.items():
        (tmp_path / f"{name}.html").write_text(f"<!doctype html><title>{name}</title><body>{body}")
    site = Folder(tmp_path)
    found: dict[str, PageMeasurement] = {}
    names = [f"{name}.html" for name in pages]
    with serve_site(site.paths()[0], site.read) as address:
        measure_pages(address, names, [SCREEN], lambda one: found.update({one.page: one}), looks=True)
        assert [d.page for d in compare_sites(address, address, names, [SCREEN])] == ["elements.html"]
        assert len(sweep_pages(address, ["inline.html"], [SCREEN])["inline.html"].images[0].src) == 2_000
    assert [name for name in names if found[name].problem] == ["elements.html"]
    assert "It has 150" in found["elements.html"].problem
    seen = found["messages.html"].seen
    assert seen is not None and len(seen.messages) == 200 and max(map(len, seen.messages)) < 1_000
    behind = [p for p in found["inline.html"].placements if p.kind == "background"]
    assert len(behind) == 100 and all(len(p.address) < 200 for p in behind)
