"""The ladder: which widths are made of one image."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ivory_thistle.core.images.sniff import NAMES
from ivory_thistle.core.references.site import Image, Placement, SiteReading
from ivory_thistle.core.treatment.rules import Rules

_NEAR_STEP = 1.25
"""Two widths closer than this are one rung: the pixels would differ by little more than a third."""

_HEADROOM = 2
"""High-density screens: up to twice the slot's CSS width (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Plan:
    """What is to be made of one image: `widths` rising, in pixels. `reason` says why none are."""

    image: Image
    widths: tuple[int, ...] = ()
    reason: str = ""


def plan_treatment(site: SiteReading, rules: Rules) -> tuple[Plan, ...]:
    """A plan for every image in use, in the order of the site's images."""
    uses: dict[str, list[Placement]] = {}
    for page in site.pages:
        for placement in page.placements:
            if placement.file:
                uses.setdefault(placement.file, []).append(placement)
    return tuple(
        _plan(image, [p for path in image.paths for p in uses.get(path, ())], rules)
        for image in site.images
        if image.pages
    )


def _plan(image: Image, placements: list[Placement], rules: Rules) -> Plan:
    reason = _why_left_alone(image, placements, rules)
    if reason:
        return Plan(image, reason=reason)
    natural = image.facts.width
    wanted: set[int] = set()
    for p in placements:
        if p.use == "single":
            wanted |= set(slot_widths(p.declared_width or None, rules))
        elif p.use in ("candidate", "background"):
            wanted.add(natural)
    return Plan(image, ladder(wanted or {natural}, natural, rules))


def _why_left_alone(image: Image, placements: list[Placement], rules: Rules) -> str:
    """In words, why an image is not treated; empty when it is."""
    facts = image.facts
    shown = [p for p in placements if p.use != "social"]
    if facts.problem:
        return f"It {facts.problem}." if facts.problem[:2] in ("is", "cl") else f"It can't be read: {facts.problem}."
    if facts.format == "svg":
        return "A vector drawing stays as it is."
    if facts.frames > 1:
        return f"An animation of {facts.frames} frames stays as it is."
    if facts.format in ("avif", "ico"):
        return f"{NAMES[facts.format]} stays as it is."
    if not facts.treatable:
        return f"{NAMES[facts.format]} is not a format that every browser shows; convert it by hand."
    if facts.bytes < rules.leave_below_bytes:
        return f"Already small: under {rules.leave_below_bytes / 1000:g} kB."
    if not shown:
        return "Only named for social cards; no page shows it."
    kept = next((p for p in shown if p.use == "kept"), None)
    if kept:
        where = f"{kept.element} {kept.attribute} in {kept.source}, line {kept.line}"
        return f"Used where no fallback can be offered ({where})."
    return ""


def slot_widths(slot: int | None, rules: Rules) -> list[int]:
    """The widths that serve a slot of so many CSS px (None: unknown): the slot, twice it, and below."""
    if slot is None:
        return [w for w in rules.widths if w <= rules.max_width]
    top = min(slot * _HEADROOM, max(rules.max_width, slot))
    return [w for w in rules.widths if w < slot] + [slot, top]


def ladder(wanted: Iterable[int], natural: int, rules: Rules) -> tuple[int, ...]:
    """Rising widths, never above the original nor the rules' widest; of near-equal ones the widest stays.

    `natural` is the original's width in pixels.
    """
    top = min(natural, max(rules.max_width, 1))
    rungs: list[int] = []
    for width in sorted({min(w, top) for w in wanted if w > 0}, reverse=True):
        if not rungs or rungs[-1] >= width * _NEAR_STEP:
            rungs.append(width)
    return tuple(reversed(rungs))
