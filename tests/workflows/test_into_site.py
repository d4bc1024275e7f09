"""A handover written into a site's folder: links that somebody placed there lead nothing in or out."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from command_line import run
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.workflows.into_site import backup_of, undo_in_site, write_into_site
from ivory_thistle.workflows.packing import Entry

QUICK = ("--quality", "jpeg=80", "--formats", "webp", "--no-compare")


@pytest.fixture
def precious(tmp_path: Path) -> Path:
    """A file outside the site."""
    place = tmp_path / "precious.txt"
    place.write_text("precious")
    return place


def everything(folder: Path) -> dict[str, str]:
    """Every path below a folder with what it is."""
    return {
        p.relative_to(folder).as_posix(): f"-> {p.readlink()}" if p.is_symlink() else p.read_bytes().hex()
        for p in folder.rglob("*")
        if p.is_symlink() or p.is_file()
    }


def test_prepared_links_are_neither_followed_nor_lost(site_folder: Path, precious: Path) -> None:
    """Partial files, our own texts, a page: what stands outside is as it was, and is nowhere in the backup."""
    (site_folder / ".index.html.part").symlink_to(precious)
    (site_folder / "manifest.json").symlink_to(precious)
    (site_folder / "also.html").symlink_to("index.html")
    before = everything(site_folder)
    done = run("handover", str(site_folder), "--into-site", *QUICK)
    assert done.returncode == 0, done.stderr
    assert "Left as it is, for it is a link: manifest.json\n" in done.stdout
    assert "Left as it is, for it is a link: also.html\n" in done.stdout
    assert precious.read_text() == "precious"
    assert precious.read_bytes().hex() not in everything(backup_of(site_folder)).values()
    assert (site_folder / "also.html").is_symlink() and (site_folder / "manifest.json").is_symlink()
    assert run("handover", str(site_folder), "--undo").returncode == 0
    assert everything(site_folder) == before and precious.read_text() == "precious"


def test_a_picture_that_would_stand_at_a_link_is_refused(site_folder: Path, precious: Path) -> None:
    """Pages would show whatever it leads to; nothing is written."""
    (site_folder / "new.webp").symlink_to(precious)
    before = everything(site_folder)
    picture = NewFile(tier="webp", format="webp", width=1, height=1, bytes=1, sha256="0" * 64, path="new.webp")
    what = [Entry("index.html", b"new"), Entry("new.webp", picture)]
    with pytest.raises(UnusableInput, match=r"new\.webp in .* is a link, where a new file has to stand\. Nothing was"):
        write_into_site(site_folder, what, lambda new: b"x")
    assert everything(site_folder) == before and not backup_of(site_folder).exists()


def test_undo_brings_nothing_in_from_outside(site_folder: Path, precious: Path) -> None:
    """A link that was put into the backup, or in a page's place, is not followed."""
    write_into_site(site_folder, [Entry("index.html", b"new"), Entry("css/main.css", b"new")], lambda new: b"")
    kept = backup_of(site_folder) / "files/index.html"
    original = kept.read_bytes()
    kept.unlink()
    kept.symlink_to(precious)
    with pytest.raises(UnusableInput, match=r"no longer holds index\.html, or holds a link in its place"):
        undo_in_site(site_folder)
    assert (site_folder / "index.html").read_bytes() == b"new"
    kept.unlink()
    kept.write_bytes(original)
    (site_folder / "css/main.css").unlink()
    (site_folder / "css/main.css").symlink_to(precious)
    assert undo_in_site(site_folder).changed == ("css/main.css",)
    assert (site_folder / "index.html").read_bytes() == original and precious.read_text() == "precious"


@pytest.mark.parametrize(
    "files",
    [
        {"../precious.txt": {"sha256": "0" * 64, "replaced": False}},
        {"/etc/hostname": {"sha256": "0" * 64, "replaced": False}},
        {"": {"sha256": "0" * 64, "replaced": True}},
        {"index.html": None},
        {"index.html": {"sha256": 7, "replaced": True}},
        {"index.html": {"sha256": "0" * 64, "replaced": "yes"}},
        {"index.html\0": {"sha256": "0" * 64, "replaced": True}},
    ],
)
def test_a_record_edited_by_hand_gives_words(site_folder: Path, precious: Path, files: dict[str, object]) -> None:
    """Exit code 2, one line, nothing changed."""
    write_into_site(site_folder, [Entry("index.html", b"new")], lambda new: b"")
    record = backup_of(site_folder) / "record.json"
    record.write_text(json.dumps(json.loads(record.read_text()) | {"files": files}))
    before = everything(site_folder)
    done = run("handover", str(site_folder), "--undo")
    assert done.returncode == 2 and len(done.stderr.splitlines()) == 1
    assert f"{record} was changed: its entry" in done.stderr and "Nothing was undone." in done.stderr
    assert everything(site_folder) == before and precious.read_text() == "precious"


@pytest.mark.parametrize("text", ["", "[]", "{", '{"kind": "ivory-thistle-backup", "files": []}', "[" * 100_000])
def test_no_record_is_nothing_to_undo(site_folder: Path, text: str) -> None:
    """Whatever stands in its place."""
    backup_of(site_folder).mkdir()
    (backup_of(site_folder) / "record.json").write_text(text)
    with pytest.raises(UnusableInput, match="There is nothing to undo"):
        undo_in_site(site_folder)


def test_a_half_made_backup_of_an_earlier_try_is_cleared(site_folder: Path, precious: Path) -> None:
    """But not what a link of such a name leads to."""
    (site_folder.parent / ".site-before-handover-abc.part").mkdir()
    (site_folder.parent / ".site-before-handover-link.part").symlink_to(precious)
    write_into_site(site_folder, [Entry("index.html", b"new")], lambda new: b"")
    left = sorted(p.name for p in site_folder.parent.glob(".site-before-handover-*"))
    assert left == [".site-before-handover-link.part"] and precious.read_text() == "precious"
