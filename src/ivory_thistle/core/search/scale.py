"""How an encoder's setting acts on a typical picture: what a search expects of a step."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Scale:
    """Pairs of score and the setting that a typical picture takes for it, both rising.

    Pictures differ in where their curve lies, far less in its shape: steep at low scores, flat near the top. So from
    one try the distance to a goal is about the typical picture's.
    """

    pairs: Sequence[tuple[float, float]]

    def setting(self, score: float) -> float:
        """The setting at which a typical picture has that score; lines go on beyond the ends."""
        n = min(max(bisect_left(self.pairs, (score,)), 1), len(self.pairs) - 1)
        (x0, y0), (x1, y1) = self.pairs[n - 1], self.pairs[n]
        return y0 + (score - x0) * (y1 - y0) / (x1 - x0)

    def step(self, score: float) -> float:
        """Settings to a point of score, about there."""
        return (self.setting(score + 2) - self.setting(score - 2)) / 4
