"""Animations: the same frames and timing in WebP, and in AVIF where that pays; the original stays as the fallback."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import sha256

import numpy as np

from ivory_thistle.core.encoders import Encoded
from ivory_thistle.core.images.animation import Animation, decode_animation, write_avif, write_webp
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.sniff import NAMES, ImageFormat
from ivory_thistle.core.quality import FrameScores, Prepared, prepare, score_frames
from ivory_thistle.core.search import Coder, Hint, fewest_bytes
from ivory_thistle.core.selection.tier import Tier
from ivory_thistle.core.treatment.choice import Rendition, Treated, kb
from ivory_thistle.core.treatment.making import LIMITS, SCALES
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules

_JUDGED = 16
"""So many frames are judged, evenly over the animation, its first and last among them."""
_MOST_TRIES = 4


def treat_animation(data: bytes, facts: ImageFacts, width: int, rules: Rules, role: Role) -> Treated:
    """The animation at `width` pixels. Raises PictureError, EncodeError.

    The worst frame that is judged must keep the fidelity; a lossless file is taken where it is the smaller one.
    """
    maker = _Maker(decode_animation(data, facts, width), rules.fidelity_for(role, "animation"))
    words = [f"Animation of {facts.frames} frames as {role}: the worst frame kept at a score of {maker.goal}."]
    found: list[Rendition] = []
    standing, rival = facts.bytes, NAMES[facts.format]
    for tier in (t for t in ("webp", "avif") if t in rules.formats):
        if tier == "avif" and maker.animation.plays:
            words.append("AVIF left out: it can't be told how often to play.")
            continue
        made = maker.avif() if tier == "avif" else maker.webp()
        name, size = NAMES[made.encoded.format], made.encoded.bytes
        if not made.met:
            words.append(f"{name} dropped: it can't keep this look.")
        elif rules.tier_is_worth_it(standing, size):
            share = 100 * (1 - size / standing)
            look = f"worst frame {made.scores.worst:.0f}, mean {made.scores.mean:.0f}"
            words.append(f"{name} saves {share:.0f} % over {rival} ({kb(standing)} to {kb(size)}; {look}).")
            found.insert(0, made.rendition(tier))
            standing, rival = size, name
        else:
            words.append(f"{name} dropped: {kb(size)} against {kb(standing)} is not worth a file.")
    words.append(f"The original ({kb(facts.bytes)}) stays as the fallback.")
    return Treated(tuple(found), tuple(words))


@dataclass(frozen=True, slots=True)
class _Made:
    encoded: Encoded
    scores: FrameScores
    met: bool = True

    def rendition(self, tier: Tier) -> Rendition:
        e = self.encoded
        digest = sha256(e.data).hexdigest()
        return Rendition(tier, e.format, e.width, e.height, e.settings, digest, e.data, self.scores.worst)


class _Maker:
    """Makes files of one animation; the originals of the frames that are judged are prepared once."""

    def __init__(self, animation: Animation, goal: int) -> None:
        self.animation, self.goal = animation, goal
        count = len(animation.frames)
        self._judged = sorted({round(n) for n in np.linspace(0, count - 1, min(count, _JUDGED))})
        self._prepared: list[Prepared] = [prepare(animation.frames[n].array) for n in self._judged]

    def webp(self) -> _Made:
        """The smaller of a lossless file and the lossy one that keeps the look."""
        lossless = self._encoded("webp", write_webp(self.animation, None), "lossless")
        lossy = self._searched("webp")
        whole = FrameScores(100.0, 100.0, 0)
        return lossy if lossy.met and lossy.encoded.bytes < lossless.bytes else _Made(lossless, whole)

    def avif(self) -> _Made:
        """The smallest that keeps the look."""
        return self._searched("avif")

    def _searched(self, tier: Tier) -> _Made:
        kind: ImageFormat = "avif" if tier == "avif" else "webp"
        write = write_avif if tier == "avif" else write_webp

        def encode(quality: int) -> Encoded:
            return self._encoded(kind, write(self.animation, quality), f"quality {quality}")

        coder = Coder(encode, lambda e: self._scores(e).worst, LIMITS[tier], SCALES[tier])
        found = fewest_bytes(coder, self.goal, Hint(SCALES[tier].setting(self.goal)), most=_MOST_TRIES)
        return _Made(found.encoded, self._scores(found.encoded), found.met)

    def _encoded(self, kind: ImageFormat, data: bytes, words: str) -> Encoded:
        first = self.animation.frames[0]
        return Encoded(kind, first.width, first.height, f"{len(self.animation.frames)} frames, {words}", data)

    def _scores(self, encoded: Encoded) -> FrameScores:
        facts, _ = read_facts(f"x.{encoded.format}", encoded.data)
        assert facts is not None
        frames = decode_animation(encoded.data, facts).frames
        return score_frames(self._prepared, [frames[n].array for n in self._judged])
