"""Sketches: quick encodes of an image's files at settings that small copies of it foretell, confirmed by no search.

They are there to be looked at while the confirmed files are still being made; nothing of them is handed over.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import exp, inf, log

import numpy as np

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.images.pixels import Pixels, reduce
from ivory_thistle.core.search import Coder, Hint, Point, best_under_cap
from ivory_thistle.core.search.search import (
    TYPICAL_STEEPNESS,
    foretold,
    near_enough,
    steepness,
)
from ivory_thistle.core.treatment.learning import Learnt, gain_of
from ivory_thistle.core.treatment.maker import Maker
from ivory_thistle.core.treatment.wish import Made, Rung, Wish

_SMALL = 480
"""Pixels across of the copy that is tried: so few that some tries cost little."""
_LIKE = 0.7
"""A narrowest rung of so much of that tells nothing else."""
_HIGHEST = 90
"""Nobody sees what a score above this one adds."""
_CAP_TRIES = 3
_MISSED = 1.0
"""So many points below what was asked at its highest quality, a format can't keep a look."""
_NEAR = (1.5, 4.0, inf)
"""Files of the widest rung are looked at until one is so near (points) to what is asked: first, second, third."""
_NEAR_BETWEEN = _NEAR[1:]
"""The same for tiers between the first and the last."""
_MOST_GROWTH = 0.7
"""By so much of itself (natural logarithm) at most, a file is told to grow by its steepness."""
_MIDDLE, _LOWER = (480, 360), 5
"""A thorough file is tried on the small copy, which has lost the grain, and on the middle of the widest rung, of so
many pixels. A quick file that is so many settings lower tells how bytes rise with the score."""
_SHARES: Mapping[FormatName, tuple[float, float, float]] = {"webp": (0.87, 0.08, 0.93)}
"""What confirmed files of other formats weigh of quick ones that look as asked: the widest of a quiet picture, how much
less (natural logarithm) narrower ones do with each factor e of the width, and files of a noisy picture."""
_QUIET, _NOISY = 0.5, 1.7
"""Bits a pixel of the widest file: on noise, a thorough encoder finds little to save at any width."""
_FIXED_SHARES: Mapping[FormatName, float] = {"avif": 0.82, "webp": 0.8, "jpeg": 0.83}
"""The same at a fixed quality (docs/decisions/0021)."""


@dataclass(frozen=True, slots=True)
class Sketched(Encoded):
    """A quick file; its `bytes` are those that the confirmed file is expected to have."""

    promise: int = 0

    @property
    def bytes(self) -> int:
        """What is expected, not what the quick file has."""
        return self.promise


@dataclass(frozen=True, slots=True)
class _Trial:
    """How a thorough file of the widest rung follows from those that are tried of parts.

    `confirmed` files weigh so much of what is foretold: they score a little more than is asked. `copy` is the part of
    the small copy in it, beside the middle's. Where files of the widest rung grow faster than usual with a point of
    score, they weigh `steep` times that excess more (both natural logarithms).
    """

    confirmed: float
    copy: float
    steep: float


_TRIED: Mapping[FormatName, _Trial] = {
    "avif": _Trial(1.08, copy=0.5, steep=2.5),
    "jpeg": _Trial(1.0, copy=0.0, steep=0.0),
}
"""Formats of which a thorough file is tried, since what it saves differs most from picture to picture."""


@dataclass(frozen=True, slots=True)
class _Looked:
    """A file of the widest rung.

    In parts of itself (natural logarithm): `growth` is by how much one that looks as asked is heavier, `steepness` how
    files grow with a point of score (0: nobody looked).
    """

    made: Made
    growth: float = 0.0
    steepness: float = 0.0


def sketch_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> dict[Tier, list[Made]]:
    """A `Sketched` file of every tier at every rung, without a score.

    Small copies are tried, then the widest rung is looked at: what is smaller looks worse at the same setting, by how
    much differs. The other rungs follow from both.
    """
    widest, narrowest = rungs[-1].pixels, rungs[0].pixels
    copy = min(_SMALL, widest.width)
    widths = [copy] if narrowest.width >= _LIKE * copy else [narrowest.width, copy]
    learnt, made = Learnt(), dict[Tier, list[Made]]()
    # What a narrow copy gains by whole chroma says nothing of the wider ones.
    chroma: dict[int, dict[Tier, bool]] = {width: {} for width in widths}
    tried = [_Sketcher(Rung(reduce(widest, width)), wish, chroma[width]) for width in widths]
    middle = _Sketcher(Rung(_middle_of(widest)), wish, chroma[widths[-1]])
    near = [next((w for w in widths if rung.pixels.width <= w), widths[-1]) for rung in rungs]
    *makers, last = [_Sketcher(rung, wish, chroma[width]) for rung, width in zip(rungs, near, strict=True)]
    in_order = [tier for tier in reversed(TIERS) if tier in tiers]
    for tier in in_order:
        for small in tried:
            small.learn(tier, learnt)
        if last.width > widths[-1] and last.is_searched(tier):
            # Most visitors load the most modern files, and the oldest decide what is worth its files.
            is_end = tier in (in_order[0], in_order[-1])
            looked = last.look_at(tier, learnt, _NEAR if is_end else _NEAR_BETWEEN)
        else:
            looked = _Looked(last.sketch(tier, learnt))
        top = looked.made
        files = [*(maker.sketch(tier, learnt) for maker in makers), top]
        shares = [1.0] * len(files)
        if wish.rules.effort != "quick":
            saved = _saved(tier, learnt, looked, tried[-1], middle)
            shares = [last.share(tier, file.encoded, top.encoded, saved(file.encoded.width)) for file in files]
        shares[-1] *= exp(looked.growth)
        made[tier] = [_promised(file, share) for file, share in zip(files, shares, strict=True)]
    return made


def _saved(tier: Tier, learnt: Learnt, looked: _Looked, copy: _Sketcher, middle: _Sketcher) -> Callable[[int], float]:
    """What thorough files weigh of quick ones that look alike, by width: as the copy tells, up to the widest rung."""
    narrow = copy.thorough_share(tier, copy.setting(tier, learnt))
    trial = _TRIED.get(TIERS[tier].format)
    if trial is None or not looked.steepness:
        return lambda width: narrow
    of_middle = middle.thorough_share(tier, looked.made.encoded.how.quality or 0)
    by_both = trial.copy * log(narrow) + (1 - trial.copy) * log(of_middle)
    by_both += trial.steep * max(0.0, looked.steepness - TYPICAL_STEEPNESS)
    widths, shares = (log(copy.width), log(looked.made.encoded.width)), (log(narrow), by_both)
    return lambda width: exp(float(np.interp(log(width), widths, shares)))


def _middle_of(pixels: Pixels) -> Pixels:
    """The middle of a picture, as large as `_MIDDLE` at most."""
    across, down = min(_MIDDLE[0], pixels.width), min(_MIDDLE[1], pixels.height)
    left, top = (pixels.width - across) // 2, (pixels.height - down) // 2
    return replace(pixels, array=np.ascontiguousarray(pixels.array[top : top + down, left : left + across]))


def _promised(file: Made, share: float) -> Made:
    """With the bytes that the confirmed file is expected to have: this share of its own."""
    of = file.encoded
    promise = max(1, round(of.bytes * share))
    return replace(file, encoded=Sketched(of.format, of.width, of.height, of.settings, of.data, of.how, promise))


class _Sketcher(Maker):
    """Sketches the files of one rung."""

    @property
    def width(self) -> int:
        """In pixels."""
        return self._pixels.width

    def is_searched(self, tier: Tier) -> bool:
        """Whether a setting is looked for that keeps a look."""
        return not (self._ways(tier) or self._wish.rules.fixed or self._wish.rules.cap)

    def learn(self, tier: Tier, learnt: Learnt) -> None:
        """Tells by how many settings the picture is off a typical one, where these follow from a fidelity."""
        if not self.is_searched(tier):
            return
        setting = self._foretold(tier, learnt)
        if setting > TIERS[tier].making.half_chroma_up_to or setting == TIERS[tier].making.limits[1]:
            setting = self._finer_where_lighter(tier, learnt, setting)
        learnt.take(tier, self.width, self._fidelity, Hint(setting), self.is_fine(tier))

    def setting(self, tier: Tier, learnt: Learnt) -> int:
        """Where others point to for this rung."""
        low, high = TIERS[tier].making.limits
        return min(max(round(self._hint(tier, learnt).start), low), high)

    def _hint(self, tier: Tier, learnt: Learnt) -> Hint:
        return learnt.hint_for(tier, self.width, self._fidelity, self.is_fine(tier))

    def thorough_share(self, tier: Tier, quality: int) -> float:
        """What a thorough file that looks as asked weighs of a quick one that tells so; 1 where none is tried."""
        if TIERS[tier].format not in _TRIED or not self.is_searched(tier):
            return 1.0
        quality = max(quality, TIERS[tier].making.limits[0] + _LOWER)
        quick, lower = (self._point(self._quickly(tier, q), q) for q in (quality, quality - _LOWER))
        growth, asked = steepness(quick, [lower]), quick.score + self._fidelity - self._aim(tier)
        tried = [self._thorough_point(tier, quality)]
        if self._spoils(tier, tried[0].score - quick.score):
            coarse = _Sketcher(Rung(self._pixels), self._wish, {tier: False})
            tried.append(coarse._thorough_point(tier, quality))
        return min(p.bytes / quick.bytes * exp(growth * (asked - p.score)) for p in tried)

    def _thorough_point(self, tier: Tier, quality: int) -> Point:
        settings = replace(self._settings(tier, quality), quick=False)
        return self._point(self._encode(TIERS[tier].making.encoder, settings), quality)

    def _point(self, file: Encoded, quality: int) -> Point:
        return Point(quality, file.bytes, self.judge(file))

    def _finer_where_lighter(self, tier: Tier, learnt: Learnt, coarse: int) -> int:
        """The setting with finer chroma where that takes fewer bytes, or where the look can't be had without."""
        before = self._quickly(tier, coarse)
        if not self._refine(tier):
            return coarse
        fine = self._foretold(tier, learnt)
        if coarse == TIERS[tier].making.limits[1] or self._quickly(tier, fine).bytes < before.bytes:
            return fine
        del self._chroma[tier]
        return coarse

    def _foretold(self, tier: Tier, learnt: Learnt) -> int:
        making = TIERS[tier].making
        quick = partial(self._quickly, tier)
        coder = Coder(quick, self.judge, making.limits, making.scale, quick)
        return foretold(coder, self._aim(tier), self._hint(tier, learnt).start)

    def look_at(self, tier: Tier, learnt: Learnt, near: Sequence[float]) -> _Looked:
        """A tier's file by quick ones of this rung that are glanced at until one is `near`; tells the other rungs what
        they told.
        """
        making, aim = TIERS[tier].making, self._aim(tier)
        coder = Coder(partial(self._at, tier), self.glance, making.limits, making.scale)
        found = near_enough(coder, aim, self.setting(tier, learnt), near)
        learnt.take(tier, self.width, self._fidelity, found.hint, self.is_fine(tier))
        met = found.setting < making.limits[1] or found.score > aim - _MISSED
        best = next(p for p in found.points if p.setting == found.setting)
        slope = steepness(best, found.points)
        growth = min(max(slope * (aim - best.score), -_MOST_GROWTH), _MOST_GROWTH)
        return _Looked(Made(found.encoded, met=met, goal=self._fidelity), growth, slope)

    def _aim(self, tier: Tier) -> float:
        """The score of a file of `_at` that tells that a confirmed one looks as asked."""
        return self._fidelity - gain_of(tier, self._fidelity, self.is_fine(tier))

    def sketch(self, tier: Tier, learnt: Learnt) -> Made:
        """A tier's file by what others told."""
        rules = self._wish.rules
        if ways := self._ways(tier):
            file = self._files[tier] = self._smallest(ways, self._palette_of_older(tier))
            return replace(file, score=None)
        if rules.fixed:
            return Made(self._at(tier, self._quality_of_all(tier)))
        if rules.cap:
            return Made(self._under(tier, rules.cap))
        quick = self._at(tier, self._hint(tier, learnt).start)
        is_highest = quick.how.quality == TIERS[tier].making.limits[1]
        met = not is_highest or self.judge(quick) > self._aim(tier) - _MISSED
        return Made(quick, met=met, goal=self._fidelity)

    def share(self, tier: Tier, file: Encoded, widest: Encoded, saved: float) -> float:
        """What the confirmed file weighs of a sketch, by what a thorough one `saved`; a cap is used up by both."""
        if self._ways(tier) or self._wish.rules.cap:
            return 1.0
        if self._wish.rules.fixed:
            return _FIXED_SHARES.get(file.format, 1.0)
        if file.format in _TRIED:
            return _TRIED[file.format].confirmed * saved
        quiet, narrower, noisy = _SHARES.get(file.format, (1.0, 0.0, 1.0))
        bits = 8 * len(widest.data) / (widest.width * widest.height)
        noise = min(max(log(bits / _QUIET) / log(_NOISY / _QUIET), 0.0), 1.0)
        less = exp(-narrower * log(widest.width / file.width))
        return (1 - noise) * quiet * less + noise * noisy

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
