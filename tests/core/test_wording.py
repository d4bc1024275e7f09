"""Words for images: what stands around them, what is suggested, and names that no text is left behind with."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.rewriting.surroundings import Surroundings
from ivory_thistle.core.wording.alternatives import suggested_alternative
from ivory_thistle.core.wording.context import image_contexts
from ivory_thistle.core.wording.names import apart, is_descriptive, is_well_formed, slug, suggested_name, words_of
from ivory_thistle.core.wording.renaming import Renamed, redirects, rename_files
from ivory_thistle.core.wording.writing import write_alternatives

PAGE = """<title>Pictures</title><h1>The old <b>harbour</b></h1><p>Boats come in &amp; go out.</p>
<figure><img src=a.jpg><figcaption>Two boats at &lt;dawn&gt;</figcaption></figure>
<script>var x = "<img src=no.jpg>"</script><p>Then <img src=b.jpg alt=""> comes evening.</p>
<a href=x><img src=c.jpg>More boats</a><a href=y><img src=d.jpg></a>
<img src=e.jpg role=presentation><img src=f.png width=16 height=16><h2>Nets</h2><img src=IMG_0001.JPG>"""


def test_what_stands_around_an_image() -> None:
    """Heading, caption, link and the text before and after, decoded; what a script holds is no image."""
    images = {image.address: image for image in image_contexts(read_html_source(PAGE.encode()))}
    assert list(images) == ["a.jpg", "b.jpg", "c.jpg", "d.jpg", "e.jpg", "f.png", "IMG_0001.JPG"]
    assert (images["a.jpg"].heading, images["a.jpg"].caption) == ("The old harbour", "Two boats at <dawn>")
    assert images["a.jpg"].before.endswith("Boats come in & go out.")
    assert (images["b.jpg"].alt, images["b.jpg"].after) == ("", "comes evening. More boats Nets")
    assert images["c.jpg"].link_text == "More boats" and images["d.jpg"].link_text == ""
    assert images["IMG_0001.JPG"].heading == "Nets" and images["IMG_0001.JPG"].line == 5


def test_what_is_suggested_as_alternative_text() -> None:
    """Empty for what decorates (the HTML standard, section 4.8.4.4), else caption, the file's name or the heading."""
    images = {image.address: image for image in image_contexts(read_html_source(PAGE.encode()))}

    def said(address: str, path: str = "") -> str | None:
        found = suggested_alternative(images[address], "content", path or f"img/{address}")
        return found.text if found else None

    assert said("a.jpg") == "Two boats at <dawn>"
    assert said("c.jpg") == "" and said("e.jpg") == "" and said("f.png") == ""
    assert said("d.jpg", "img/nets-drying.jpg") == "Nets drying"
    assert said("IMG_0001.JPG") == "Nets"
    decoration = suggested_alternative(images["d.jpg"], "decoration", "d.jpg")
    assert decoration is None or decoration.text != "", "what a link alone holds is its text"


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("IMG_1234", False), ("DSC00042", False), ("photo", False), ("a1b2c3d4e5f6", False), ("2024-05-01 12.30.11", False),
        ("Untitled-1 copy", False), ("hero", True), ("oldHarbour", True), ("WhatsApp Image 2024", False), ("boat-2", True),
    ],
)  # fmt: skip
def test_names_that_say_what_is_shown(name: str, says: bool) -> None:
    """What cameras and programs write says nothing; common practice, no source."""
    assert is_descriptive(name) is says


def test_suggested_names() -> None:
    """Lower case, hyphens, no stop words, no letters that addresses would have to escape."""
    assert suggested_name("i/IMG_1.JPG", ["", "The boats of the old harbour at dawn, with nets"]) == (
        "boats-old-harbour-dawn-nets"
    )
    assert suggested_name("i/IMG_1.JPG", ["Größe der Brücke"]) == "groesse-bruecke"
    assert suggested_name("i/Old Harbour_2.jpg", ["Something else"]) == "old-harbour-2"
    assert suggested_name("i/old-harbour.jpg", ["Something else"]) == ""
    assert suggested_name("i/IMG_1.JPG", ["日本", "123"]) == ""
    taken = {"i/boat.jpg", "i/boat-2.jpg"}
    assert apart("boat", "i", "jpg", taken) == "i/boat-3.jpg"


@given(st.text(max_size=200))
def test_names_are_well_formed_whatever_the_words(text: str) -> None:
    """Or there is none."""
    name = slug(words_of(text))
    assert name == "" or (is_well_formed(name) and len(name) <= 60)


def test_alternative_text_is_written_where_there_is_none() -> None:
    """Escaped, and every other byte stays; an `alt` that is there is never changed."""
    page = b"<IMG src='a.jpg'>\r\n<img src=b.jpg alt=kept><img\n src=c.jpg /><img>"
    written = write_alternatives(read_html_source(page), {0: 'A "wide" & blue bay', 1: "no", 2: "", 3: "x"})
    assert written.data == (
        b"<IMG src='a.jpg' alt=\"A &quot;wide&quot; &amp; blue bay\">\r\n<img src=b.jpg alt=kept>"
        b'<img\n src=c.jpg alt="" /><img alt="x">'
    )


@pytest.mark.parametrize(
    ("rule", "left"),
    [
        ("img:not([alt]){border:1px solid red}", (2, 3)),
        ("img:not([alt]) + p{color:red}", (2,)),
        ('[alt=""]{display:none}', (3,)),
        ("img[src]{border:0} p{color:red}", ()),
    ],
)
def test_no_alternative_text_where_a_rule_selects_by_it(rule: str, left: tuple[int, ...]) -> None:
    """A page must look as before: such an `img` stays without, and its line is told; the others are written."""
    page = f"<style>{rule}</style>\n<div><img src=a.jpg><p>A</p></div>\n<div><img src=b.jpg></div>".encode()
    source = read_html_source(page)
    around = Surroundings(source, "http://site.test/", lambda address: None)
    written = write_alternatives(source, {0: "A bay", 1: ""}, around.keeps_rules)
    assert written.left == left
    assert written.data.count(b" alt=") == 2 - len(left)


def renamed(files: dict[str, bytes], wanted: dict[str, str]) -> Renamed:
    """A site's files renamed."""
    return rename_files(files, files.__getitem__, wanted, lambda path: len(files[path]))


def test_every_reference_follows_a_renamed_file() -> None:
    """In markup, candidates, links, styles, absolute addresses and sheets; queries, quotes and escapes stay."""
    files = {
        "index.html": b"""<img src="img/IMG 1.jpg?v=2#x" srcset='img/IMG%201.jpg 1x, img/b.jpg 2x'><a href=img/IMG%201.jpg>big</a>
<p style="background:url('img/IMG 1.jpg')"><meta property=og:image content="/img/IMG%201.jpg"><b>IMG 1</b>""",
        "sub/page.html": b"<base href=../img/><img src='IMG 1.jpg'>",
        "css/a.css": b".x{background:url(../img/IMG%201.jpg)}",
        "img/IMG 1.jpg": b"x",
        "img/b.jpg": b"y",
    }
    done = renamed(files, {"img/IMG 1.jpg": "img/old-harbour.jpg"})
    assert done.kept == {} and done.moved == {"img/IMG 1.jpg": "img/old-harbour.jpg"}
    assert done.texts["index.html"] == (
        b"""<img src="img/old-harbour.jpg?v=2#x" srcset='img/old-harbour.jpg 1x, img/b.jpg 2x'><a href=img/old-harbour.jpg>big</a>
<p style="background:url('img/old-harbour.jpg')"><meta property=og:image content="/img/old-harbour.jpg"><b>IMG 1</b>"""
    )
    assert done.texts["sub/page.html"] == b"<base href=../img/><img src='old-harbour.jpg'>"
    assert done.texts["css/a.css"] == b".x{background:url(../img/old-harbour.jpg)}"


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("app.js", b"show('img/a.jpg')"),
        ("index.html", b"<img src=img/a.jpg><script>show('a.jpg')</script>"),
        ("index.html", b'<script type="application/ld+json">{"image":"/img/a.jpg"}</script>'),
        ("feed.xml", b"<enclosure url='/img/a.jpg'/>"),
        ("view.php", b"<img src=img/a.jpg>"),
        ("index.html", b"<div data-big=img/a.jpg></div>"),
        ("site.webmanifest", b'{"icons":[{"src":"img/a.jpg"}]}'),
    ],
)
def test_what_something_else_names_keeps_its_name(path: str, text: bytes) -> None:
    """A script, a feed, a template: nobody knows how they are read. What was made of the file keeps its name too."""
    files = {"img/a.jpg": b"x", "img/a-480.avif": b"y", "other.html": b"<img src=img/a-480.avif>", path: text}
    wanted = {"img/a.jpg": "img/boat.jpg", "img/a-480.avif": "img/boat-480.avif"}
    done = rename_files(files, files.__getitem__, wanted, lambda p: len(files[p]), lambda p: "img/a.jpg")
    assert done.moved == {} and done.texts == {}
    assert done.kept["img/a.jpg"].startswith(f"{path} names it")
    assert done.kept.keys() == wanted.keys()


def test_redirects_lead_old_addresses_to_new_ones() -> None:
    """As CSV (RFC 4180) and for both servers, addresses escaped as each of them compares."""
    made = redirects({'img/IMG 1 "x".jpg': "img/boat.jpg"})
    assert made["redirects.csv"] == b"from,to\r\n/img/IMG%201%20%22x%22.jpg,/img/boat.jpg\r\n"
    nginx = made["server-snippets/redirects.nginx.conf"].decode()
    assert 'location = "/img/IMG 1 \\"x\\".jpg" { return 301 /img/boat.jpg; }' in nginx
    assert b"RedirectMatch 301" in made["server-snippets/redirects.apache.conf"]
