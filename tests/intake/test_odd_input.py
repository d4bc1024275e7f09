"""One odd entry, name or number is told and left out; the rest is read."""

from __future__ import annotations

import json
import os
import zipfile
from pathlib import Path

import pytest

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.addresses import host_of
from ivory_thistle.intake.archive import unpack
from ivory_thistle.intake.crawling import start_address
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.har import read_har, sanitize
from ivory_thistle.workflows.archived import requests_of
from ivory_thistle.workflows.reading import read_folder

PAGE = b"<!doctype html><img src=a.png>"


def packed(root: Path, entries: dict[str, bytes]) -> Path:
    """A ZIP of these entries."""
    target = root / "site.zip"
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    return target


def test_a_broken_entry_is_left_out_and_told(tmp_path: Path) -> None:
    """Its deflated bytes are overwritten; the page beside it is unpacked."""
    data = os.urandom(20) * 400
    archive = packed(tmp_path, {"index.html": PAGE, "b.png": data, "c.css": b"p{}"})
    with zipfile.ZipFile(archive) as opened:
        at = opened.getinfo("b.png").header_offset + 30 + len("b.png")
    content = bytearray(archive.read_bytes())
    content[at : at + 12] = b"\xff" * 12
    archive.write_bytes(content)
    (fault,) = unpack(archive, tmp_path / "out")
    assert fault.path == "b.png" and fault.message.startswith("b.png is broken in the archive (")
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["c.css", "index.html"]


def test_names_that_no_file_can_have_are_left_out(tmp_path: Path) -> None:
    """Too long, empty, or a folder in a file's place."""
    long = f"{'d/' * 1200}x.png"
    entries = {"index.html": PAGE, long: b"1", f"{'n' * 300}.png": b"2", "index.html/x.png": b"3"}
    faults = unpack(packed(tmp_path, entries), tmp_path / "out")
    assert sorted(f.message.split("; ")[-1] for f in faults) == ["it is left out."] * 3
    assert [p.name for p in (tmp_path / "out").rglob("*") if p.is_file()] == ["index.html"]


def test_an_archive_without_one_whole_entry_is_refused(tmp_path: Path) -> None:
    """With words, and nothing is left behind."""
    archive = packed(tmp_path, {"index.html": b"x" * 5000})
    content = bytearray(archive.read_bytes())
    content[40:60] = b"\xff" * 20
    archive.write_bytes(content)
    with pytest.raises(UnusableInput, match=r"The archive can't be read: .*\. Pack it again as a plain ZIP."):
        unpack(archive, tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_links_in_a_circle_are_passed_by(tmp_path: Path) -> None:
    """As is whatever else can't be a file."""
    (tmp_path / "index.html").write_bytes(PAGE)
    (tmp_path / "a.png").symlink_to(tmp_path / "b.png")
    (tmp_path / "b.png").symlink_to(tmp_path / "a.png")
    site = read_folder(Folder(tmp_path))
    assert list(site.files) == ["index.html"] and site.pages[0].broken == ("a.png",)


def har(**changes: object) -> bytes:
    """A HAR of one page with one image, and what is changed in its log."""
    base = "http://site.example/"

    def entry(address: str, kind: str, text: str, **response: object) -> dict[str, object]:
        content = {"mimeType": kind, "text": text, "size": len(text)}
        return {"request": {"url": address}, "response": {"status": 200, "content": content, **response}}

    entries = [
        entry(base, "text/html", "<img src=a.png>"),
        entry(f"{base}{'p' * 5000}/{'é' * 400}.png", "image/png", "", bodySize=10**25),
        entry(f"{base}{'q' * 5000}.png", "image/png", "text", bodySize=1e25, headersSize="x"),
    ]
    return json.dumps({"log": {"version": "1.2", "entries": entries, **changes}}).encode()


@pytest.mark.parametrize("pages", [5, "x", None, [7], {"id": 1}, [{"id": {}, "title": [1]}]])
def test_a_har_with_odd_parts_is_read(tmp_path: Path, pages: object) -> None:
    """Pages that are none, sizes that no file has, names longer than any."""
    whole, bare = tmp_path / "whole.har", tmp_path / "bare.har"
    whole.write_bytes(har(pages=pages))
    sanitize(whole, bare)
    for place in (whole, bare):
        found = read_har(place, tmp_path / place.stem)
        requests, bare = requests_of(found)
        assert all(0 <= r.bytes < 10**12 and len(r.path.encode()) <= 2000 for all_ in requests.values() for r in all_)
        assert all(len(f.path) <= 1000 for f in bare)


ADDRESSES = ["http://[bad", "http://a..b/", f"http://{'a' * 300}/", "http://xn--/", "http://\u2028/", "//", "http:", ""]


@pytest.mark.parametrize("address", ADDRESSES)
def test_addresses_that_are_none_have_no_host_or_are_refused(address: str) -> None:
    """Never an error of ours."""
    assert isinstance(host_of(address), str)
    try:
        start_address(address)
    except UnusableInput as error:
        assert "is no address of a web site" in str(error)
