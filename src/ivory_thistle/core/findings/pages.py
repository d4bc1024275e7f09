"""Findings about pages: their weight on every screen, and the markup of their images."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.findings.catalogue import (
    DATA_BYTES,
    EAGER_SCREENS,
    LABEL_SHARE,
    LONE_WIDTH,
    MOST_CANDIDATES,
    SHIFT,
    SIZES_SHARE,
    STEP_SHARE,
    Finding,
)
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.img_tags import ImgTag
from ivory_thistle.core.references.site import Page, SiteFile
from ivory_thistle.core.references.srcset import parse_srcset
from ivory_thistle.core.selection.candidates import best_candidate, source_size
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.core.words import kb, shortened

_Found = Callable[..., Finding]
_MARKUP_FAULTS = frozenset(
    {"srcset-unusable", "srcset-mixed", "srcset-duplicate", "sizes-unused", "sizes-unusable", "media-unusable",
     "picture-source"}
)  # fmt: skip

_LEAST_SLOT = 16
"""Narrower slots, in CSS px, are not worth a word."""


@dataclass(frozen=True, slots=True)
class PageWeighed:
    """A page on one screen: image bytes and requests, and what a browser saw of it.

    `lcp_path` is the file of the largest contentful paint; `shifting` names what moved; `files` are those that came.
    """

    page: str
    screen: Screen
    opening: int
    scrolled: int
    requests: int
    lcp_path: str | None = None
    layout_shift: float = 0.0
    shifting: tuple[str, ...] = ()
    measured: bool = True
    files: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PageImages:
    """What findings need of one page besides its reading: its `img` tags and the boxes on every screen."""

    page: Page
    base: str
    tags: Sequence[ImgTag]
    slots: Sequence[Slot]
    weighed: Sequence[PageWeighed]


def page_findings(
    found: PageImages, policy: Policy, files: Mapping[str, SiteFile], index: FileIndex
) -> Iterator[Finding]:
    """Everything wrong with one page."""
    page = found.page
    yield from _of_weight(found, policy)
    first = {p.address: p for p in reversed(page.placements) if p.file is None}
    for address in page.broken:
        place = first.get(address)
        yield Finding(
            "broken-reference", f"{page.path} names {shortened(address)}, which is not there.", page=page.path,
            source=place.source if place else page.path, line=place.line if place else None,
        )  # fmt: skip
    for address in page.remote:
        yield Finding("remote-image", f"{page.path} shows {shortened(address)}.", page=page.path, source=page.path)
    if page.data_bytes >= DATA_BYTES:
        sentence = f"{page.path} holds {kb(page.data_bytes)} of images in data: URIs."
        yield Finding("large-data-uri", sentence, page=page.path, source=page.path, stake=page.data_bytes // 4)
    for tag in found.tags:
        yield from _of_tag(tag, found, files, index)
    yield from _of_first_screen(found)
    yield from _of_shift(found)


def _of_weight(found: PageImages, policy: Policy) -> Iterator[Finding]:
    """One finding for bytes and one for requests: that of the screen that is furthest over."""
    page = found.page
    weighed = found.weighed or [PageWeighed(page.path, Screen("any", 0, 0), 0, page.image_bytes, len(page.files))]
    over = [(w.scrolled - (a := policy.allowed(page.path, w.screen.name)).bytes, w, a) for w in weighed]
    excess, worst, allowed = max(over, key=lambda o: o[0])
    if excess > 0:
        where = f" on {worst.screen.name}" if found.weighed else ", counted by reference"
        sentence = (
            f"{page.path} loads {worst.scrolled / 1e6:,.1f} MB of images{where}; {allowed.bytes / 1e6:,.1f} MB are"
            f" allowed by the budget of {allowed.bytes_from.said}."
        )
        yield Finding(
            "page-over-budget", sentence, page=page.path, screen=worst.screen.name if found.weighed else "",
            stake=excess, measured=worst.measured, evidence={"bytes": worst.scrolled, "allowed": allowed.bytes},
        )  # fmt: skip
    most = max(weighed, key=lambda w: w.requests - policy.allowed(page.path, w.screen.name).requests)
    allowed = policy.allowed(page.path, most.screen.name)
    if most.requests > allowed.requests:
        sentence = (
            f"{page.path} asks for {most.requests} images; {allowed.requests} are allowed by the budget of"
            f" {allowed.requests_from.said}."
        )
        yield Finding("too-many-requests", sentence, page=page.path, screen=most.screen.name if found.weighed else "")


def _of_tag(tag: ImgTag, found: PageImages, files: Mapping[str, SiteFile], index: FileIndex) -> Iterator[Finding]:
    page = found.page
    named = tag.src or tag.srcset.split(" ")[0]
    shown = named if len(named) < 120 else f"{named[:100]}…"
    target = index.resolve(found.base, named) if named else None
    file = files.get(target.path) if target and target.kind == "local" else None
    image = file.path if file and file.image else None

    def at(code: str, sentence: str, stake: int = 0, screen: str = "", measured: bool = True) -> Finding:
        return Finding(code, sentence, image, page.path, screen, page.path, tag.line, stake, measured)

    if not (tag.width and tag.height) and (file is None or not file.image or not file.image.is_vector):
        missing = "width and height" if not (tag.width or tag.height) else "height" if tag.width else "width"
        yield at("missing-dimensions", f"{shown} has no {missing}.")
    if tag.alt is None:
        yield at("missing-alt", f"{shown} has no alternative text.")
    elif not tag.alt.strip() and tag.linked:
        yield at("empty-alt-in-link", f"{shown} stands in a link without a word.")
    yield from _of_srcset(tag, found, files, index, at)


def _of_srcset(
    tag: ImgTag, found: PageImages, files: Mapping[str, SiteFile], index: FileIndex, finding: _Found
) -> Iterator[Finding]:
    candidates = [c for c in parse_srcset(tag.srcset).candidates if c.width]
    if not candidates:
        return
    sized: list[tuple[int, SiteFile]] = []
    for c in candidates:
        target = index.resolve(found.base, c.address)
        file = files.get(target.path) if target.kind == "local" else None
        if file and file.image and file.image.width:
            sized.append((c.width or 0, file))
            if abs(file.image.width / (c.width or 1) - 1) > LABEL_SHARE and not file.image.is_vector:
                yield finding(
                    "srcset-mislabelled", f"{c.address} is labelled {c.width}w but is {file.image.width} px wide."
                )
    widths = sorted({c.width or 0 for c in candidates})
    steps = [b / a for a, b in pairwise(widths)]
    if len(widths) > MOST_CANDIDATES:
        yield finding("srcset-too-many", f"{len(widths)} widths are offered for {tag.src or candidates[0].address}.")
    elif (len(widths) == 1 and widths[0] > LONE_WIDTH) or any(s > STEP_SHARE for s in steps):
        offered = ", ".join(map(str, widths))
        yield finding("srcset-too-few", f"Only {offered} px are offered for {tag.src or candidates[0].address}.")
    yield from _of_sizes(tag, found, sized, index, finding)


def _of_sizes(
    tag: ImgTag, found: PageImages, sized: Sequence[tuple[int, SiteFile]], index: FileIndex, finding: _Found
) -> Iterator[Finding]:
    """`sizes` against the measured slot, with the bytes that the wrong pick costs on the worst screen."""
    if tag.sizes is not None and tag.sizes.strip().lower().startswith("auto"):
        return
    worst = max(_misses(tag, found, sized, index), key=lambda miss: miss.cost, default=None)
    if worst is None:
        if tag.sizes is None and not found.slots:
            yield finding("sizes-missing", f"{tag.src or 'An img'} offers widths without sizes.")
        return
    name, screen = tag.src or "it", worst.slot.screen.name
    if tag.sizes is None:
        sentence = (
            f"Without sizes, browsers take {name} to be {worst.said:.0f} px wide on {screen};"
            f" it is {worst.slot.width:.0f}."
        )
        yield finding("sizes-missing", sentence, worst.cost, screen)
    else:
        sentence = f"sizes says {worst.said:.0f} px for {name} on {screen}; the slot is {worst.slot.width:.0f}."
        yield finding("sizes-wrong", sentence, worst.cost, screen)


@dataclass(frozen=True, slots=True)
class _Miss:
    """A slot for which `sizes` says another width; `cost` are the bytes loaded over those of the right candidate."""

    slot: Slot
    said: float
    cost: int


def _misses(tag: ImgTag, found: PageImages, sized: Sequence[tuple[int, SiteFile]], index: FileIndex) -> Iterator[_Miss]:
    by_path = {file.path: file for _, file in sized}
    rising = sorted(sized, key=lambda candidate: candidate[0])
    for slot in found.slots:
        if slot.path not in by_path or not slot.measured or slot.kind != "img" or slot.width < _LEAST_SLOT:
            continue
        said = source_size(tag.sizes, slot.screen)
        if abs(said - slot.width) <= SIZES_SHARE * slot.width:
            continue
        got = best_candidate(tag.src, tag.srcset, tag.sizes, slot.screen)
        loaded = by_path.get(index.resolve(found.base, got[0]).path) if got else None
        wanted = slot.width * slot.screen.useful_density
        _, right = next((c for c in rising if c[0] >= wanted), rising[-1])
        yield _Miss(slot, said, max(0, loaded.bytes - right.bytes) if loaded else 0)


def _of_first_screen(found: PageImages) -> Iterator[Finding]:
    page = found.page
    by_path: dict[str, list[Slot]] = defaultdict(list)
    for slot in found.slots:
        if slot.measured and slot.width > 0:
            by_path[slot.path].append(slot)
    said: set[str] = set()
    for w in found.weighed:
        path = w.lcp_path
        if not path or path in said or not w.measured:
            continue
        said.add(path)
        slots = [s for s in by_path.get(path, ()) if s.screen == w.screen]
        if any(s.lazy for s in slots):
            sentence = f"{path} is the largest picture of {page.path} on {w.screen.name} and is loaded lazily."
            yield Finding("lazy-lcp", sentence, path, page.path, w.screen.name, page.path, _line_of(found, path))
        elif not _has_priority(found, path):
            sentence = f"{path} is the largest picture of {page.path} on {w.screen.name} and has no priority."
            yield Finding("lcp-priority", sentence, path, page.path, w.screen.name, page.path, _line_of(found, path))
    for path, slots in by_path.items():
        images = [s for s in slots if s.kind == "img"]
        far = images and len(images) == len(slots) and all(_is_far(s) and not s.lazy for s in images)
        if far:
            down = min(s.y / s.screen.height for s in images)
            sentence = f"{path} is loaded at opening, though it lies {down:.0f} screens down."
            yield Finding("eager-below", sentence, path, page.path, "", page.path, _line_of(found, path))


def _is_far(slot: Slot) -> bool:
    return slot.y > EAGER_SCREENS * slot.screen.height


def _line_of(found: PageImages, path: str) -> int | None:
    return next((p.line for p in found.page.placements if p.file == path and p.source == found.page.path), None)


def _has_priority(found: PageImages, path: str) -> bool:
    places = [p for p in found.page.placements if p.file == path]
    if any(p.element == "link" and p.attribute in ("href", "imagesrcset") for p in places):
        return True
    lines = {p.line for p in places}
    return any(
        t.priority == "high"
        for t in found.tags
        if t.line in lines or any(p.address in (t.src, t.srcset) for p in places)
    )


def _of_shift(found: PageImages) -> Iterator[Finding]:
    worst = max(found.weighed, key=lambda w: w.layout_shift, default=None)
    if worst and worst.layout_shift > SHIFT:
        part = ", ".join(s.rsplit("/", 1)[-1] for s in worst.shifting[:3])
        sentence = f"{found.page.path} shifts by {worst.layout_shift:.2f} on {worst.screen.name}" + (
            f" ({part})." if part else "."
        )
        yield Finding("layout-shift", sentence, page=found.page.path, screen=worst.screen.name, source=found.page.path)


def fault_findings(faults: Sequence[Fault]) -> Iterator[Finding]:
    """Faults of markup that browsers skip, as findings."""
    for f in faults:
        if f.kind == "viewport-missing":
            yield Finding("no-viewport", f.message, page=f.path, source=f.path)
        elif f.kind in _MARKUP_FAULTS:
            yield Finding("srcset-faulty", f.message, page=f.path, source=f.path, line=f.line)
