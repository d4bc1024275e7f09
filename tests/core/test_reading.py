"""srcset, CSS, encodings and addresses are read as their standards say."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import unquote

import pytest
import tinycss2
from PIL import Image

from ivory_thistle.core.references.addresses import FileIndex, join, page_address
from ivory_thistle.core.references.css import css_string, read_css, read_style_attribute
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.source import Edit, read_css_source, read_html_source
from ivory_thistle.core.references.srcset import parse_srcset
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import inspect_folder

# The HTML standard's own rules (https://html.spec.whatwg.org/#parsing-a-srcset-attribute), worked by hand.
SRCSETS = [
    ("a.jpg", [("a.jpg", "")]),
    ("a.jpg 480w, b.jpg 960w", [("a.jpg", "480w"), ("b.jpg", "960w")]),
    ("a.jpg 1x,b.jpg 1.5x", [("a.jpg", "1x"), ("b.jpg", "1.5x")]),
    (" , a.jpg,, b.jpg 2x ", [("a.jpg", ""), ("b.jpg", "2x")]),
    ("data:image/png;base64,AA== 2x, b.jpg", [("data:image/png;base64,AA==", "2x"), ("b.jpg", "")]),
    ("a,b.jpg 1x", [("a,b.jpg", "1x")]),
    ("a.jpg 0w, b.jpg 1w", [("b.jpg", "1w")]),
    ("a.jpg 1w 2x, b.jpg 1x", [("b.jpg", "1x")]),
    ("a.jpg 100w 50h", [("a.jpg", "100w")]),
    ("a.jpg 50h", []),
    ("a.jpg (1x, 2x) , b.jpg", [("b.jpg", "")]),
    ("a.jpg -1x, b.jpg +1x, c.jpg 1e0x", [("c.jpg", "1x")]),
]


@pytest.mark.parametrize(("value", "expected"), SRCSETS)
def test_srcset_candidates(value: str, expected: list[tuple[str, str]]) -> None:
    """Candidates, descriptors and drops of a srcset."""
    parsed = parse_srcset(value)
    assert [(c.address, c.descriptor) for c in parsed.candidates] == expected
    assert all(value[c.start : c.end] == c.address for c in parsed.candidates)


SHEETS = [
    "a{background:url(x.png)}",
    "a{background:url( 'x y.png' )}b{background:URL(\"z.png\")}",
    "/* url(no.png) */a{content:'url(no.png)';background:url(yes.png)}",
    "a{background:url(a\\)b.png)}b{background:url(\\66 oo.png)}",
    "a{background:url(bad'quote.png);color:red}b{background:url(ok.png)}",
    "a{background:image-set(url(x.png) 1x, url(y.png) 2x)}",
    "@media print{a{background:url(in.png)}}@supports (display:grid){b{background:url(too.png)}}",
    "a{background:url(x.png",
    "a{--x:url(prop.png)}",
]


def tinycss2_urls(nodes: list[object]) -> list[str]:
    """Addresses of url tokens and functions by tinycss2, a parser that follows CSS Syntax."""
    found = []
    for node in nodes:
        if node.type == "url":
            found.append(node.value)
        elif node.type == "function" and node.lower_name == "url":
            found += [n.value for n in node.arguments if n.type == "string"]
        for name in ("content", "arguments"):
            if getattr(node, name, None):
                found += tinycss2_urls(getattr(node, name))
    return found


@pytest.mark.parametrize("text", SHEETS)
def test_css_addresses_are_those_of_the_reference_parser(text: str) -> None:
    """Against tinycss2."""
    assert [r.address for r in read_css(text).references] == tinycss2_urls(tinycss2.parse_component_value_list(text))


def test_css_keeps_imports_fonts_and_fragments_apart() -> None:
    """Imports are sheets; a font's source and a fragment are no pictures."""
    sheet = read_css(
        "@import 'a.css' screen;@import url(b.css);@font-face{src:url(f.woff2)}p{mask:url(#m);cursor:url(c.png),auto}"
    )
    assert [i.address for i in sheet.imports] == ["a.css", "b.css"]
    assert [r.address for r in sheet.references] == ["c.png"]


def test_css_declarations_span_property_to_end() -> None:
    """The span is what is replaced when a fallback goes before it."""
    text = ".a{color:red; background : url(x.png) no-repeat }"
    sheet = read_css(text)
    declaration = sheet.declarations[0]
    assert (declaration.property, text[declaration.start : declaration.end]) == (
        "background",
        "background : url(x.png) no-repeat ",
    )
    assert sheet.takes_fallback(sheet.references[0])
    again = read_css(".a{background:url(x.png);background:image-set(url(x.avif) type('image/avif') 1x)}")
    assert not again.takes_fallback(again.references[0])


def test_css_string_round_trip() -> None:
    """What is written as a string is read back."""
    for address in ('a"b.png', "a\\b.png", "a\nb.png"):
        assert read_style_attribute(f"background:url({css_string(address)})").references[0].address == address


@pytest.mark.parametrize(
    ("data", "encoding"),
    [
        (b"<meta charset=windows-1251><p>", "windows-1251"),
        (b"\xef\xbb\xbf<meta charset=latin1>", "utf-8"),
        ("<p>é".encode("utf-16"), "utf-16le"),
        (b"<!-- <meta charset=koi8-r> --><p>\xe9", "windows-1252"),
        (b"<meta charset=utf-16><p>", "utf-8"),
        ("<p>é".encode(), "utf-8"),
        (b'<meta http-equiv=Content-Type content="text/html; charset=Shift_JIS">', "shift_jis"),
    ],
)
def test_encodings_are_sniffed(data: bytes, encoding: str) -> None:
    """By https://html.spec.whatwg.org/#determining-the-character-encoding ."""
    source = read_html_source(data)
    assert source.encoding == encoding
    assert source.to_bytes() == data or data.startswith(b"\xff\xfe")


def test_edits_leave_every_other_byte() -> None:
    """Also bytes that are no characters of the encoding survive."""
    data = b'<meta charset=utf-8>\xff\xfe<img src="gr\xc3\xbcn.jpg">\xff'
    source = read_html_source(data)
    (reference,) = read_page(source).references
    assert reference.address == "grün.jpg"
    assert source.apply([Edit(reference.start, reference.end, "blau-ü.jpg")]) == data.replace(
        b"gr\xc3\xbcn", b"blau-\xc3\xbc"
    )
    with pytest.raises(ValueError, match="edits overlap at 1"):
        source.apply([Edit(0, 5, ""), Edit(1, 2, "")])


def test_css_encoding_follows_the_document() -> None:
    """A sheet without a declaration of its own has the encoding of the page that links it."""
    assert read_css_source(b"a{}", "windows-1251").encoding == "windows-1251"
    assert read_css_source(b'@charset "koi8-r";a{}', "windows-1251").encoding == "koi8-r"


@pytest.mark.parametrize(
    ("document", "address", "expected"),
    [
        ("a/b.html", "c.jpg", ("local", "a/c.jpg")),
        ("a/b.html", "/c d.jpg", ("local", "c d.jpg")),
        ("a/b.html", "../c%20d.jpg?v=1#x", ("local", "c d.jpg")),
        ("a/b.html", "..\\c d.jpg", ("local", "c d.jpg")),
        ("a/b.html", " \n../../../c d.jpg ", ("local", "c d.jpg")),
        ("a/b.html", "https://site.invalid/c%20d.jpg", ("local", "c d.jpg")),
        ("a/b.html", "//cdn.example/x.jpg", ("remote", "http://cdn.example/x.jpg")),
        ("a/b.html", "cafe\u0301.jpg", ("local", "a/café.jpg")),
        ("a/b.html", "C.jpg", ("missing", "a/C.jpg")),
        ("a/b.html", "data:image/png,x", ("data", "")),
        ("a/b.html", "mailto:x@example.org", ("other", "mailto:x@example.org")),
        ("a/b.html", "http://[broken/x.jpg", ("other", "http://[broken/x.jpg")),
    ],
)
def test_addresses_lead_to_files(document: str, address: str, expected: tuple[str, str]) -> None:
    """Resolved as https://url.spec.whatwg.org/ says, to files by their exact names."""
    index = FileIndex(["a/c.jpg", "c d.jpg", "a/café.jpg"])
    found = index.resolve(page_address(document), address)
    assert (found.kind, found.path) == expected


def test_what_one_page_asked_for_answers_no_other_wrongly() -> None:
    """Documents of odd names and places beside one another: what is remembered of one is what another would find."""
    host = "http://site.invalid"
    paths = ["b.jpg", "a/b.jpg", "a/c/b.jpg", "a/index.html", "a/d.html", "a/d.html/b.jpg"]
    bases = [
        f"{host}{rest}" for rest in ("", "/", "/a", "/a/", "/a/d.html", "/a/d.html?x=/c/", "/a/d.html#/c/", "/a/c/")
    ]
    bases += ["https://site.invalid", "https://other.invalid/a/", "data:text/html,a/b", "/a/", f"{host}/a/c\\d"]
    written = [
        "b.jpg",
        "../b.jpg",
        "./",
        ".",
        "",
        "?b.jpg",
        "#b",
        " b.jpg",
        "\tb.jpg",
        "/b.jpg",
        "//site.invalid/a/b.jpg",
    ]
    written += [
        "a:b.jpg",
        "c/b.jpg?q",
        "http:b.jpg",
        "http://site.invalid/a/b.jpg",
        "\\b.jpg",
        "x" * 400,
        "%62.jpg",
        "_b",
    ]
    index = FileIndex(paths)
    for _ in range(2):
        for base in bases:
            for address in written:
                assert index.resolve(base, address) == FileIndex(paths).resolve(base, address), (base, address)
    # A fresh index remembers nothing, and hands the document's own address on: so does the standard's algorithm.
    for base in bases:
        for address in written:
            absolute = join(base, address)
            found = index.resolve(base, address)
            if absolute and absolute.startswith(f"{host}/"):
                path = absolute.removeprefix(f"{host}/").partition("#")[0].partition("?")[0]
                assert found.path in (unquote(path), f"{unquote(path).rstrip('/')}/index.html".lstrip("/")), (
                    base,
                    address,
                )


def test_a_wrong_case_is_hinted() -> None:
    """A name in the wrong case is missing, and the hint says what the file is called."""
    assert FileIndex(["Img/A.JPG"]).resolve(page_address("x.html"), "img/a.jpg").hint == "the file is called Img/A.JPG"
    assert join("http://site.invalid/", "http://[") is None


def test_every_way_of_naming_a_picture_is_read() -> None:
    """One page with all of them."""
    page = """<base href="/b/"><link rel="shortcut icon" href=i.ico><link rel=preload as=image href=p.jpg>
    <meta property=og:image content=o.jpg><img src=s.jpg srcset="t.jpg 2x" data-src=l.jpg>
    <picture><source srcset="u.webp 1w"><img src=v.jpg></picture><video poster=w.jpg><source src=no.mp4></video>
    <input type=image src=x.png><svg><image xlink:href=y.png /><use href=#no /></svg><object data=z.svg></object>
    <div style="background:url(d.png)"></div><noscript><img src=n.jpg></noscript><body background=bg.gif>
    <style>@import "k.css";p{background:url(e.png)}</style><a href=big.jpg>x</a><img src="data:image/png,AA">"""
    reading = read_page(read_html_source(page.encode()))
    names = {r.address for r in reading.references}
    assert names == {
        "i.ico",
        "p.jpg",
        "o.jpg",
        "s.jpg",
        "t.jpg",
        "l.jpg",
        "u.webp",
        "v.jpg",
        "w.jpg",
        "x.png",
        "y.png",
        "z.svg",
        "d.png",
        "n.jpg",
        "bg.gif",
        "e.png",
    }
    assert reading.base == "/b/"
    assert reading.stylesheets == ["k.css"]
    assert [link.address for link in reading.links] == ["big.jpg"]
    assert reading.data_bytes == len("data:image/png,AA")


def test_modern_pictures_and_script_driven_images_are_kept() -> None:
    """What has modern sources already, or is filled by a script, is not rewritten."""
    page = "<picture><source type=image/avif srcset=a.avif><img src=b.jpg></picture><img src=c.gif data-src=d.jpg><img src=e.jpg>"
    uses = {r.address: r.use for r in read_page(read_html_source(page.encode())).references}
    assert uses == {"a.avif": "kept", "b.jpg": "kept", "c.gif": "kept", "d.jpg": "kept", "e.jpg": "single"}


def test_web_manifests_and_attributes_of_lazy_scripts(tmp_path: Path) -> None:
    """Icons of a manifest, with their place in it; addresses in the attributes that a site's scripts read."""
    (tmp_path / "app").mkdir()
    (tmp_path / "app" / "a.webmanifest").write_text(
        '{"name": "x",\n "icons": [{"src": "icon\\u002dl.png", "sizes": "9x9"}]}'
    )
    (tmp_path / "index.html").write_text(
        "<link rel=manifest href=app/a.webmanifest><img data-src=lazy.png><p data-later=own.png data-later-srcset='two.png 2x'>"
    )
    for name in ("app/icon-l.png", "lazy.png", "own.png", "two.png"):
        Image.new("RGB", (len(name), 2)).save(tmp_path / name)
    folder = Folder(tmp_path)
    inspection = inspect_folder(folder)
    files = inspection.files
    site = read_site(files, folder.read, inspection.faults, lazy_attributes=("data-later", "data-later-srcset"))
    assert site.pages[0].files == ("own.png", "two.png", "app/icon-l.png")
    icon = next(p for p in site.pages[0].placements if p.element == "manifest")
    assert (icon.source, icon.line, icon.file) == ("app/a.webmanifest", 2, "app/icon-l.png")
    assert "lazy.png" in read_site(files, folder.read).pages[0].files
