"""`./thistle bench handover`: rewriting a site's pages, as pages a second and as a ratio to lxml parsing the same.

Every image of the site is given files of three widths in every tier; they are not made, for rewriting never opens them.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import lxml.html

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.rewriting.delivery import Original, plan_delivery
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewriter
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import read_folder

WIDTHS = (480, 960, 1920)


def cpu(work: object) -> float:
    """CPU seconds of a call."""
    begun = time.process_time()
    work()  # type: ignore[operator]
    return time.process_time() - begun


def main(root: Path) -> None:
    """Prints the figures of one site."""
    folder = Folder(root)
    site = read_folder(folder)
    originals = []
    for image in site.images:
        facts = image.facts
        made = tuple(
            RenditionFacts(tier=tier, format=row.format, width=w, height=w, bytes=w * 9, sha256=f"{facts.sha256}{w}")
            for tier, row in TIERS.items()
            for w in WIDTHS
            if w <= facts.width
        )
        originals += [Original(path, facts.width, facts.height, made, max(WIDTHS)) for path in image.paths]
    deliveries = plan_delivery(originals, site.index)
    pages = {p.path: folder.read(p.path) for p in site.pages if not p.is_folder}
    read = {path: folder.read(path) for path in (*pages, *(p for p in site.files if p.endswith(".css")))}
    rewritten = 0

    def ours() -> None:
        nonlocal rewritten
        rewritten = len(SiteRewriter(site, deliveries, read.__getitem__).rewrite(Limits(Form.FREE)).texts)

    def theirs() -> None:
        for page in pages.values():
            lxml.html.document_fromstring(page)

    times = max(1, 200 // max(1, len(pages)))
    rounds = [(cpu(ours), cpu(lambda: [theirs() for _ in range(times)]) / times) for _ in range(3)]
    mine, parsing = (min(column) for column in zip(*rounds, strict=True))
    print(f"{len(pages)} pages, {len(deliveries)} images; {rewritten} pages and style sheets rewritten")
    a_page = 1000 * mine / max(1, len(pages))
    print(f"{a_page:.1f} ms of CPU a page, 1,000 such pages in {a_page:.1f} s; ratio to lxml {mine / parsing:.1f}")


if __name__ == "__main__":
    for place in sys.argv[1:]:
        main(Path(place))
