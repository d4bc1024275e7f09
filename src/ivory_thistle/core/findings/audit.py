"""The audit of a capture: a role for every image, and everything that is wrong."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.findings.catalogue import Finding
from ivory_thistle.core.findings.duplicates import duplicate_findings
from ivory_thistle.core.findings.images import image_findings
from ivory_thistle.core.findings.pages import PageImages, PageWeighed, fault_findings, page_findings
from ivory_thistle.core.formats.tiers import is_modern
from ivory_thistle.core.limits import Within, unlimited
from ivory_thistle.core.references.addresses import base_of, page_address
from ivory_thistle.core.references.img_tags import img_tags
from ivory_thistle.core.references.site import Image, Page, Placement, SiteReading
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.treatment.roles import Role, RoleChoice, RoleChoices, Slot, image_role

_ICONS = frozenset({"link", "manifest"})


@dataclass(frozen=True, slots=True)
class ImageRole:
    """The role of one image, why in words, and whether a person chose it."""

    role: Role
    why: str
    by_hand: bool = False


@dataclass(frozen=True, slots=True)
class Audit:
    """What an audit found: roles by image path, and findings, pages and images in the site's order.

    `seen` are images that no page names and a browser loaded all the same, each with its pages.
    """

    roles: Mapping[str, ImageRole]
    findings: tuple[Finding, ...]
    seen: Mapping[str, frozenset[str]] = field(default_factory=dict)


def audit_site(
    site: SiteReading,
    read: Callable[[str], bytes],
    slots: Iterable[Slot],
    weighed: Iterable[PageWeighed],
    policy: Policy,
    choices: Iterable[RoleChoice] = (),
    within: Within = unlimited,
    on_failure: Callable[[str, Exception], None] = lambda path, error: None,
) -> Audit:
    """Audits a site whose boxes are `slots` (measured or guessed) and whose pages weigh `weighed`.

    A page or image that can't be audited (`within` its time) has no findings, and is told to `on_failure`.
    """
    boxes = list(slots)
    by_page: dict[str, list[Slot]] = defaultdict(list)
    by_image: dict[str, list[Slot]] = defaultdict(list)
    for slot in boxes:
        by_page[slot.page].append(slot)
        if image := site.by_path.get(slot.path):
            by_image[image.path].append(slot)
    weights: dict[str, list[PageWeighed]] = defaultdict(list)
    for one in weighed:
        weights[one.page].append(one)
    modern = _with_modern_sources(site)
    roles = site_roles(site, boxes, choices)
    found: list[Finding] = []
    index = site.index
    ladders: dict[str, set[str]] = defaultdict(set)
    for page in site.pages:
        try:
            with within(page.bytes):
                images = _page_images(page, read, by_page[page.path], weights[page.path])
                found += list(page_findings(images, policy, site.files, index))
        except Exception as error:
            on_failure(page.path, error)
        for number, group in enumerate(_picture_groups(page)):
            for p in group:
                if p.file:
                    ladders[p.file].add(f"{page.path} {number}")
    seen = _seen(site, weights)
    doubt = "" if any(w.measured for found in weights.values() for w in found) else _doubt(site)
    for image in site.images:
        role, in_use = roles[image.path].role, not image.unused or image.path in seen
        try:
            with within(image.facts.bytes):
                vector = read(image.path) if image.facts.is_vector else None
                boxes = by_image[image.path]
                is_modern = image.path in modern
                found += list(image_findings(image, boxes, role, policy, is_modern, vector, in_use, doubt))
        except Exception as error:
            on_failure(image.path, error)
    found += duplicate_findings(site.images, ladders)
    found += fault_findings(site.faults)
    return Audit(roles, tuple(found), seen)


def _seen(site: SiteReading, weights: Mapping[str, Iterable[PageWeighed]]) -> dict[str, frozenset[str]]:
    """The images that no page names and that were loaded nevertheless, with the pages that did: scripts show them."""
    found: dict[str, set[str]] = defaultdict(set)
    for page, weighed in weights.items():
        for path in {path for one in weighed if one.measured for path in one.files}:
            image = site.by_path.get(path)
            if image and image.unused:
                found[image.path].add(page)
    return {path: frozenset(pages) for path, pages in found.items()}


def _doubt(site: SiteReading) -> str:
    """Why a file that no page names may be in use all the same, as the end of a sentence; empty where it can't."""
    return "; a script might" if any(page.has_script for page in site.pages) else ""


def site_roles(site: SiteReading, slots: Iterable[Slot], choices: Iterable[RoleChoice] = ()) -> dict[str, ImageRole]:
    """The role of every image by its path, from the boxes that show it (measured or guessed)."""
    by_image: dict[str, list[Slot]] = defaultdict(list)
    on_screens: dict[tuple[str, str], list[Slot]] = defaultdict(list)
    for slot in slots:
        on_screens[slot.page, slot.screen.name].append(slot)
        if image := site.by_path.get(slot.path):
            by_image[image.path].append(slot)
    named, by_hand = _named(site), RoleChoices(choices)
    return {i.path: _role(i, by_image[i.path], on_screens, named[i.path], by_hand) for i in site.images}


def _named(site: SiteReading) -> dict[str, set[tuple[str, str]]]:
    """For each image the elements that name it, with how they do."""
    named: dict[str, set[tuple[str, str]]] = defaultdict(set)
    for page in site.pages:
        for p in page.placements:
            if p.file and (image := site.by_path.get(p.file)):
                named[image.path].add((p.element, p.use))
    return named


def _with_modern_sources(site: SiteReading) -> set[str]:
    """The images that some `picture` offers as the fallback of WebP or AVIF."""
    found: set[str] = set()
    for page in site.pages:
        for group in _picture_groups(page):
            shown = [(p, image) for p in group if (image := site.by_path.get(p.file or ""))]
            if any(p.element == "source" and is_modern(image.facts.format) for p, image in shown):
                found |= {image.path for p, image in shown if p.element == "img"}
    return found


def _picture_groups(page: Page) -> Iterator[list[Placement]]:
    """The placements of each `img` with those of the `source`s before it."""
    group: list[Placement] = []
    last = -1
    for p in sorted((p for p in page.placements if p.element in ("img", "source")), key=lambda p: p.tag_start):
        if group and group[-1].element == "img" and p.tag_start != last:
            yield group
            group = []
        group.append(p)
        last = p.tag_start
    if group:
        yield group


def _role(
    image: Image,
    slots: Sequence[Slot],
    on_screens: Mapping[tuple[str, str], Sequence[Slot]],
    named: set[tuple[str, str]],
    choices: RoleChoices,
) -> ImageRole:
    chosen = choices.of(image.path)
    if chosen:
        why = "Chosen by hand." if chosen.pattern == image.path else f"Chosen by hand for {chosen.pattern}."
        return ImageRole(chosen.role, why, by_hand=True)
    social = any(use == "social" for _, use in named)
    icon = any(element in _ICONS and use != "preload" for element, use in named)
    beside = [on_screens[place] for place in {(s.page, s.screen.name) for s in slots}]
    return ImageRole(*image_role(slots, social, icon, beside))


def _page_images(
    page: Page, read: Callable[[str], bytes], slots: Sequence[Slot], weighed: Sequence[PageWeighed]
) -> PageImages:
    if page.is_folder or not page.encoding:  # a folder, or a page known by its requests only
        return PageImages(page, "", [], slots, weighed)
    source = read_html_source(read(page.path))
    base = base_of(page_address(page.path), page.base)
    return PageImages(page, base, list(img_tags(source)), slots, weighed)
