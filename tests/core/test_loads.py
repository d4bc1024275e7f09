"""What a page loads, as values: slots guessed from markup, tiers chosen anew, files known once."""

from __future__ import annotations

from pathlib import Path

import pytest
from PIL import Image

from ivory_thistle.core.formats.tiers import shown_by
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.img_tags import img_tags
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.loads import Loaded, PageOnScreens, estimated
from ivory_thistle.core.selection.older_tiers import loaded_in_tier
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import read_folder
from pictures import encoded

PHONE, TABLET, LAPTOP, DESKTOP = DEFAULT_SCREENS
SITE = "http://site.invalid/"


def read(root: Path, html: str, *names: str, width: int = 400) -> tuple[PageOnScreens, SiteReading]:
    """A page of these pictures, each of its own content and 2:1."""
    for n, name in enumerate(names):
        kind = "WEBP" if name.endswith("webp") else "AVIF" if name.endswith("avif") else "PNG"
        (root / name).write_bytes(encoded(Image.new("RGB", (width, width // 2), (n, 9, 9)), kind))
    (root / "index.html").write_text(f"<!doctype html>{html}")
    folder = Folder(root)
    site = read_folder(folder)
    return PageOnScreens("index.html", site, folder.read), site


@pytest.mark.parametrize(
    ("img", "screen", "slot"),
    [
        ("<img src=a.png>", DESKTOP, (400, 200)),
        ("<img src=a.png>", PHONE, (390, 195)),
        ("<img src=a.png width=100>", DESKTOP, (100, 50)),
        ("<img src=a.png width=100 height=90>", DESKTOP, (100, 90)),
        ("<img src=a.png srcset='a.png 400w' sizes='25vw'>", DESKTOP, (480, 240)),
        ("<img srcset='a.png 2x'>", DESKTOP, (200, 100)),
        ("<img src=gone.png>", DESKTOP, (0, 0)),
    ],
)
def test_slots_guessed_from_markup(tmp_path: Path, img: str, screen: object, slot: tuple[float, float]) -> None:
    """sizes, then attributes, then the file's own pixels; never wider than the screen."""
    page, _ = read(tmp_path, img, "a.png")
    (load,) = page.loads(screen, shown_by("avif"))  # type: ignore[arg-type]
    assert (load.width, load.height) == pytest.approx(slot)


def test_what_hangs_on_a_box_is_in_doubt(tmp_path: Path) -> None:
    """https://html.spec.whatwg.org/#valdef-sizes-auto : the box of a lazy `img` says it, and it is not in the markup."""
    auto = "<img loading=lazy width=400 height=200 sizes='auto, 50vw' srcset='a.png 400w, b.png 800w'>"
    page, _ = read(
        tmp_path,
        f"{auto}<img sizes='auto, 50vw' srcset='c.png 400w, d.png 800w'>",
        *["a.png", "b.png", "c.png", "d.png"],
    )
    loads = page.loads(PHONE, shown_by("avif"))
    # No box is wider than the screen by all one knows: 390 px of three pixels each.
    assert [load.path for load in loads] == ["b.png", "d.png"]
    assert page.uncertain() == {"a.png", "b.png"}


def test_estimates_take_lazy_pictures_as_not_yet_seen(tmp_path: Path) -> None:
    """Unless the same address is loaded at once elsewhere; each address counts once."""
    html = "<img loading=lazy src=a.png><img loading=lazy src=b.png><img src=b.png><img src=a.png?v=2 loading=lazy>"
    page, site = read(tmp_path, html, "a.png", "b.png")
    found = estimated(page.loads(LAPTOP, shown_by("avif")), site.files.__getitem__)
    assert {(one.address.removeprefix(SITE), one.opening) for one in found} == {
        ("a.png", False), ("b.png", True), ("a.png?v=2", False),
    }  # fmt: skip


def test_older_tiers_keep_what_was_seen_at_opening(tmp_path: Path) -> None:
    """The fallback of a picture that came at opening comes at opening; what was never loaded is not made up."""
    html = (
        "<picture><source srcset=a.avif type=image/avif><source srcset=a.webp type=image/webp><img src=a.png></picture>"
        "<picture><source srcset=b.avif type=image/avif><img src=b.png loading=lazy></picture><img src=c.png>"
    )
    page, site = read(
        tmp_path, html, "a.avif", "a.webp", "a.png", "b.avif", "b.png", "c.png", "script.avif", "script.png"
    )
    seen = [
        Loaded(f"{SITE}{name}", name, site.files[name].bytes, opening)
        for name, opening in (("a.avif", True), ("b.avif", False), ("script.avif", True), ("script.png", True))
    ]

    def tier(name: str) -> dict[str, tuple[bool, int]]:
        loaded = loaded_in_tier(seen, page, LAPTOP, name, site.files.__getitem__)  # type: ignore[arg-type]
        return {one.path: (one.opening, one.bytes) for one in loaded}

    size = {name: site.files[name].bytes for name in site.files}
    assert tier("webp") == {
        "a.webp": (True, size["a.webp"]), "b.png": (False, size["b.png"]), "script.png": (True, size["script.png"]),
    }  # fmt: skip
    assert set(tier("baseline")) == {"a.png", "b.png", "script.png"}
    assert set(tier("avif")) == {"a.avif", "b.avif", "script.avif", "script.png"}


def test_aliases_lead_to_files_of_other_names() -> None:
    """Queries, other hosts, pages without extension; a plain path needs none."""
    index = FileIndex(
        ["pic__x=1.png", "news.html", "deep/index.html", "_hosts/cdn.example/a.png"], ("tea.example",),
        {"/pic?x=1": "pic__x=1.png", "//cdn.example/a.png": "_hosts/cdn.example/a.png"},
    )  # fmt: skip
    for address, path in (
        ("/pic?x=1", "pic__x=1.png"), ("https://tea.example/pic?x=1", "pic__x=1.png"), ("/news", "news.html"),
        ("/deep/", "deep/index.html"), ("/deep", "deep/index.html"), ("https://cdn.example/a.png", "_hosts/cdn.example/a.png"),
    ):  # fmt: skip
        found = index.resolve(SITE, address)
        assert (found.kind, found.path) == ("local", path), address
    assert index.resolve(SITE, "/pic?x=2").kind == "missing"
    assert index.resolve(SITE, "https://cdn.example/b.png").kind == "remote"


def test_img_tags_as_findings_ask_for_them() -> None:
    """Links, pictures, what scripts' readers do not see, and attributes in any spelling."""
    html = """<a href=x><img SRC=a.png ALT=""></a><img src=b.png alt=two width="30px" HEIGHT=20 loading=LAZY
      fetchpriority=High><noscript><img src=c.png></noscript><picture><source srcset=d><img src=d.png></picture>"""
    first, second, third = img_tags(read_html_source(html.encode()))
    assert (first.linked, first.alt, first.width, first.in_picture) == (True, "", 0, False)
    assert (second.linked, second.alt, second.width, second.height, second.lazy, second.priority) == (
        False, "two", 30, 20, True, "high",
    )  # fmt: skip
    assert (third.src, third.alt, third.in_picture, third.line) == ("d.png", None, True, 2)


def test_every_selector_of_a_nested_list_stands_within(tmp_path: Path) -> None:
    """https://drafts.csswg.org/css-nesting-1/#syntax : `.b, .c` in `.a` are `.a .b` and `.a .c`."""
    css = ".a { .b, .c { background: url(in.png) } &.d, > .e { background: url(own.png) } }"
    html = f"<style>{css}</style><p class=c>out</p><div class='a'><p class=c>in</p></div>"
    page, _ = read(tmp_path, html, "in.png", "own.png")
    assert [load.place[1] for load in page.loads(PHONE, shown_by("avif"))] == ["background-image  0"]
