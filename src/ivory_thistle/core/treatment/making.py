"""The files of a ladder in every tier, the rungs helping one another."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.treatment.learning import Learnt
from ivory_thistle.core.treatment.maker import Maker
from ivory_thistle.core.treatment.wish import Files, Made, Rung, Wish


def make_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> dict[Tier, list[Made]]:
    """The files of every tier, by the rungs' order (rising width).

    The narrowest rung is searched first, where encodes are cheap, then the widest; those between begin from what both
    took. Within a rung the cheap formats go first and tell the dear ones where to begin.
    """
    return _made(rungs, wish, tiers, gives_up=False).made


def make_worthwhile_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> Files:
    """The same, but modern tiers that a rung or a quick encode shows to be no gain are given up there."""
    return _made(rungs, wish, tiers, gives_up=True)


def _made(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier], gives_up: bool) -> Files:
    made: dict[Tier, dict[int, Made]] = {tier: {} for tier in tiers}
    given_up: dict[Tier, str] = {}
    learnt = Learnt(wish.drawn)
    cheap_first = [tier for tier in reversed(TIERS) if tier in tiers]
    for n in _ends_first(len(rungs)):
        rung, is_widest = rungs[n], n == len(rungs) - 1
        maker = Maker(rung, wish, learnt.chroma)
        for tier in cheap_first:
            if tier in given_up:
                continue
            hint = learnt.hint_for(tier, rung.pixels.width, wish.fidelity(rung), maker.is_fine(tier))
            # A tier whose widest file is no gain is dropped whole (`choice`).
            ceiling = maker.ceiling(tier, is_widest, is_only=len(rungs) == 1) if gives_up else inf
            if gives_up and is_widest and (why := maker.no_gain_by_probe(tier, hint, ceiling)):
                given_up[tier] = why
                continue
            made[tier][n], hint_for_next = maker.make(tier, hint, ceiling)
            learnt.take(tier, rung.pixels.width, wish.fidelity(rung), hint_for_next, maker.is_fine(tier))
            if made[tier][n].encoded.bytes >= ceiling:
                given_up[tier] = maker.no_gain(tier)
    kept = {tier: [files[n] for n in sorted(files)] for tier, files in made.items() if tier not in given_up}
    return Files(kept, given_up)


def _ends_first(count: int) -> list[int]:
    """The order in which rungs are made: what holds at both ends tells most of what lies between them."""
    return [0, *([count - 1] if count > 1 else []), *range(1, count - 1)]
