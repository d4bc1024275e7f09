"""Published cases, fetched from the registries at test time and never kept in the project."""

from __future__ import annotations

import html
import json
import re
import subprocess
import sys
import tarfile
from pathlib import Path
from typing import Any

import pytest

from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.source import read_css_source
from ivory_thistle.core.selection.candidates import best_candidate
from ivory_thistle.core.selection.screen import Screen

ONE = Screen("one", 1000, 1000, 1)


def unpacked(archive: Path, name: str) -> str:
    """The text of the one file of an archive whose path ends so."""
    with tarfile.open(archive) as opened:
        member = next(m for m in opened.getmembers() if m.name.endswith(name))
        file = opened.extractfile(member)
        assert file is not None
        return file.read().decode("utf-8")


@pytest.fixture(scope="module")
def srcset_cases(tmp_path_factory: pytest.TempPathFactory) -> list[tuple[str, str, str]]:
    """The W3C's srcset conformance cases as the npm package parse-srcset 1.0.2 holds them (tests/unit/ps.js)."""
    folder = tmp_path_factory.mktemp("npm")
    subprocess.run(["npm", "pack", "--silent", "parse-srcset@1.0.2"], cwd=folder, check=True, capture_output=True)
    text = unpacked(next(folder.glob("*.tgz")), "tests/unit/ps.js")
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
    folder = tmp_path_factory.mktemp("pypi")
    call = [
        sys.executable,
        "-m",
        "pip",
        "download",
        "-q",
        "--no-deps",
        "--no-binary",
        ":all:",
        "-d",
        str(folder),
        "tinycss2==1.5.1",
    ]
    subprocess.run(call, check=True, capture_output=True)
    return next(folder.glob("*.tar.gz"))


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
    cases = json.loads(unpacked(tinycss2_source, "css-parsing-tests/component_value_list.json"))
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
    cases = json.loads(unpacked(tinycss2_source, "css-parsing-tests/stylesheet_bytes.json"))
    judged = 0
    for case, expected in zip(cases[::2], cases[1::2], strict=True):
        if case.get("protocol_encoding"):
            continue  # A header of the server: files have none.
        data = case["css_bytes"].encode("latin-1")
        judged += 1
        assert read_css_source(data, case.get("environment_encoding") or "utf-8").encoding == expected[1], case
    assert judged >= 5
