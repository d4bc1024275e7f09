"""Readings of pages: kept by content, and the same as read anew."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ivory_thistle.core.references.page import LAZY_ATTRIBUTES
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection import markup_faults as of_markup
from ivory_thistle.core.selection.markup_faults import markup_faults
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.workflows.inspecting import inspect_file
from ivory_thistle.workflows.page_readings import kept_reading, reading_of

PAGE = b"""<!doctype html><meta charset=windows-1252><title>D\xfcne &amp; Meer</title><base href="/de/">
<link rel=stylesheet href=a.css><link rel=manifest href=m.json><script src=x.js></script>
<style>p{background:url(b.png)} p:hover{background:url(c.png)}</style>
<picture><source srcset="a.avif 400w, b.avif 800w"><img src=a.jpg data-src=late.jpg width=300></picture>
<img srcset="a.png 1x, b.png 1x"><img src="data:image/gif;base64,R0lGODlhAQABAAAAACw=">
<a href="next.html#one">1</a><a href="next.html#two">2</a><a href=big.jpg>3</a>"""
PIECES = [
    "<picture>", "</picture>", "<img src=a srcset='a 1x, b 1x'>", "<source srcset='a 1x'>", "<source type=image/x-none>",
    "<link rel=preload as=image imagesrcset='a 0x'>", "<p title='>'>", "</p>", "<!-- <img srcset=x> -->", "<svg/><img",
    "<script>'<picture>'</script>", "<title>", "<img srcset='a 9q' ", "text < text", "<a href=\"x", "'\">", "</picture/",
]  # fmt: skip


def never() -> bytes:
    raise AssertionError("read again")


def test_what_is_kept_is_what_was_read(tmp_path: Path) -> None:
    blobs = Blobs(tmp_path.as_uri())
    read = reading_of("a.html", PAGE, LAZY_ATTRIBUTES)
    assert kept_reading("a.html", "0" * 64, lambda: PAGE, LAZY_ATTRIBUTES, blobs) == read
    assert kept_reading("a.html", "0" * 64, never, LAZY_ATTRIBUTES, blobs) == read
    # The same content elsewhere: its faults are told of that page.
    assert read.faults
    assert {f.path for f in kept_reading("b/c.html", "0" * 64, never, LAZY_ATTRIBUTES, blobs).faults} == {"b/c.html"}
    assert read.encoding == "windows-1252"
    assert [link.address for link in read.links] == ["next.html", "big.jpg"]


def test_other_attributes_are_another_reading(tmp_path: Path) -> None:
    blobs = Blobs(tmp_path.as_uri())
    kept_reading("a.html", "0" * 64, lambda: PAGE, LAZY_ATTRIBUTES, blobs)
    other = kept_reading("a.html", "0" * 64, lambda: PAGE, ("data-other",), blobs)
    assert "late.jpg" not in {r.address for r in other.references}


def test_a_broken_note_is_no_reading(tmp_path: Path) -> None:
    blobs = Blobs(tmp_path.as_uri())
    read = kept_reading("a.html", "0" * 64, lambda: PAGE, LAZY_ATTRIBUTES, blobs)
    for broken in (b"", b"[]", b'{"references": [[1]]}', b'{"links": 3}'):
        (name,) = (key for key, _ in blobs.notes())
        blobs.put_note(name, broken)
        assert kept_reading("a.html", "0" * 64, lambda: PAGE, LAZY_ATTRIBUTES, blobs) == read


def test_a_full_disk_keeps_no_page_from_being_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise StorageError("full")

    monkeypatch.setattr(Blobs, "put_note", full)
    assert kept_reading("a.html", "0" * 64, lambda: PAGE, LAZY_ATTRIBUTES, Blobs(tmp_path.as_uri())).references


def test_a_page_too_large_is_not_audited(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "large.html").write_bytes(b" " * 2_000 + PAGE)
    monkeypatch.setattr("ivory_thistle.intake.folder.MAX_READ_BYTES", 1_500)
    inspected = inspect_file(str(tmp_path), "large.html", None)
    assert [fault.kind for fault in inspected.faults] == ["unreadable-page"]
    assert inspected.page is None


@settings(max_examples=300)
@given(st.lists(st.sampled_from(PIECES), max_size=12))
def test_faults_are_those_of_every_tag(pieces: list[str]) -> None:
    source = read_html_source("".join(pieces).encode())
    quickly = markup_faults("a.html", source)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(of_markup, "passing_over", lambda *_: None)
        assert quickly == markup_faults("a.html", source)
