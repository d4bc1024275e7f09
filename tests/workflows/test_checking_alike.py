"""A page is loaded once for all that it is served the same to: visitors of two tiers, or those of before and after."""

from __future__ import annotations

from collections import Counter
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import pytest

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake import comparing
from ivory_thistle.intake.differences import Seen
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.checked import Checked
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.served import Side
from pictures import encoded, photograph

pytestmark = pytest.mark.browser
IMG = '<img src="a.png" width="300" height="200">'


def a_site(folder: Path, modern: str) -> Side:
    """A page with a plain image, one with this markup, and one that shows that in a frame."""
    folder.mkdir()
    picture = photograph("coffee").resize((300, 200))
    (folder / "a.png").write_bytes(encoded(picture, "PNG"))
    (folder / "a.webp").write_bytes(encoded(picture, "WEBP", quality=60))
    pages = {"plain": IMG, "modern": modern, "framed": '<iframe src="modern.html" width="320" height="240"></iframe>'}
    for name, body in pages.items():
        (folder / f"{name}.html").write_text(f"<!doctype html><title>{name}</title><body>{body}")
    opened = Folder(folder)
    return Side(read_folder(opened), opened.read)


@pytest.mark.slow
def test_what_is_served_the_same_is_loaded_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What differs is loaded in each tier and timed, also where it differs in a frame only; every tier is told of."""
    before = a_site(tmp_path / "before", IMG)
    modern = f'<picture><source type="image/webp" srcset="a.webp">{IMG}</picture>'
    after = a_site(tmp_path / "after", modern)
    loads: Counter[str] = Counter()
    look: Callable[..., Awaitable[Seen]] = comparing._look_safely

    def counted(*given: Any, path: str, **others: Any) -> Awaitable[Seen]:
        loads[path] += 1
        return look(*given, path=path, **others)

    monkeypatch.setattr(comparing, "_look_safely", counted)
    found: list[Checked] = []
    Checker(before, after, [Screen("small", 400, 600, 1)], ["avif", "webp", "baseline"]).run(found.append)
    assert loads == {"plain.html": 1, "modern.html": 1 + 2, "framed.html": 1 + 2}
    timed = {(c.page, c.tier) for c in found if c.timed}
    assert timed == {("modern.html", "avif"), ("framed.html", "avif")}
    assert sorted((c.page, c.tier) for c in found) == sorted(
        (f"{page}.html", tier) for page in ("plain", "modern", "framed") for tier in ("avif", "webp", "baseline")
    )
    assert not any(c.wrong for c in found), [c.wrong for c in found]
    weighs = {(c.page, c.tier): c.after for c in found}
    png, webp = ((tmp_path / "after" / name).stat().st_size for name in ("a.png", "a.webp"))
    assert [weighs["modern.html", tier] for tier in ("avif", "webp", "baseline")] == [webp, webp, png]
    # A page in a frame weighs on the page around it, whose own markup foretells none of it.
    assert [weighs["framed.html", tier] for tier in ("avif", "webp", "baseline")] == [webp, webp, png]
    assert {weighs["plain.html", tier] for tier in ("avif", "webp", "baseline")} == {png}
