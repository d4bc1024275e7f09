"""The tokenizer finds tags where browsers do."""

from __future__ import annotations

import html5lib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ivory_thistle.core.references.markup import escape_attribute, tags, unescape_attribute


def attributes(text: str, name: str) -> list[dict[str, str]]:
    """Attributes of the start tags of that name, as we read them."""
    return [
        {a.name: unescape_attribute(a.raw) for a in t.attributes}
        for t in tags(text)
        if t.name == name and not t.closing
    ]


def html5lib_attributes(text: str, name: str) -> list[dict[str, str]]:
    """The same by the reference parser html5lib (tokens only)."""
    stream = html5lib._tokenizer.HTMLTokenizer(text)
    found = []
    for token in stream:
        if token["type"] == html5lib.constants.tokenTypes["StartTag"]:
            if token["name"].lower() == name:
                found.append({k.lower(): v for k, v in dict(token["data"]).items()})
            if token["name"].lower() in ("script", "style", "title", "textarea"):
                state = {"script": stream.scriptDataState, "style": stream.rawtextState}
                stream.state = state.get(token["name"].lower(), stream.rcdataState)
    return found


CASES = [
    '<img src=a.jpg alt="b > c">',
    "<img\nsrc = 'a b.jpg'\n/>",
    "<IMG SRC=a.jpg SRC=b.jpg>",
    "<!-- <img src=no> --><img src=yes>",
    "<!--><img src=yes>-->",
    "<!---><img src=yes>-->",
    "<!-- --!><img src=yes>",
    "<script>'<img src=no>'</script><img src=yes>",
    "<script><!-- <script> </script> <img src=no> --></script><img src=yes>",
    "<style>a::before{content:'<img src=no>'}</style><img src=yes>",
    "<title><img src=no></title><img src=yes>",
    "<textarea><img src=no></textarea><img src=yes>",
    "<img src=a/b/><img src=\"c\"alt='d'>",
    "<img =x src=y>",
    "<img src='a&amp;b' alt='&copy=1&copy;&notit;&#x41;&#0;&#128;'>",
    "<p><img src=cut",
    "<img src='open",
    "</p <img src=no>><img src=yes>",
    "<?php <img src=no> ?><img src=yes>",
    "a < b <img src=yes>",
    "<img src=a\x00b alt>",
    '<img alt="" / src=x>',
]


@pytest.mark.parametrize("text", CASES)
def test_images_are_found_as_the_reference_parser_finds_them(text: str) -> None:
    """Against html5lib, a parser that follows the HTML standard's tokenization."""
    expected = html5lib_attributes(text, "img")
    got = attributes(text, "img")
    assert [{k: v.replace("\x00", "\ufffd") for k, v in d.items()} for d in got] == expected


@settings(max_examples=300)
@given(st.text(alphabet="<>/=!-'\" abimgscrpt\n&;", max_size=60))
def test_any_text_is_read_like_the_reference_parser(text: str) -> None:
    """Random tag soup: the same img tags as html5lib, and spans that hold what they say."""
    assert attributes(text, "img") == html5lib_attributes(text, "img")
    for tag in tags(text):
        assert text[tag.start] == "<"
        for a in tag.attributes:
            assert text[a.value_start : a.value_end] == a.raw


def test_positions_span_exactly_the_value() -> None:
    """The span of a value leaves the quotes out."""
    text = '<p><img alt=x src="a.jpg">'
    (tag,) = (t for t in tags(text) if t.name == "img")
    src = tag.get("src")
    assert src is not None
    assert text[src.value_start : src.value_end] == "a.jpg"
    assert text[src.start : src.end] == 'src="a.jpg"'
    assert text[tag.start : tag.end] == '<img alt=x src="a.jpg">'


@given(st.text(max_size=40))
def test_an_escaped_value_is_read_back(value: str) -> None:
    """Escaping and decoding an attribute value are inverse."""
    assert unescape_attribute(escape_attribute(value)) == value
