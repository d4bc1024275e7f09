"""Sketches: quick encodes of an image's files at settings that small copies of it foretell, confirmed by no search.

They are there to be looked at while the confirmed files are still being made; nothing of them is handed over.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import exp, inf, log2

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.images.pixels import reduce
from ivory_thistle.core.search.search import Coder, Hint, best_under_cap, foretold
from ivory_thistle.core.treatment.learning import Learnt, gain_of
from ivory_thistle.core.treatment.making import Made, Maker, Rung, Wish

_SMALL = 480
"""Pixels across of the copy that is tried: so few that some tries cost little."""
_HIGHEST = 90
"""Nobody sees what a score above this one adds."""
_CAP_TRIES = 3
_MISSED = 1.0
"""So many points below what was asked at its highest quality, a format can't keep a look."""
_STEEPNESS = 0.05
"""By how much of itself (natural logarithm) a file grows with a point of score."""
_SHARES: Mapping[FormatName, float] = {"avif": 0.88, "webp": 0.85, "jpeg": 1.07}
_FIXED_SHARES: Mapping[FormatName, float] = {"avif": 0.91, "webp": 0.87}
_DRAWN_SHARES: Mapping[FormatName, float] = {"avif": 0.48, "webp": 0.65, "png": 0.6}
"""What confirmed files weigh of quick ones (of JPEG, thorough ones) that look as asked, at a fixed quality, and where
drawings keep more (docs/decisions/0021)."""


@dataclass(frozen=True, slots=True)
class Sketched(Encoded):
    """A quick file; its `bytes` are those that the confirmed file is expected to have."""

    promise: int = 0

    @property
    def bytes(self) -> int:
        """What is expected, not what the quick file has."""
        return self.promise


def sketch_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> dict[Tier, list[Made]]:
    """A `Sketched` file of every tier at every rung, without a score.

    Small copies are tried; what their settings lead to is looked at once at the widest rung, for the most modern tier
    and the oldest: most visitors load the one, and the other decides what is worth its files.
    """
    wish = replace(wish, rules=replace(wish.rules, effort="quick"))
    widest, narrowest = rungs[-1].pixels, rungs[0].pixels
    # What is smaller looks worse at the same setting, by how much differs: the smallest tells it of itself.
    widths = sorted({min(_SMALL, narrowest.width), min(_SMALL, widest.width)})
    learnt, made = Learnt(), dict[Tier, list[Made]]()
    # What a narrow copy gains by whole chroma says nothing of the wider ones.
    fine: dict[int, set[Tier]] = {width: set() for width in widths}
    tried = [_Sketcher(Rung(reduce(widest, width)), wish, fine[width]) for width in widths]
    near = [next((w for w in widths if rung.pixels.width <= w), widths[-1]) for rung in rungs]
    makers = [_Sketcher(rung, wish, fine[width]) for rung, width in zip(rungs, near, strict=True)]
    doublings = [max(0.0, log2(maker.width / widths[-1])) for maker in makers]
    in_order = [tier for tier in reversed(TIERS) if tier in tiers]
    for tier in in_order:
        for small in tried:
            small.learn(tier, learnt)
        files = [maker.sketch(tier, learnt) for maker in makers]
        is_looked_at = doublings[-1] > 0 and tier in (in_order[0], in_order[-1])
        over = makers[-1].over(tier, files[-1]) / doublings[-1] if is_looked_at else 0.0
        share = makers[-1].share(tier)
        made[tier] = [_promised(file, share, over * far) for file, far in zip(files, doublings, strict=True)]
    return made


def _promised(file: Made, share: float, over: float) -> Made:
    """With the bytes that the confirmed file is expected to have; it looks `over` points better than was asked."""
    of = file.encoded
    promise = max(1, round(of.bytes * share * exp(-_STEEPNESS * over)))
    return replace(file, encoded=Sketched(of.format, of.width, of.height, of.settings, of.data, of.how, promise))


class _Sketcher(Maker):
    """Sketches the files of one rung."""

    @property
    def width(self) -> int:
        """In pixels."""
        return self._pixels.width

    def _is_searched(self, tier: Tier) -> bool:
        return not (self._ways(tier) or self._wish.rules.fixed or self._wish.rules.cap)

    def learn(self, tier: Tier, learnt: Learnt) -> None:
        """Tells by how many settings the picture is off a typical one, where these follow from a fidelity."""
        if not self._is_searched(tier):
            return
        setting = self._foretold(tier, learnt)
        if setting > TIERS[tier].making.half_chroma_up_to or setting == TIERS[tier].making.limits[1]:
            setting = self._finer_where_lighter(tier, learnt, setting)
        learnt.take(tier, self.width, self._fidelity, Hint(setting), self.is_fine(tier))

    def _finer_where_lighter(self, tier: Tier, learnt: Learnt, coarse: int) -> int:
        """The setting with finer chroma where that takes fewer bytes, or where the look can't be had without."""
        before = self._quickly(tier, coarse)
        if not self._refine(tier):
            return coarse
        fine = self._foretold(tier, learnt)
        if coarse == TIERS[tier].making.limits[1] or self._quickly(tier, fine).bytes < before.bytes:
            return fine
        self._needs_fine.remove(tier)
        return coarse

    def _foretold(self, tier: Tier, learnt: Learnt) -> int:
        making = TIERS[tier].making
        hint = learnt.hint_for(tier, self.width, self._fidelity, self.is_fine(tier))
        quick = partial(self._quickly, tier)
        coder = Coder(quick, self.judge, making.limits, making.scale, quick)
        return foretold(coder, self._fidelity - gain_of(tier, self._fidelity), hint.start)

    def sketch(self, tier: Tier, learnt: Learnt) -> Made:
        """A tier's file by what small copies told."""
        rules = self._wish.rules
        if ways := self._ways(tier):
            file = self._files[tier] = self._smallest(ways, self._palette_of_older(tier))
            return replace(file, score=None)
        if rules.fixed:
            return Made(self._at(tier, self._quality_of_all(tier)))
        if rules.cap:
            return Made(self._under(tier, rules.cap))
        hint = learnt.hint_for(tier, self.width, self._fidelity, self.is_fine(tier))
        made = Made(self._at(tier, hint.start), goal=self._fidelity)
        is_highest = made.encoded.how.quality == TIERS[tier].making.limits[1]
        return replace(made, met=not is_highest or self.over(tier, made) > -_MISSED)

    def over(self, tier: Tier, made: Made) -> float:
        """How many points better a file looks than was asked; 0 where no look was asked."""
        if not self._is_searched(tier):
            return 0.0
        gain = gain_of(tier, self._fidelity) if made.encoded.how.quick else 0.0
        return self.judge(made.encoded) + gain - self._fidelity

    def share(self, tier: Tier) -> float:
        """What a confirmed file weighs of the sketch; a cap is used up by both."""
        if self._ways(tier):
            return _DRAWN_SHARES.get(self._files[tier].encoded.format, 1.0)
        if self._wish.rules.cap:
            return 1.0
        shares = _DRAWN_SHARES if self._wish.drawn else _FIXED_SHARES if self._wish.rules.fixed else _SHARES
        return shares.get(TIERS[tier].format, 1.0)

    def _at(self, tier: Tier, setting: float) -> Encoded:
        """Quickly, but for encoders that are hardly slower when they are thorough."""
        making = TIERS[tier].making
        low, high = making.limits
        quality = min(max(round(setting), low), high)
        settings = self._quick(tier, quality) if making.probes else replace(self._settings(tier, quality), quick=False)
        return self._encode(making.encoder, settings)

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
