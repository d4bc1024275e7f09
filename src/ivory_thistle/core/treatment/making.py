"""The files of a ladder in every tier: each setting found by search, the rungs helping one another."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ivory_thistle.core.encoders import AVIF, JPEG, PNG, WEBP, Chroma, Encoded, Encoder, Settings
from ivory_thistle.core.images.chroma import ChromaLoss, chroma_loss
from ivory_thistle.core.images.metadata import NO_METADATA, Metadata
from ivory_thistle.core.images.pixels import Pixels, decode_plain
from ivory_thistle.core.quality import Prepared, prepare, score
from ivory_thistle.core.search import Coder, Found, Hint, Point, Scale, best_under_cap, fewest_bytes
from ivory_thistle.core.selection.tier import Tier
from ivory_thistle.core.treatment.rules import Rules

# Medians over 40 pictures: the photographs of Debian's mate-backgrounds at 480, 960 and 1,600 px
# (docs/decisions/0009), of the thorough encoders at 4:2:0 and 8 bits.
SCALES: Mapping[Tier, Scale] = {
    "avif": Scale(
        ((30, 1), (40, 12), (50, 24), (60, 34), (65, 39), (70, 44), (75, 52), (80, 61), (85, 78), (90, 91), (94, 105))
    ),
    "webp": Scale(
        ((30, 1), (40, 12), (50, 24), (60, 40), (65, 51), (70, 68), (75, 79), (80, 85), (85, 91), (90, 98), (94, 103))
    ),
    "baseline": Scale(
        ((30, 22), (40, 30), (50, 36), (60, 46), (65, 54), (70, 64), (75, 72), (80, 80), (85, 85), (90, 91), (94, 97))
    ),
}
LIMITS: Mapping[Tier, tuple[int, int]] = {"avif": (10, 97), "webp": (5, 98), "baseline": (20, 97)}
_ENCODERS: Mapping[Tier, Encoder] = {"avif": AVIF, "webp": WEBP, "baseline": JPEG}
# By how many points the thorough encoder scores above the quick one, at scores of 50, 65, 75, 80, 85, 90.
_AT = (50, 65, 75, 80, 85, 90)
_GAINS: Mapping[Tier, tuple[float, ...]] = {
    "avif": (3.2, 2.5, 1.6, 1.3, 0.7, 0.3),
    "webp": (-0.8, -0.5, -0.3, 0.0, 0.3, 0.5),
    "baseline": (-1.8, -1.5, -1.3, -1.0, -0.8, -0.5),
}
_CARRIES_OVER = 0.75
"""Of what a picture was harder (or easier) for one format than the typical one, so much it is for the next."""

FINE_COLOUR, STRONG_COLOUR = 0.02, 0.01
"""Shares of `ChromaLoss` from which halved chroma costs more than it saves."""
_EXACTING = 80
"""From this fidelity on AVIF does with fewer bytes at 4:4:4 and 10 bits (5 and 9 % on those photographs)."""
_HALF_CHROMA_UP_TO: Mapping[Tier, int] = {"baseline": 85}
"""Beyond this quality, JPEG with whole chroma may need fewer bytes for the same score."""
_GRAPHIC_AVIF = 75
_NEAR_LEVELS = (60, 40)
_PALETTE_QUALITIES = (95, 80, 60, 40)
PALETTE_FIDELITY = 85
"""What a palette or a near-lossless file must keep where no fidelity is asked for."""


@dataclass(frozen=True, slots=True)
class Rung:
    """One width of a ladder, in pixels; `dense`: only dense screens load it."""

    pixels: Pixels
    dense: bool = False


@dataclass(frozen=True, slots=True)
class Made:
    """One finished file; `score` is None where nothing was judged, `met` False where it falls short of the goal.

    `points` is all that was tried for it.
    """

    encoded: Encoded
    score: float | None = None
    met: bool = True
    points: tuple[Point, ...] = ()


@dataclass(frozen=True, slots=True)
class Wish:
    """What is asked of the files of one image: `fidelity` of one rung, its cap in bytes (0: none), or fixed qualities.

    `drawn`: graphics, lettering and line art that no lossy format has spoilt yet.
    """

    rules: Rules
    drawn: bool
    fidelity: Callable[[Rung], int]
    metadata: Metadata = NO_METADATA


def make_files(rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> dict[Tier, list[Made]]:
    """The files of every tier, by the rungs' order (rising width).

    The narrowest rung is searched first, where encodes are cheap; each wider one begins from what it took. Within a
    rung the cheap formats go first and tell the dear ones where to begin.
    """
    made: dict[Tier, list[Made]] = {tier: [] for tier in tiers}
    hints: dict[Tier, Hint] = {}
    fine: set[Tier] = set()
    finer: dict[Tier, bool] = {}
    before = wish.fidelity(rungs[0])
    for rung in rungs:
        maker = _Maker(rung, wish, fine, known=bool(hints))
        goal = wish.fidelity(rung)
        if goal != before:
            hints = {
                tier: replace(h, start=h.start + SCALES[tier].setting(goal) - SCALES[tier].setting(before))
                for tier, h in hints.items()
            }
            before = goal
        for tier in (t for t in ("baseline", "webp", "avif") if t in tiers):
            hint = hints.get(tier) or _first_hint(tier, goal, hints)
            if maker.is_fine(tier) != finer.setdefault(tier, maker.is_fine(tier)):
                hint = replace(hint, gain=_gain(tier, goal))
            file, learnt = maker.make(tier, hint)
            made[tier].append(file)
            finer[tier] = maker.is_fine(tier)
            if learnt:
                hints[tier] = learnt
    return made


def refusal(tier: Tier, rungs: Sequence[Rung]) -> str:
    """In words, why a modern format can't hold a ladder; empty where it can."""
    tried = (_ENCODERS[tier].refusal(rung.pixels, Settings(50)) for rung in rungs)
    return next((words for words in tried if words), "")


def _first_hint(tier: Tier, goal: int, known: Mapping[Tier, Hint]) -> Hint:
    """Where a search begins that is the first of its format for this picture."""
    scale = SCALES[tier]
    harder = [(h.start - SCALES[t].setting(goal)) / SCALES[t].step(goal) for t, h in known.items()]
    difficulty = _CARRIES_OVER * sum(harder) / len(harder) if harder else 0.0
    start = scale.setting(goal) + difficulty * scale.step(goal)
    return Hint(start, _gain(tier, goal))


def _gain(tier: Tier, goal: int) -> float:
    return float(np.interp(goal, _AT, _GAINS[tier]))


class _Maker:
    """Makes the files of one rung; its side of the score is prepared once for all formats."""

    def __init__(self, rung: Rung, wish: Wish, fine: set[Tier], known: bool) -> None:
        self._pixels, self._wish, self._fine, self._known = rung.pixels, wish, fine, known
        self._fidelity = wish.fidelity(rung)
        self._colour: ChromaLoss = chroma_loss(rung.pixels)
        self._prepared: Prepared | None = None

    def judge(self, encoded: Encoded) -> float:
        """The score of a file, decoded as a browser would."""
        if self._prepared is None:
            self._prepared = prepare(self._pixels.array)
        return score(self._prepared, decode_plain(encoded.data, encoded.format == "avif"))

    def make(self, tier: Tier, hint: Hint) -> tuple[Made, Hint | None]:
        """The tier's file, and what its search learnt."""
        rules, drawn = self._wish.rules, self._wish.drawn
        if tier == "baseline" and (drawn or self._pixels.has_alpha):
            return self._smallest(PNG, [Settings(), *(Settings(q, palette=True) for q in _PALETTE_QUALITIES)]), None
        if tier == "webp" and drawn:
            return self._smallest(WEBP, [Settings(), *(Settings(near=level) for level in _NEAR_LEVELS)]), None
        if rules.fixed:
            qualities = {"avif": rules.avif_quality, "webp": rules.webp_quality, "baseline": rules.jpeg_quality}
            quality = max(qualities[tier], _GRAPHIC_AVIF) if drawn else qualities[tier]
            return Made(self._encode(_ENCODERS[tier], self._settings(tier, quality))), None
        found = self._search(tier, hint)
        if not found.met and self._refine(tier):
            found = self._search(tier, Hint(hint.start, _gain(tier, self._fidelity)))
        elif found.setting > _HALF_CHROMA_UP_TO.get(tier, 100) and not self.is_fine(tier) and not rules.cap:
            found = self._finer_where_smaller(tier, found)
        return Made(found.encoded, found.score, found.met, found.points), found.hint

    def _finer_where_smaller(self, tier: Tier, coarse: Found[Encoded]) -> Found[Encoded]:
        """The file with whole chroma where that is smaller: its luma then needs no such quality."""
        self._fine.add(tier)
        fine = self._search(tier, Hint(SCALES[tier].setting(self._fidelity), _gain(tier, self._fidelity)))
        if fine.met and fine.encoded.bytes < coarse.encoded.bytes:
            return fine
        self._fine.remove(tier)
        return coarse

    def _search(self, tier: Tier, hint: Hint) -> Found[Encoded]:
        encoder = _ENCODERS[tier]

        def quick(quality: int) -> Encoded:
            return self._encode(encoder, replace(self._settings(tier, quality), quick=True, sharp=False))

        coder = Coder(
            lambda quality: self._encode(encoder, self._settings(tier, quality)),
            self.judge,
            LIMITS[tier],
            SCALES[tier],
            # A thorough JPEG costs little more than a probe that must be judged as well.
            None if tier == "baseline" and self._known else quick,
        )
        if self._wish.rules.cap:
            return best_under_cap(coder, self._wish.rules.cap, hint)
        return fewest_bytes(coder, self._fidelity, hint)

    def _encode(self, encoder: Encoder, settings: Settings) -> Encoded:
        return encoder.encode(self._pixels, settings, self._wish.metadata)

    def _settings(self, tier: Tier, quality: int) -> Settings:
        fine = self.is_fine(tier)
        if tier == "webp":
            return Settings(quality, sharp=fine)
        chroma: Chroma = "4:4:4" if fine else "4:2:0"
        smooth = tier == "avif" and self._fidelity >= _EXACTING and not self._wish.drawn and not self._wish.rules.fixed
        return Settings(quality, chroma, depth=10 if smooth else 8)

    def is_fine(self, tier: Tier) -> bool:
        """Whether a file gets finer chroma: by kind, by what halving it would lose, or by what was found short."""
        if self._wish.drawn or tier in self._fine or self._colour.strong >= STRONG_COLOUR:
            return True
        exacting, textured = self._fidelity >= _EXACTING, self._colour.seen >= FINE_COLOUR
        searched = not self._wish.rules.fixed
        return {"avif": searched and (exacting or textured), "webp": textured, "baseline": exacting and textured}[tier]

    def _refine(self, tier: Tier) -> bool:
        """Takes finer chroma from here on, also for wider rungs; False where it was fine already."""
        if self.is_fine(tier):
            return False
        self._fine.add(tier)
        return True

    def _smallest(self, encoder: Encoder, ways: Sequence[Settings]) -> Made:
        """The smallest of a lossless file (the first way) and lossy ones by falling quality that keep the look.

        Under a cap: the first that holds it, the last where none does.
        """
        rules = self._wish.rules
        asked = PALETTE_FIDELITY if rules.fixed else max(self._fidelity, PALETTE_FIDELITY)
        best = Made(self._encode(encoder, ways[0]), 100.0)
        for way in ways[1:]:
            if rules.cap and best.encoded.bytes <= rules.cap:
                break
            file = self._encode(encoder, way)
            reached = self.judge(file)
            if reached < asked and not rules.cap:
                break
            if file.bytes < best.encoded.bytes:
                best = Made(file, reached)
        return replace(best, met=best.encoded.bytes <= rules.cap) if rules.cap else best
