"""The patch of a handover: GNU patch and git make exactly the new bytes of it, and the old ones of its reverse."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ivory_thistle.core.rewriting.patch import changes, unified_diff

CASES = {
    "one line": (b"<p>\n<img src=a.jpg>\n</p>\n", b"<p>\n<img src=a.avif>\n</p>\n"),
    "no line end": (b"<img src=a.jpg>", b"<img src=a.avif>"),
    "a line end comes": (b"a\nb", b"a\nb\n"),
    "a line end goes": (b"a\nb\n", b"a\nb"),
    "windows": (b"<p>\r\n<img src=a.jpg>\r\n", b"<p>\r\n<img src=b.jpg>\r\n"),
    "old mac": (b"<p>\r<img src=a.jpg>\r", b"<p>\r<img src=b.jpg>\r"),
    "latin-1": (b"<p>caf\xe9\n<img src=a.jpg>\n", b"<p>caf\xe9\n<img src=b.jpg>\n"),
    "utf-16": ("\ufeff<p>ä\n<img src=a.jpg>\n".encode("utf-16le"), "\ufeff<p>ä\n<img src=b>\n".encode("utf-16le")),
    "lines join": (b"1\n2\n<img srcset='a 1x,\n b 2x'>\n3\n", b"1\n2\n<img srcset='a 1x, b 2x'>\n3\n"),
    "far apart": (b"".join(b"%d\n" % n for n in range(60)), b"".join(b"%d%s\n" % (n, b"!" * (n in (2, 9, 50))) for n in range(60))),
    "the same lines": (b"<br>\n" * 30 + b"x\n" + b"<br>\n" * 30, b"<br>\n" * 28 + b"y\n" + b"<br>\n" * 31),
    "looks like a patch": (b"--- a/x\n+++ b/x\n@@ -1 +1 @@\n-a\n", b"--- a/x\n+++ b/y\n@@ -1 +1 @@\n-b\n"),
    "everything": (b"a\nb\nc\n", b"x\n"),
}  # fmt: skip
NAMES = ("index.html", "more/page one.html", "größe/日本.html", 'a "quoted" name.html', "-dash.html")


def patched(folder: Path, tool: str, path: str, before: bytes, patch: bytes) -> bytes:
    """What a tool makes of a file by a patch."""
    place = folder / path
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(before)
    (folder / "changes.patch").write_bytes(patch)
    call = {
        "patch": ["patch", "-p1", "--binary", "--quiet", "--no-backup-if-mismatch", "-i", "changes.patch"],
        "git": ["git", "apply", "--whitespace=nowarn", "changes.patch"],
    }[tool]
    done = subprocess.run(call, cwd=folder, capture_output=True, text=True, check=False)
    assert done.returncode == 0, (done.stdout, done.stderr, patch)
    return place.read_bytes()


@pytest.mark.daily(8)
@pytest.mark.parametrize("tool", ["patch", "git"])
@pytest.mark.parametrize("case", CASES)
def test_both_tools_make_the_new_bytes(tmp_path: Path, tool: str, case: str) -> None:
    """And the old ones again by the reverse."""
    before, after = CASES[case]
    assert patched(tmp_path, tool, "site/x.html", before, unified_diff("site/x.html", before, after)) == after
    assert patched(tmp_path, tool, "site/x.html", after, unified_diff("site/x.html", after, before)) == before


@pytest.mark.parametrize("tool", ["patch", "git"])
@pytest.mark.parametrize("name", NAMES)
def test_any_name(tmp_path: Path, tool: str, name: str) -> None:
    """With blanks, quotes and letters of every language."""
    before, after = CASES["one line"]
    assert patched(tmp_path, tool, name, before, unified_diff(name, before, after)) == after


def test_several_files_in_one(tmp_path: Path) -> None:
    """One after the other."""
    before, after = CASES["one line"]
    (tmp_path / "b.html").write_bytes(before)
    both = unified_diff("a.html", before, after) + unified_diff("b.html", before, after)
    assert patched(tmp_path, "git", "a.html", before, both) == after
    assert (tmp_path / "b.html").read_bytes() == after


def test_what_did_not_change_is_not_told() -> None:
    """Empty for the same file."""
    assert unified_diff("x", b"a\n", b"a\n") == b""


LINES = st.lists(st.sampled_from([b"a\n", b"b\n", b"<br>\n", b"c\n", b"d\n"]), max_size=40)


@given(LINES, LINES)
def test_changes_lead_from_one_text_to_the_other(old: list[bytes], new: list[bytes]) -> None:
    """Whatever both are: taking every change gives the new lines, and what lies between is the same in both."""
    made: list[bytes] = []
    at = 0
    for change in changes(old, new):
        made += old[at : change.old[0]]
        assert len(made) == change.new[0]
        made += new[slice(*change.new)]
        at = change.old[1]
    assert [*made, *old[at:]] == new
