"""Published cases, fetched from the registries at test time and never kept in the project."""

from __future__ import annotations

import html
import json
import re
from pathlib import Path
from typing import Any

import pytest
import webencodings

from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.prescan import PRESCANNED_BYTES, declared_encoding
from ivory_thistle.core.references.source import read_css_source, read_html_source
from ivory_thistle.core.selection.candidates import best_candidate
from ivory_thistle.core.selection.screen import Screen
from registries import member, npm_package, python_source

pytestmark = pytest.mark.whole

ONE = Screen("one", 1000, 1000, 1)


@pytest.fixture(scope="module")
def srcset_cases(tmp_path_factory: pytest.TempPathFactory) -> list[tuple[str, str, str]]:
    """The W3C's srcset conformance cases as the npm package parse-srcset 1.0.2 holds them (tests/unit/ps.js)."""
    archive = npm_package("parse-srcset", "1.0.2", tmp_path_factory.mktemp("npm"))
    text = member(archive, "tests/unit/ps.js").decode()
    text = re.sub(r"^\s*//.*$", "", text, flags=re.MULTILINE)
    found = re.findall(
        r"\{srcset: '((?:[^'\\]|\\.)*)'\s*,\s*expect: '((?:[^'\\]|\\.)*)'\s*,\s*desc: ?'((?:[^'\\]|\\.)*)'", text
    )

    def decoded(literal: str) -> str:
        # JavaScript escapes first, then the character references that the cases are written in; Python's own
        # decoder drops control characters, which the HTML standard keeps.
        plain = literal.replace("\\\\", "\\").replace("\\'", "'")
        return re.sub(r"&#x([0-9A-Fa-f]+);", lambda m: chr(int(m.group(1), 16)), plain).replace("&nbsp;", "\xa0")

    return [(decoded(a), decoded(b), html.unescape(c)) for a, b, c in found]


def test_srcset_conformance(srcset_cases: list[tuple[str, str, str]]) -> None:
    """The address that a screen of one pixel a CSS px takes, in every case."""
    assert len(srcset_cases) > 200
    wrong = []
    for srcset, expected, words in srcset_cases:
        got = best_candidate(None, srcset, None, ONE)
        if (got[0] if got else "") != expected:
            wrong.append((words, srcset, expected, got))
    assert wrong == []


@pytest.fixture(scope="module")
def tinycss2_source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The source archive of tinycss2, which carries the css-parsing-tests."""
    return python_source("tinycss2", "1.5.1", tmp_path_factory.mktemp("pypi"))


def urls_of(expected: Any) -> list[str]:
    """Addresses in an expected result: `["url", address]` tokens, and strings in url() functions."""
    if not isinstance(expected, list):
        return []
    if len(expected) >= 2 and expected[0] == "url" and isinstance(expected[1], str):
        return [expected[1]]
    if len(expected) >= 2 and expected[0] == "function" and str(expected[1]).lower() == "url":
        return [n[1] for n in expected[2:] if isinstance(n, list) and n[0] == "string"]
    return [u for part in expected for u in urls_of(part)]


def test_css_url_tokens(tinycss2_source: Path) -> None:
    """css-parsing-tests, component_value_list.json: the same addresses from every input that holds any."""
    cases = json.loads(member(tinycss2_source, "css-parsing-tests/component_value_list.json"))
    judged = 0
    for text, expected in zip(cases[::2], cases[1::2], strict=True):
        wanted = [u for u in urls_of(expected) if u and not u.startswith("#")]
        if not wanted or "@" in text:
            continue
        # Preprocessing of the input stream, which the standard does before tokenizing.
        clean = text.replace("\r\n", "\n").replace("\r", "\n").replace("\f", "\n").replace("\0", "\ufffd")
        judged += 1
        assert [r.address for r in read_css(f"a{{background:{clean}").references] == wanted, text
    assert judged >= 5


def test_css_encodings(tinycss2_source: Path) -> None:
    """css-parsing-tests, stylesheet_bytes.json: the encoding from mark, @charset or the linking document."""
    cases = json.loads(member(tinycss2_source, "css-parsing-tests/stylesheet_bytes.json"))
    judged = 0
    for case, expected in zip(cases[::2], cases[1::2], strict=True):
        if case.get("protocol_encoding"):
            continue  # A header of the server: files have none.
        data = case["css_bytes"].encode("latin-1")
        judged += 1
        assert read_css_source(data, case.get("environment_encoding") or "utf-8").encoding == expected[1], case
    assert judged >= 5


@pytest.fixture(scope="module")
def html5lib_source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The source archive of html5lib, which carries the html5lib-tests."""
    return python_source("html5lib", "1.1", tmp_path_factory.mktemp("html5lib"))


@pytest.mark.parametrize("name", ["tests1.dat", "tests2.dat"])
def test_html_encodings(html5lib_source: Path, name: str) -> None:
    """html5lib-tests, encoding: what is sniffed; where nothing is declared, the cases expect windows-1252.

    Left out: what a script writes, and declarations behind the first 1,024 bytes, which the prescan does not reach.
    """
    text = member(html5lib_source, f"testdata/encoding/{name}")
    cases = [c.split(b"\n#encoding\n") for c in text.split(b"#data\n")[1:]]
    assert len(cases) > 20
    wrong = []
    for data, expected in cases:
        if len(data) > PRESCANNED_BYTES or b"document.write" in data:
            continue
        wanted = webencodings.lookup(expected.strip().decode())
        declared = (
            read_html_source(data).encoding
            if data[:2] in (b"\xff\xfe", b"\xfe\xff", b"\xef\xbb")
            else declared_encoding(data)
        )
        if webencodings.lookup(declared or "windows-1252") != wanted:
            wrong.append((data[:300], expected.strip(), declared))
    assert wrong == []
