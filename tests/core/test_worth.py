"""Which modern tiers are worth their files."""

from __future__ import annotations

from itertools import combinations, pairwise

import numpy as np
import pytest

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.worth import Load, worthwhile


def test_thresholds_of_worth() -> None:
    """A tier must save a tenth and 2 kB a file, a replacement a twentieth or 1 kB."""
    rules = Rules()
    assert rules.tier_is_worth_it(30_000, 27_000) and not rules.tier_is_worth_it(30_000, 27_001)
    assert not rules.tier_is_worth_it(10_000, 8_001) and not rules.tier_is_worth_it(60_000, 52_000, files=5)
    assert rules.replacement_is_worth_it(10_000, 9_500) and rules.replacement_is_worth_it(90_000, 89_000)
    assert not rules.replacement_is_worth_it(10_000, 9_501) and not rules.replacement_is_worth_it(100, 100)


@pytest.mark.parametrize("seed", range(20))
def test_no_other_choice_of_tiers_lets_most_visitors_load_less(seed: int) -> None:
    """Of all choices in which each tier gains enough on the next: least for the newest browsers, then for older ones.

    Nearly all visitors have the newest (caniuse-lite, `core.reports.browser_shares`).
    """
    chance, rules = np.random.default_rng(seed), Rules()
    fallback, *modern = (
        Load(tier, form, together=int(size), widest=int(size), files=2)
        for tier, form, size in zip(
            ("baseline", "webp", "avif"), ("jpeg", "webp", "avif"), chance.integers(5_000, 30_000, 3), strict=True
        )
    )

    def gains(chain: tuple[Load, ...]) -> bool:
        return all(rules.tier_is_worth_it(a.together, b.together, b.files) for a, b in pairwise((fallback, *chain)))

    def loaded(chain: tuple[Load, ...]) -> tuple[int, ...]:
        by_tier = {"baseline": fallback.together, "webp": fallback.together} | {one.tier: one.together for one in chain}
        return by_tier.get("avif", by_tier["webp"]), by_tier["webp"]

    every = [chain for n in range(3) for chain in combinations(modern, n) if gains(chain)]
    kept, dropped = worthwhile(fallback, modern, rules)
    assert gains(tuple(kept[1:]))
    assert loaded(tuple(kept[1:])) == min(map(loaded, every))
    assert {one.tier for one in kept[1:]} | {one.load.tier for one in dropped} == {"webp", "avif"}


def test_a_tier_that_takes_the_place_of_another_says_so() -> None:
    """Both would not be worth their files; the lighter one stays."""
    sizes = {"baseline": 9_600, "webp": 5_000, "avif": 3_300}
    fallback, *modern = (Load(tier, TIERS[tier].format, size, size, files=2) for tier, size in sizes.items())
    kept, dropped = worthwhile(fallback, modern, Rules())
    assert [one.tier for one in kept] == ["baseline", "avif"]
    assert [one.words for one in dropped] == ["WebP dropped: AVIF takes its place, 3.3 kB against 5 kB."]


def test_no_tier_stays_whose_widest_file_is_heavier_than_the_fallbacks() -> None:
    """Browsers would take it first and load more; beside one that it replaces, its files count together."""
    fallback = Load("baseline", "jpeg", together=30_000, widest=18_000, files=2)
    webp = Load("webp", "webp", together=22_000, widest=14_000, files=2)
    heavy, light = (Load("avif", "avif", together=20_000, widest=widest, files=2) for widest in (18_500, 15_000))
    assert worthwhile(fallback, [heavy], Rules())[0] == [fallback]
    assert worthwhile(fallback, [webp, heavy], Rules())[0] == [fallback, webp]
    assert worthwhile(fallback, [webp, light], Rules())[0] == [fallback, light]
