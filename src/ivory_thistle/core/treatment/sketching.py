"""Sketches: quick encodes of an image's files at settings that a small copy of it foretells, judged by nobody.

They are there to be looked at while the confirmed files are still being made; nothing of them is handed over.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from math import inf, log2

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.images.pixels import reduce
from ivory_thistle.core.search.search import Coder, Hint, best_under_cap, foretold
from ivory_thistle.core.treatment.learning import Learnt, gain_of, scale_of
from ivory_thistle.core.treatment.making import Made, Maker, Rung, Wish

_SMALL = 480
"""Pixels across of the copy that is tried: so few that some tries cost little."""
_EASIER = 0.0
"""Points of score that a picture gains at the same setting with every doubling of its width."""
_HIGHEST = 90
"""Nobody sees what a score above this one adds."""
_CAP_TRIES = 3


def sketch_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> dict[Tier, list[Made]]:
    """A quick file of every tier at every rung, without a score."""
    wish = replace(wish, rules=replace(wish.rules, effort="quick"))
    widest, narrowest = rungs[-1].pixels, rungs[0].pixels
    # What is smaller looks worse at the same setting, by how much differs: the smallest tells it of itself.
    widths = sorted({min(_SMALL, narrowest.width), min(_SMALL, widest.width)})
    learnt, made = Learnt(), dict[Tier, list[Made]]()
    tried = [_Sketcher(Rung(reduce(widest, width)), wish, learnt.needs_fine) for width in widths]
    makers = [_Sketcher(rung, wish, learnt.needs_fine) for rung in rungs]
    for tier in (tier for tier in reversed(TIERS) if tier in tiers):
        for small in tried:
            small.learn(tier, learnt)
        made[tier] = [maker.sketch(tier, learnt, beyond=log2(maker.width / widths[-1])) for maker in makers]
    return made


class _Sketcher(Maker):
    """Sketches the files of one rung."""

    @property
    def width(self) -> int:
        """In pixels."""
        return self._pixels.width

    def learn(self, tier: Tier, learnt: Learnt) -> None:
        """Tells by how many settings the picture is off a typical one, where these follow from a fidelity."""
        if self._ways(tier) or self._wish.rules.fixed or self._wish.rules.cap:
            return
        setting = self._foretold(tier, learnt)
        if setting == TIERS[tier].making.limits[1] and self._refine(tier):
            setting = self._foretold(tier, learnt)
        learnt.take(tier, self.width, self._fidelity, Hint(setting), self.is_fine(tier))

    def _foretold(self, tier: Tier, learnt: Learnt) -> int:
        making = TIERS[tier].making
        hint = learnt.hint_for(tier, self.width, self._fidelity, self.is_fine(tier))
        quick = partial(self._quickly, tier)
        coder = Coder(quick, self.judge, making.limits, making.scale, quick)
        return foretold(coder, self._fidelity - gain_of(tier, self._fidelity), hint.start)

    def sketch(self, tier: Tier, learnt: Learnt, beyond: float) -> Made:
        """A tier's file by what small copies told; the rung is so many times twice as wide as these."""
        rules = self._wish.rules
        if ways := self._ways(tier):
            file = self._files[tier] = self._smallest(ways, self._palette_of_older(tier))
            return replace(file, score=None)
        if rules.fixed:
            return Made(self._at(tier, self._quality_of_all(tier)))
        if rules.cap:
            return Made(self._under(tier, rules.cap))
        setting = learnt.hint_for(tier, self.width, self._fidelity, self.is_fine(tier)).start
        easier = _EASIER * max(0.0, beyond) * scale_of(tier).step(self._fidelity)
        return Made(self._at(tier, setting - easier))

    def _at(self, tier: Tier, setting: float) -> Encoded:
        low, high = TIERS[tier].making.limits
        return self._quickly(tier, min(max(round(setting), low), high))

    def _under(self, tier: Tier, cap: int) -> Encoded:
        """A file of about so many bytes, no better than anybody sees: the higher the quality, the better it looks."""
        making = TIERS[tier].making
        low, high = making.limits
        most = min(high, round(making.scale.setting(_HIGHEST)))
        coder = Coder(partial(self._quickly, tier), _quality, (low, most), making.scale)
        return best_under_cap(
            coder, cap, Hint(making.scale.setting(self._fidelity)), most=_CAP_TRIES, enough=inf
        ).encoded

    def _quickly(self, tier: Tier, quality: int) -> Encoded:
        return self._encode(TIERS[tier].making.encoder, self._quick(tier, quality))


def _quality(file: Encoded) -> float:
    return float(file.how.quality or 0)
