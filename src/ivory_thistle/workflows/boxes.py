"""What the boxes that were measured at many widths tell of a page's `img`s: their `sizes`, and when they are wanted."""

from __future__ import annotations

from collections.abc import Sequence
from urllib.parse import unquote

from ivory_thistle.core.references.site import Page
from ivory_thistle.core.rewriting.elements import Timing, sharing
from ivory_thistle.core.rewriting.fitting import Sample, fit_sizes, widest_of
from ivory_thistle.core.rewriting.site import Limits
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.sweeping import SweptImage, SweptPage

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
    same = all(at not in sources or image.src.strip() == sources[at].strip() for at, image in by_tag.items())
    if len(tags) != len(swept.images) or not same:
        return
    limits.sizes[page.path] = _sizes(page, {at: image.widths for at, image in by_tag.items()})
    limits.timing[page.path] = _timing(by_tag, screens)


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
