"""What the boxes that were measured at many widths tell of a page's `img`s: their `sizes`, and when they are wanted."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from math import inf
from urllib.parse import unquote

from ivory_thistle.core.formats.tiers import BASELINE
from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.rewriting.css import Piece, Pieces
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.elements import Timing, sharing
from ivory_thistle.core.rewriting.fitting import Sample, fit_rungs, fit_sizes, widest_of
from ivory_thistle.core.rewriting.site import Limits
from ivory_thistle.core.selection.screen import USEFUL_DENSITY, Screen
from ivory_thistle.intake.sweeping import LONGEST_SRC, SweptBackground, SweptImage, SweptPage

_MOST_FIRST = 2
"""Where the screens' largest pictures are more than so many, none is told to be more urgent than the others."""


def take_boxes(limits: Limits, page: Page, tags: Sequence[int], swept: SweptPage, screens: Sequence[Screen]) -> None:
    """Notes what a page's pictures need; of its `img`s nothing where those of its source (`tags`) were not seen."""
    limits.preload.pop(page.path, None)
    late = unquote(swept.late.split("?", 1)[0]).lstrip("/")
    if late and any(p.file == late and p.use == "background" for p in page.placements):
        limits.preload[page.path] = late
    by_tag = dict(zip(tags, swept.images, strict=False))
    sources = {p.tag_start: p.address for p in page.placements if p.element == "img" and p.use == "single"}
    same = all(at not in sources or image.src == sources[at].strip()[:LONGEST_SRC] for at, image in by_tag.items())
    if len(tags) != len(swept.images) or not same:
        return
    limits.sizes[page.path] = _sizes(page, {at: image.widths for at, image in by_tag.items()})
    limits.timing[page.path] = _timing(by_tag, screens)


def take_backgrounds(
    limits: Limits, site: SiteReading, deliveries: Mapping[str, Delivery], swept: Mapping[str, SweptPage]
) -> None:
    """Notes which backgrounds take narrower files up to which width of the screen.

    Only those that nothing but style sheets shows, and whose boxes are known on every page: else some page might take
    too small a file, or two.
    """
    users: dict[str, set[str]] = defaultdict(set)
    others: set[str] = set()
    for page in site.pages:
        for p in page.placements:
            if p.file:
                users[p.file].add(page.path)
                if p.use != "background" or p.attribute == "style":
                    others.add(p.file)
    drawn: dict[str, dict[int, float]] = defaultdict(lambda: defaultdict(float))
    for page_swept in swept.values():
        for box in page_swept.behind:
            path = _path_of(box.value)
            image = site.by_path.get(path)
            if image and image.facts.height:
                width = _drawn(box, image.facts.width / image.facts.height)
                drawn[path][box.screen] = max(drawn[path][box.screen], width)
    screens = {screen for one in swept.values() for box in one.behind for screen in (box.screen,)}
    for path, delivery in deliveries.items():
        known = path in drawn and path not in others and users[path] <= swept.keys()
        rungs = [f.width for f in delivery.rungs(BASELINE)]
        samples = [(screen, drawn[path].get(screen, 0.0)) for screen in screens] if known else []
        pieces = _pieces(samples, rungs) if len(rungs) > 1 and samples else ()
        if pieces:
            limits.behind[path] = pieces


def _pieces(samples: Sequence[Sample], rungs: Sequence[int]) -> Pieces:
    """The narrower files, the widest first; those for plain screens last, where they need less than dense ones."""
    dense = fit_rungs(samples, rungs, USEFUL_DENSITY)
    plain = fit_rungs(samples, rungs, 1.0)

    def of_dense(screen: int) -> int:
        return next((width for upto, width in dense if screen <= upto), max(rungs))

    worth = [(upto, width) for upto, width in plain if width < of_dense(upto)]
    found = [Piece(upto, width) for upto, width in reversed(dense)]
    return (*found, *(Piece(upto, width, plain=True) for upto, width in reversed(worth)))


_URL = re.compile(r'url\("https?://[^/"]+/([^"?#]*)')
_LENGTH = re.compile(r"(\d+(?:\.\d+)?)(px|%)(?: auto| 100%)?")


def _path_of(value: str) -> str:
    """The file of the site that a computed background names."""
    found = _URL.search(value)
    return unquote(found.group(1)) if found else ""


def _drawn(box: SweptBackground, ratio: float) -> float:
    """How wide a background is drawn, in CSS px; infinite where that is not known. `ratio` is width over height."""
    if box.size == "cover":
        return max(box.width, box.height * ratio)
    if box.size == "contain":
        return min(box.width, box.height * ratio)
    length = _LENGTH.fullmatch(box.size)
    if not length:
        return inf
    return float(length.group(1)) if length.group(2) == "px" else box.width * float(length.group(1)) / 100


def _sizes(page: Page, widths: dict[int, tuple[Sample, ...]]) -> dict[int, str]:
    """One value for all `img`s that show the same file: else a browser would load it in several widths."""
    owners = {p.choice_start: p.tag_start for p in page.placements if p.element == "img" and p.tag_start in widths}
    files: dict[int, set[str]] = {at: set() for at in owners.values()}
    for p in page.placements:
        # A `source` of a `picture` is shown in the box of its `img`.
        if p.file and p.choice_start in owners:
            files[owners[p.choice_start]].add(p.file)
    found: dict[int, str] = {}
    for group in sharing(files):
        said = fit_sizes(widest_of([widths[at] for at in group]))
        found |= dict.fromkeys(group, said) if said else {}
    return found


def _timing(by_tag: dict[int, SweptImage], screens: Sequence[Screen]) -> dict[int, Timing]:
    first = {at for at, image in by_tag.items() if image.largest}
    if len(first) > _MOST_FIRST:
        first = set()
    found: dict[int, Timing] = {}
    for at, image in by_tag.items():
        if at in first:
            found[at] = Timing.FIRST
        elif image.first:
            found[at] = Timing.SOON
        elif all(width > 0 for _, width in image.widths) and screens:
            found[at] = Timing.LATER
    return found
