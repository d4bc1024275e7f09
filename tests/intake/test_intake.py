"""Folders and archives are read with care, all or nothing."""

from __future__ import annotations

import stat
import zipfile
from pathlib import Path

import pytest

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.intake.archive import ArchiveLimits, unpack
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import read_folder


def archive_of(place: Path, entries: dict[str, bytes], **options: object) -> Path:
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in entries.items():
            info = zipfile.ZipInfo(name)
            info.external_attr = int(options.get("mode", 0o644)) << 16
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, data)
    return place


PAGE = {"index.html": b"<img src=a.jpg>"}


@pytest.mark.parametrize(
    ("entries", "options", "message"),
    [
        (
            {**PAGE, "../out.txt": b"x"},
            {},
            "The archive holds the name '../out.txt', which leads outside its folder.",
        ),
        (
            {**PAGE, "/etc/out": b"x"},
            {},
            "The archive holds the name '/etc/out', which leads outside its folder.",
        ),
        ({**PAGE, "a\\..\\..\\out": b"x"}, {}, "which leads outside its folder."),
        ({**PAGE, "C:\\out": b"x"}, {}, "which leads outside its folder."),
        (
            {"index.html": b"/etc/passwd"},
            {"mode": stat.S_IFLNK | 0o777},
            "The archive holds a link (index.html); pack the file itself in its place.",
        ),
        ({"a.txt": b"x"}, {}, "The archive holds no web page and no picture; pack the folder of the built site."),
        (
            {**PAGE, "bomb": b"\0" * 60_000_000},
            {},
            "The archive unpacks to over 200 times its size, as only harmful ones do; it is refused.",
        ),
    ],
)
def test_harmful_archives_are_refused_whole(
    tmp_path: Path, entries: dict[str, bytes], options: dict[str, object], message: str
) -> None:
    """A clear message, and nothing is written anywhere."""
    place = archive_of(tmp_path / "x.zip", entries, **options)
    with pytest.raises(UnusableInput) as told:
        unpack(place, tmp_path / "deep" / "into")
    assert message in str(told.value)
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == [place]


def test_limits_count_real_bytes(tmp_path: Path) -> None:
    """Number of files and bytes are bounded."""
    place = archive_of(tmp_path / "x.zip", {**PAGE, "b": b"123456789"})
    with pytest.raises(UnusableInput, match="holds 2 files; 1 are taken at most"):
        unpack(place, tmp_path / "a", ArchiveLimits(files=1))
    with pytest.raises(UnusableInput, match="unpacks to more than 1e-08 GB"):
        unpack(place, tmp_path / "b", ArchiveLimits(bytes=10))
    assert not (tmp_path / "a").exists() and not (tmp_path / "b").exists()


def test_passwords_and_rubbish_are_told(tmp_path: Path) -> None:
    """An encrypted archive and a file that is none."""
    place = archive_of(tmp_path / "x.zip", PAGE)
    data = bytearray(place.read_bytes())
    for signature, offset in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        data[data.find(signature) + offset] |= 1
    place.write_bytes(data)
    with pytest.raises(UnusableInput, match="The archive asks for a password; upload one without"):
        unpack(place, tmp_path / "a")
    place.write_bytes(b"PK\x03\x04 rubbish")
    with pytest.raises(UnusableInput, match="The archive can't be read: File is not a zip file"):
        unpack(place, tmp_path / "a")


def test_a_single_top_folder_is_taken_off(tmp_path: Path) -> None:
    """Root-relative addresses then lead to files; the packer's own folders are ignored."""
    entries = {
        "dist/index.html": b"<img src=/i/\xc3\xbc.jpg>",
        "dist/i/ü.jpg": b"x",
        "__MACOSX/dist/._x": b"y",
    }
    unpack(archive_of(tmp_path / "x.zip", entries), tmp_path / "site")
    assert Folder(tmp_path / "site").paths()[0] == ["i/ü.jpg", "index.html"]


@pytest.mark.parametrize("kind", ["missing", "file"])
def test_folders_that_can_not_be_read_are_one_line(tmp_path: Path, kind: str) -> None:
    """A folder that is not there, or no folder."""
    place = tmp_path / "x"
    if kind == "file":
        place.write_text("")
    with pytest.raises(UnusableInput) as told:
        Folder(place)
    assert (
        str(told.value)
        == {"missing": f"The folder {place} does not exist.", "file": f"{place} is a file, not a folder."}[kind]
    )


def test_links_outside_and_broken_pages_never_stop_a_reading(tmp_path: Path) -> None:
    """Odd encodings, broken HTML, links out, endless imports: faults, and the rest is read."""
    root = tmp_path / "site"
    root.mkdir()
    (root / "a.html").write_bytes(b"\xff\xfe\x00<img src=x.jpg" + bytes(range(256)))
    (root / "b.html").write_bytes(
        "<meta charset=shift_jis><link rel=stylesheet href=a.css><img src='画.jpg'>".encode("shift_jis")
    )
    (root / "a.css").write_text("@import 'b.css';@import 'none.css';")
    (root / "b.css").write_text("@import 'a.css';p{background:url(none.png)}")
    (root / "画.jpg").write_bytes(b"\xff\xd8\xff")
    (root / ".git").mkdir()
    (root / ".git" / "x.jpg").write_bytes(b"")
    (root / "out.html").symlink_to("/etc/hostname")
    site = read_folder(Folder(root))
    assert [p.path for p in site.pages] == ["a.html", "b.html"]
    assert site.pages[1].files == ("画.jpg",)
    assert site.pages[1].broken == ("none.css", "none.png")
    assert {f.kind for f in site.faults} >= {"unsafe-entry", "unreadable-image"}


def test_a_way_of_packing_that_is_not_known(tmp_path: Path) -> None:
    """Told as such, and not as a wanted password."""
    place = archive_of(tmp_path / "x.zip", {"index.html": b"<p>x"})
    data = bytearray(place.read_bytes())
    for mark in (b"PK\x03\x04", b"PK\x01\x02"):
        at = data.index(mark) + (8 if mark[2] == 3 else 10)
        data[at : at + 2] = (97).to_bytes(2, "little")  # a method of the specification that hardly anything reads
    place.write_bytes(bytes(data))
    with pytest.raises(UnusableInput) as told:
        unpack(place, tmp_path / "into")
    assert (
        str(told.value)
        == "The archive can't be read: That compression method is not supported. Pack it again as a plain ZIP."
    )
    assert not (tmp_path / "into").exists()
