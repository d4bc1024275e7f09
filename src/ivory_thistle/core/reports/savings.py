"""Bytes before and after, per page and for the site, in each audience tier.

Counted by reference: a page before weighs the distinct image files it references; after, for each placement
the widest file that its tier could be given. So no visitor's browser loads more than is said here.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.rewriting.css import Outcomes
from ivory_thistle.core.selection.tier import TIERS, Tier


@dataclass(frozen=True, slots=True)
class PageSavings:
    """One page: image bytes before, and after in each tier."""

    path: str
    before: int
    after: Mapping[Tier, int]


@dataclass(frozen=True, slots=True)
class Savings:
    """The site (each file counted once, however many pages use it) and its pages."""

    before: int
    after: Mapping[Tier, int]
    pages: tuple[PageSavings, ...]


def reckon_savings(site: SiteReading, outcomes: Outcomes, new_bytes: Mapping[str, int]) -> Savings:
    """Savings of a site. `outcomes` tells what each rewritten placement is given; `new_bytes` the new files' sizes."""
    sizes = {**{p: f.bytes for p, f in site.files.items()}, **new_bytes}
    pages = []
    everywhere: dict[Tier, set[str]] = {tier: set() for tier in TIERS}
    for page in site.pages:
        after = {}
        for tier in TIERS:
            given = files_given(page, outcomes, tier)
            everywhere[tier] |= given
            after[tier] = _weigh(given, sizes)
        pages.append(PageSavings(page.path, page.image_bytes, after))
    total = {tier: _weigh(everywhere[tier], sizes) for tier in TIERS}
    return Savings(site.used_bytes, total, tuple(pages))


def files_given(page: Page, outcomes: Outcomes, tier: Tier) -> set[str]:
    """The distinct files that a page gives a visitor of that tier.

    A social card is read by crawlers only: it counts where its file is shown nowhere else on the page.
    """
    local = set(page.files)
    shown = {p.file for p in page.placements if p.use != "social"}
    given = set()
    for p in page.placements:
        if p.file not in local or (p.use == "social" and p.file in shown):
            continue
        outcome = outcomes.get((p.source, p.start), {})
        given.add(next((outcome[t] for t in TIERS[TIERS.index(tier) :] if t in outcome), p.file))
    return {f for f in given if f}


def _weigh(paths: Iterable[str], sizes: Mapping[str, int]) -> int:
    return sum(sizes[p] for p in paths)
