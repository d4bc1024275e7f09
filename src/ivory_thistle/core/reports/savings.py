"""Bytes before and after, per page and for the site, in each audience tier.

Counted by reference: each element counts with the heaviest file that it may be given, one file a page once. So no
visitor's browser loads more than is said here.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from ivory_thistle.core.cells import csv_of
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, and_older
from ivory_thistle.core.references.site import Page, Placement, SiteReading
from ivory_thistle.core.rewriting.css import Outcomes


@dataclass(frozen=True, slots=True)
class PageSavings:
    """One page: image bytes before, and after in each tier."""

    path: str
    before: int
    after: Mapping[Tier, int]


@dataclass(frozen=True, slots=True)
class Savings:
    """The site (each file counted once, however many pages use it) and its pages; `given_*` are the files counted."""

    before: int
    after: Mapping[Tier, int]
    pages: tuple[PageSavings, ...]
    given_before: frozenset[str] = frozenset()
    given_after: Mapping[Tier, frozenset[str]] = field(default_factory=dict)


def compute_savings(site: SiteReading, outcomes: Outcomes, new_bytes: Mapping[str, int]) -> Savings:
    """Savings of a site. `outcomes` tells what each rewritten placement is given; `new_bytes` the new files' sizes."""
    old = {p: f.bytes for p, f in site.files.items()}
    # A new file may stand at its original's own path.
    sizes = {**old, **new_bytes}
    everywhere: dict[Tier, set[str]] = {tier: set() for tier in TIERS}
    at_first: set[str] = set()
    pages = []
    for page in site.pages:
        before = files_given(page, {}, BASELINE, old)
        after = {tier: files_given(page, outcomes, tier, sizes) for tier in TIERS}
        at_first |= before
        for tier in TIERS:
            everywhere[tier] |= after[tier]
        weighed = {tier: _weigh(found, sizes) for tier, found in after.items()}
        pages.append(PageSavings(page.path, _weigh(before, old), weighed))
    total = {tier: _weigh(everywhere[tier], sizes) for tier in TIERS}
    given = {tier: frozenset(files) for tier, files in everywhere.items()}
    return Savings(_weigh(at_first, old), total, tuple(pages), frozenset(at_first), given)


def files_given(page: Page, outcomes: Outcomes, tier: Tier, sizes: Mapping[str, int]) -> set[str]:
    """The distinct files that a page gives a visitor of that tier: of an `img` with all its candidates, the heaviest.

    A social card is read by crawlers only: it counts where its file is shown nowhere else on the page.
    """
    local = set(page.files)
    shown = {p.file for p in page.placements if p.use != "social"}
    choices: dict[tuple[str, int, str], set[str]] = defaultdict(set)
    for number, p in enumerate(page.placements):
        if p.file not in local or (p.use == "social" and p.file in shown):
            continue
        outcome = outcomes.get((p.source, p.start), {})
        given = next((outcome[t] for t in and_older(tier) if t in outcome), p.file)
        one_load = p.use in ("single", "candidate") and p.element in ("img", "source")
        key = (p.source, p.choice_start, "img") if one_load else (p.source, number, "")
        if given and not _is_passed_over(p, page):
            choices[key].add(given)
    return {max(files, key=lambda f: sizes[f]) for files in choices.values()}


def _is_passed_over(placement: Placement, page: Page) -> bool:
    """Whether an `img`'s plain address is never loaded, since candidates with widths stand beside it."""
    if placement.use != "single":
        return False
    beside = (p for p in page.placements if p.tag_start == placement.tag_start and p.source == placement.source)
    return any(p.use == "candidate" and p.descriptor.endswith("w") for p in beside)


def _weigh(paths: Iterable[str], sizes: Mapping[str, int]) -> int:
    return sum(sizes[p] for p in paths)


def savings_csv(savings: Savings) -> bytes:
    """RFC 4180 CSV: a row a page, image bytes before and after in each tier, last the site as a whole."""
    head = ["page", "before", *(f"after_{t}" for t in TIERS), *(f"saved_{t}" for t in TIERS)]
    rows = [(p.path, p.before, p.after) for p in savings.pages]
    rows.append(("(site, each file once)", savings.before, savings.after))
    return csv_of(
        [head, *([path, before, *(after[t] for t in TIERS), *(before - after[t] for t in TIERS)]
                 for path, before, after in rows)]
    )  # fmt: skip
