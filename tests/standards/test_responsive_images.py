"""The HTML standard's own examples of responsive images, as its text tells what is chosen, before and after rewriting.

https://html.spec.whatwg.org/multipage/images.html#adaptive-images, "Introduction", quoted from memory: the markup of
each example, and which file its text says a browser takes.
"""

from __future__ import annotations

from collections.abc import Iterable

import pytest

from ivory_thistle.core.formats.tiers import TIERS, Tier, shown_by
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.core.reports.predicted import with_new_files
from ivory_thistle.core.rewriting.delivery import Delivery, Original, plan_delivery
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewriter
from ivory_thistle.core.selection.loads import PageOnScreens
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.rendition import RenditionFacts

EXAMPLES = {
    "densities": (
        '<img src="/uploads/100-marie-lloyd.jpg" srcset="/uploads/150-marie-lloyd.jpg 1.5x,'
        ' /uploads/200-marie-lloyd.jpg 2x" alt="" width="100" height="150">',
        {"uploads/100-marie-lloyd.jpg": 100, "uploads/150-marie-lloyd.jpg": 150, "uploads/200-marie-lloyd.jpg": 200},
        [(800, 1, "uploads/100-marie-lloyd.jpg"), (800, 1.5, "uploads/150-marie-lloyd.jpg"),
         (800, 2, "uploads/200-marie-lloyd.jpg"), (800, 3, "uploads/200-marie-lloyd.jpg")],
    ),
    "viewport": (
        '<h1><img sizes="100vw" srcset="wolf_400px.jpg 400w, wolf_800px.jpg 800w, wolf_1600px.jpg 1600w"'
        ' src="wolf_400px.jpg" alt="The rad wolf"></h1>',
        {"wolf_400px.jpg": 400, "wolf_800px.jpg": 800, "wolf_1600px.jpg": 1600},
        [(400, 1, "wolf_400px.jpg"), (800, 1, "wolf_800px.jpg"), (400, 2, "wolf_800px.jpg"),
         (800, 2, "wolf_1600px.jpg"), (320, 1, "wolf_400px.jpg")],
    ),
    "sizes": (
        '<img sizes="(max-width: 30em) 100vw, (max-width: 50em) 50vw, calc(33vw - 100px)"'
        ' srcset="swing-200.jpg 200w, swing-400.jpg 400w, swing-800.jpg 800w, swing-1600.jpg 1600w"'
        ' src="swing-400.jpg" alt="Kettlebell Swing">',
        {"swing-200.jpg": 200, "swing-400.jpg": 400, "swing-800.jpg": 800, "swing-1600.jpg": 1600},
        [(400, 1, "swing-400.jpg"), (800, 1, "swing-400.jpg"), (1500, 1, "swing-400.jpg"), (400, 2, "swing-800.jpg")],
    ),
    "art direction": (
        '<picture><source media="(min-width: 45em)" srcset="large.jpg"><source media="(min-width: 32em)" srcset="med.jpg">'
        '<img src="small.jpg" alt="The wolf runs through the snow."></picture>',
        {"large.jpg": 1200, "med.jpg": 700, "small.jpg": 400},
        [(1000, 1, "large.jpg"), (600, 1, "med.jpg"), (400, 2, "small.jpg")],
    ),
}  # fmt: skip


def made_of(files: dict[str, int], site: SiteReading) -> dict[str, Delivery]:
    """Files of the originals' widths in every tier, ever lighter."""
    originals = []
    for path, width in files.items():
        made = tuple(
            RenditionFacts(tier=tier, format=row.format if tier != "baseline" else "jpeg", width=width,
                           height=width * 3 // 2, bytes=width * (n + 1), sha256=f"{path}{tier}")
            for n, (tier, row) in enumerate(TIERS.items())
        )  # fmt: skip
        originals.append(Original(path, width, width * 3 // 2, made, width))
    return dict(plan_delivery(originals, FileIndex(site.files)))


def chosen(page: PageOnScreens, width: int, density: float, tier: Tier) -> list[str]:
    """The files that a browser of a tier takes."""
    screen = Screen("x", width, 800, density)
    return [load.path or "" for load in page.loads(screen, shown_by(tier))]


def sites(markup: str, files: dict[str, int]) -> Iterable[tuple[Tier, PageOnScreens, dict[str, str]]]:
    """The example as it is and as it is rewritten, with the original of each file."""
    texts = {"index.html": f"<!doctype html><title>x</title>{markup}".encode()}
    listed = [SiteFile("index.html", "p", 100)]
    listed += [SiteFile(p, p, 9_999_999, ImageFacts("jpeg", w, w * 3 // 2, 9_999_999, p)) for p, w in files.items()]
    site = read_site(listed, texts.__getitem__)
    yield "", PageOnScreens("index.html", site, texts.__getitem__), {path: path for path in files}
    deliveries = made_of(files, site)
    rewrite = SiteRewriter(site, deliveries, texts.__getitem__).rewrite(Limits(Form.FREE))
    assert rewrite.texts, "nothing was rewritten"
    new = [f for d in deliveries.values() for f in d.files]
    after = with_new_files(site, new)
    origin = {f.path: d.path for d in deliveries.values() for f in d.files}
    for tier in TIERS:
        yield tier, PageOnScreens("index.html", after, rewrite.texts.__getitem__), origin


@pytest.mark.parametrize("name", EXAMPLES)
def test_what_the_standard_says_is_taken(name: str) -> None:
    """By our selection; and once rewritten, a file of the same picture in the visitor's own format, no narrower."""
    markup, files, cases = EXAMPLES[name]
    for tier, page, origin in sites(markup, files):
        for width, density, expected in cases:
            taken = chosen(page, width, density, tier or "baseline")
            assert len(taken) == 1
            said = (name, tier, width, density, taken)
            # The widths of one picture are one ladder, made of its largest file.
            assert name == "viewport" or name == "sizes" or origin[taken[0]] == expected, said
            if not tier:
                assert taken == [expected], said
            else:
                narrow = int(taken[0].rsplit("-", 1)[1].split(".")[0])
                assert narrow == files[expected] or (name == "viewport" and narrow >= files[expected]), said
                assert taken[0].rsplit(".", 1)[1] == {"avif": "avif", "webp": "webp", "baseline": "jpg"}[tier]
