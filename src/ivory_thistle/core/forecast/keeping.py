"""Which of the files that the model tells of will be kept, and how many more are likely to be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import erf, sqrt

import numpy as np

from ivory_thistle.core.forecast.model import Column
from ivory_thistle.core.forecast.sizes import Modelled, Sizes
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, modern_tiers
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.worth import Load, worthwhile

Beside = tuple[float, float]
"""How many more files and bytes are likely: which tiers are worth theirs is not sure."""


def kept(planned: Sequence[Plan], models: Sequence[Modelled], sizes: Sequence[Sizes]) -> list[tuple[Sizes, Beside]]:
    """Of each image the tiers that are worth their files, as `treatment.choice` keeps them, and what is `beside`."""
    loads = [_loads(plan, files) for plan, files in zip(planned, sizes, strict=True)]
    rules, offs = [plan.rules for plan in planned], [model.beside for model in models]
    counts, together = kept_on_average(loads, rules, offs)
    found: list[tuple[Sizes, Beside]] = []
    for plan, told, some, count, size in zip(planned, sizes, loads, counts.tolist(), together.tolist(), strict=True):
        files = _fallbacks(plan, told)
        for one in worthwhile(some[0], some[1:], plan.rules)[0][1:]:
            files[one.tier] = told[one.tier]
            count, size = count - one.files, size - one.together
        found.append((files, (count, size)))
    return found


def _fallbacks(plan: Plan, sizes: Sizes) -> dict[Tier, Mapping[int, int]]:
    """The fallback's files that are lighter than the original; the widest, in its place, by enough."""
    before, top = plan.image.facts.bytes, plan.steps[-1].width
    smaller = {width: size for width, size in sizes.get(BASELINE, {}).items() if size < before}
    if top == plan.image.facts.width and not plan.rules.replacement_is_worth_it(before, smaller.get(top, before)):
        smaller.pop(top, None)
    return {BASELINE: smaller} if plan.rules.fallback and smaller else {}


def _loads(plan: Plan, sizes: Sizes) -> list[Load]:
    """What is loaded in the fallback's tier, where the original may stay, then in each more modern one."""
    before = plan.image.facts.bytes
    fallback = sizes.get(BASELINE) or {plan.steps[-1].width: before}
    standing = {width: min(size, before) for width, size in fallback.items()}
    modern = [_load(tier, sizes[tier]) for tier in reversed(modern_tiers()) if sizes.get(tier)]
    return [_load(BASELINE, standing), *modern]


def _load(tier: Tier, sizes: Mapping[int, int]) -> Load:
    return Load.of(tier, TIERS[tier].format, [sizes[width] for width in sorted(sizes)])


def kept_on_average(
    loads: Sequence[Sequence[Load]], rules: Sequence[Rules], offs: Sequence[float]
) -> tuple[Column, Column]:
    """How many files of modern tiers, and bytes, `worthwhile` keeps on average of each image.

    `loads` of an image begin with the fallback's; two of its tiers are `offs` beside each other (standard deviation of
    the natural logarithm).
    """
    off = np.array(offs)
    share, least = np.array([one.tier_share for one in rules]), np.array([one.tier_bytes for one in rules])
    order = (BASELINE, *reversed(modern_tiers()))
    by_tier = [{load.tier: load for load in some} for some in loads]
    sizes = [np.array([some[t].together if t in some else 0 for some in by_tier], np.float64) for t in order]
    files = [np.array([some[t].files if t in some else 0 for some in by_tier]) for t in order]
    # Which tiers stand beside each other, by their number, and how likely that is for each image.
    cases: list[tuple[tuple[int, ...], Column]] = [((0,), np.ones(len(loads)))]
    for mine in range(1, len(order)):
        following: list[tuple[tuple[int, ...], Column]] = []
        for standing, chance in cases:
            before = sizes[standing[-1]]
            limit = np.minimum(before * (1 - share), before - least * files[mine])
            beside = _odds(sizes[mine], limit, off)
            instead = _odds(sizes[mine], before, off) - beside if len(standing) > 1 else np.zeros(len(loads))
            following.append(((*standing, mine), chance * beside))
            following.append(((*standing[:-1], mine), chance * instead))
            following.append((standing, chance * (1 - beside - instead)))
        cases = [(standing, chance) for standing, chance in following if chance.any()]
    zero = np.zeros(len(loads))
    count = sum((chance * files[n] for standing, chance in cases for n in standing[1:]), zero)
    together = sum((chance * sizes[n] for standing, chance in cases for n in standing[1:]), zero)
    return count, together


def _odds(sizes: Column, limit: Column, off: Column) -> Column:
    """That a tier's files take less than so many bytes; none of a tier that is not there."""
    can = (limit > 0) & (sizes > 0)
    far = np.log(limit[can] / sizes[can]) / off[can] / sqrt(2)
    odds = np.zeros(len(sizes))
    odds[can] = [(1 + erf(one)) / 2 for one in far.tolist()]
    return odds
