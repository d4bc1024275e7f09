"""Animations: the same frames and timing in modern formats, where that pays; the original stays as the fallback."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Moving, Tier
from ivory_thistle.core.images.animation import Animation, decode_animation
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.quality import FrameScores, Prepared, prepare, score_frames
from ivory_thistle.core.search import Coder, Hint, fewest_bytes
from ivory_thistle.core.treatment.choice import Treated, rendition_of
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.worth import Load, worthwhile
from ivory_thistle.core.words import kb

_JUDGED = 16
"""So many frames are judged, evenly over the animation, its first and last among them."""
_MOST_TRIES = 4


def treat_animation(data: bytes, facts: ImageFacts, width: int, rules: Rules, role: Role) -> Treated:
    """The animation at `width` pixels. Raises PictureError, EncodeError.

    The worst frame that is judged must keep the fidelity; a lossless file is taken where it is the smaller one.
    """
    maker = _Maker(decode_animation(data, facts, width), rules.fidelity_for(role, "animation"))
    words = [f"Animation of {facts.frames} frames as {role}: the worst frame kept at a score of {maker.goal}."]
    made: dict[Tier, _Made] = {}
    for tier, row in reversed(TIERS.items()):
        if tier not in rules.formats or row.moving is None:
            continue
        name = FORMATS[row.format].label
        if maker.animation.plays and not row.moving.ends:
            words.append(f"{name} left out: it can't be told how often to play.")
            continue
        made[tier] = maker.make(tier, row.moving)
        if not made[tier].met:
            words.append(f"{name} dropped: it can't keep this look.")
    sizes = {tier: one.encoded.bytes for tier, one in made.items() if one.met}
    loads = [Load.of(tier, TIERS[tier].format, [size]) for tier, size in sizes.items()]
    worth, dropped = worthwhile(Load.of(BASELINE, facts.format, [facts.bytes]), loads, rules)
    words += [one.words for one in dropped]
    for older, newer in pairwise(worth):
        scores = made[newer.tier].scores
        words.append(newer.saves_over(older, f"; worst frame {scores.worst:.0f}, mean {scores.mean:.0f}"))
    found = [rendition_of(one.tier, made[one.tier].encoded, made[one.tier].scores.worst) for one in reversed(worth[1:])]
    words.append(f"The original ({kb(facts.bytes)}) stays as the fallback.")
    return Treated(tuple(found), tuple(words))


@dataclass(frozen=True, slots=True)
class _Made:
    encoded: Encoded
    scores: FrameScores
    met: bool = True


class _Maker:
    """Makes files of one animation; the originals of the frames that are judged are prepared once."""

    def __init__(self, animation: Animation, goal: int) -> None:
        self.animation, self.goal = animation, goal
        count = len(animation.frames)
        self._judged = sorted({round(n) for n in np.linspace(0, count - 1, min(count, _JUDGED))})
        self._prepared: list[Prepared] = [prepare(animation.frames[n].array) for n in self._judged]

    def make(self, tier: Tier, moving: Moving) -> _Made:
        """The smallest that keeps the look: lossy, or without loss where the format can and that is smaller."""
        lossy = self._searched(tier, moving)
        if not moving.lossless:
            return lossy
        whole = self._encoded(tier, moving.write(self.animation, None), "lossless")
        return lossy if lossy.met and lossy.encoded.bytes < whole.bytes else _Made(whole, FrameScores(100.0, 100.0, 0))

    def _searched(self, tier: Tier, moving: Moving) -> _Made:
        making = TIERS[tier].making

        def encode(quality: int) -> Encoded:
            return self._encoded(tier, moving.write(self.animation, quality), f"quality {quality}")

        coder = Coder(encode, lambda e: self._scores(e).worst, making.limits, making.scale, twins=making.twins)
        found = fewest_bytes(coder, self.goal, Hint(making.scale.setting(self.goal)), most=_MOST_TRIES)
        return _Made(found.encoded, self._scores(found.encoded), found.met)

    def _encoded(self, tier: Tier, data: bytes, words: str) -> Encoded:
        first, count = self.animation.frames[0], len(self.animation.frames)
        return Encoded(TIERS[tier].format, first.width, first.height, f"{count} frames, {words}", data)

    def _scores(self, encoded: Encoded) -> FrameScores:
        facts, _ = read_facts(f"x.{encoded.format}", encoded.data)
        assert facts is not None
        frames = decode_animation(encoded.data, facts).frames
        return score_frames(self._prepared, [frames[n].array for n in self._judged])
