"""Files of a folder that is not trusted: nothing is written or read outside it, whoever puts links where."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from ivory_thistle.system.files import (
    LeadsOutsideError,
    open_below,
    open_strictly_below,
    remove_below,
    replace_file,
    write_below,
)
from ivory_thistle.system.programs import find_program


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A folder beside a file that is nobody's business."""
    (tmp_path / "precious.txt").write_text("precious")
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "site").mkdir()
    return tmp_path / "site"


def test_a_partial_file_never_goes_through_a_link(site: Path) -> None:
    """Whatever names somebody has prepared: each write makes a file of a new name."""
    for name in (".page.html.part", ".page.html.tmp", "page.html.part"):
        (site / name).symlink_to(site.parent / "precious.txt")
    for _ in range(3):
        write_below(site, "page.html", b"ours")
        replace_file(site / "page.html", [b"o", b"urs"])
    assert (site.parent / "precious.txt").read_text() == "precious"
    assert (site / "page.html").read_text() == "ours"
    assert sorted(p.name for p in site.iterdir()) == [
        ".page.html.part",
        ".page.html.tmp",
        "page.html",
        "page.html.part",
    ]


def test_what_fails_halfway_leaves_what_was(site: Path) -> None:
    """The old file, its mode, and nothing beside it."""
    (site / "x").write_text("old")
    (site / "x").chmod(0o640)

    def pieces() -> object:
        yield b"half"
        raise RuntimeError

    with pytest.raises(RuntimeError):
        write_below(site, "x", pieces())  # type: ignore[arg-type]
    assert [(p.name, p.read_text()) for p in site.iterdir()] == [("x", "old")]
    write_below(site, "x", b"new")
    assert (site / "x").stat().st_mode & 0o777 == 0o640


@pytest.mark.parametrize(
    "act",
    [
        lambda root, path: write_below(root, path, b"x"),
        lambda root, path: open_strictly_below(root, path).close(),
        lambda root, path: remove_below(root, path),
    ],
)
@pytest.mark.parametrize(
    "path", ["linked/precious.txt", "../precious.txt", "/etc/hostname", "", "a/../../precious.txt"]
)
def test_no_path_leads_out(site: Path, act: Callable[[Path, str], None], path: str) -> None:
    """By a link, by dots, or from the root of the machine."""
    (site / "linked").symlink_to(site.parent)
    with pytest.raises(LeadsOutsideError):
        act(site, path)
    assert (site.parent / "precious.txt").read_text() == "precious"


def test_links_are_read_as_long_as_they_stay_inside(site: Path) -> None:
    """What a link leads to outside is refused; so is a pipe, which would keep its reader waiting."""
    (site / "deep").mkdir()
    (site / "deep/page.html").write_text("page")
    (site / "page.html").symlink_to("deep/page.html")
    (site / "outside.html").symlink_to(site.parent / "precious.txt")
    os.mkfifo(site / "pipe.html")
    with open_below(site, "page.html") as file:
        assert file.read() == b"page"
    with pytest.raises(LeadsOutsideError):
        open_below(site, "outside.html")
    with pytest.raises(OSError, match="no regular file"):
        open_below(site, "pipe.html")
    with pytest.raises(LeadsOutsideError):
        open_strictly_below(site, "page.html")


def test_programs_of_the_current_folder_are_passed_over(site: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also where PATH names it by a dot or an empty entry."""
    (site / "env").write_text("#!/bin/sh\n")
    (site / "env").chmod(0o755)
    monkeypatch.chdir(site)
    monkeypatch.setenv("PATH", f".::{site.name}:/usr/bin")
    assert find_program("env") == "/usr/bin/env"
    assert find_program("no-such-program", "sh") in ("/usr/bin/sh", "/bin/sh")
