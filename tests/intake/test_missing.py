"""A page looks the same each time, whatever of its missing or broken off files a browser happens to ask for."""

from __future__ import annotations

from pathlib import Path

import pytest

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.comparing import Pair, compare_sites
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from pictures import encoded, photograph

pytestmark = pytest.mark.browser
SCREENS = (Screen("phone", 360, 640, 2), Screen("desktop", 1280, 800, 1))


def test_each_missing_address_is_told_once(tmp_path: Path) -> None:
    """Named eighty times with other pictures between, so that it is asked for again and again: chance."""
    (tmp_path / "a.jpg").write_bytes(encoded(photograph("coffee").resize((300, 200)), "JPEG"))
    row = "<p><img src=gone.png width=20 height=20><img src=lost.png><img src=a.jpg width=300 height=200 loading=lazy>"
    (tmp_path / "index.html").write_text(f"<!doctype html><title>t</title>{row * 80}")
    folder, pairs = Folder(tmp_path), list[Pair]()
    with serve_site(["index.html", "a.jpg"], folder.read) as address:
        assert compare_sites(address, address, ["index.html"], SCREENS, on_pair=pairs.append) == []
    missing = "error: Failed to load resource: the server responded with a status of 404 (Not Found) /"
    for seen in (look for pair in pairs for look in (pair.old, pair.new)):
        assert seen.messages == {f"{missing}gone.png": 1, f"{missing}lost.png": 1}


def test_what_is_missing_only_afterwards_is_told(tmp_path: Path) -> None:
    """By its address."""
    (tmp_path / "index.html").write_text("<!doctype html><title>t</title><img src=gone.png>")
    (tmp_path / "new.html").write_text("<!doctype html><title>t</title><img src=gone.png srcset='lost.png 2x'>")
    folder = Folder(tmp_path)
    with (
        serve_site(["index.html"], folder.read) as before,
        serve_site(["index.html"], lambda path: folder.read("new.html")) as after,
    ):
        found = compare_sites(before, after, ["index.html"], SCREENS)
    assert any("404" in d.words and "lost.png" in d.words and d.screen == "phone" for d in found)
    assert not any("gone.png" in d.words for d in found)


@pytest.mark.daily(1)
@pytest.mark.parametrize("screen", SCREENS)
def test_what_a_script_breaks_off_counts_as_come(tmp_path: Path, screen: Screen) -> None:
    """A picture that a script replaces while it comes: whether some of it came is chance, and would be told as news."""
    for name, width in (("a.jpg", 900), ("b.jpg", 300)):
        (tmp_path / name).write_bytes(encoded(photograph("coffee").resize((width, 200)), "JPEG"))
    script = "<script>for (const i of document.images) i.src = i.dataset.src</script>"
    (tmp_path / "index.html").write_text(f"<!doctype html><title>t</title><img src=a.jpg data-src=b.jpg>{script}")
    folder, pairs = Folder(tmp_path), list[Pair]()
    with serve_site(["index.html", "a.jpg", "b.jpg"], folder.read) as address:
        for _ in range(4):
            assert compare_sites(address, address, ["index.html"], (screen,), on_pair=pairs.append) == []
    sizes = {f"/{name}": (tmp_path / name).stat().st_size for name in ("a.jpg", "b.jpg")}
    assert [look.images for pair in pairs for look in (pair.old, pair.new)] == [sizes] * 8
