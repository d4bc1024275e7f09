"""One rendition against its original: the score, the worst spots, and what kind of damage each is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.images.pixels import on_white
from ivory_thistle.core.proof.kinds import Damage, colour_map, colour_shift, kind_of
from ivory_thistle.core.quality import Spot, damage_map, prepare, score, worst_spots
from ivory_thistle.core.quality.frames import score_frames

_MOST_SPOTS = 3
_MOST_FRAMES = 60


@dataclass(frozen=True, slots=True)
class SpotSeen:
    """A box where much differs, and what it looks like."""

    box: Spot
    damage: Damage


@dataclass(frozen=True, slots=True)
class Judged:
    """`score` as SSIMULACRA 2, `shift` of all colours in the mean (CIE76), and the worst spots, the worst first.

    Of an animation these are of its worst frame; `frame` is its number from 0.
    """

    score: float
    shift: float
    spots: tuple[SpotSeen, ...]
    frame: int = 0

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for a database."""
        return asdict(self)

    def scaled(self, times: float) -> Judged:
        """The same, told of a picture with so many times the pixels across."""

        def moved(box: Spot) -> Spot:
            x, y, width, height = (round(n * times) for n in (box.x, box.y, box.width, box.height))
            return replace(box, x=x, y=y, width=max(1, width), height=max(1, height))

        return replace(self, spots=tuple(replace(spot, box=moved(spot.box)) for spot in self.spots))

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Judged:
        """The same again, from plain values."""
        spots = (SpotSeen(Spot(**spot["box"]), spot["damage"]) for spot in values["spots"])
        return cls(values["score"], values["shift"], tuple(spots), values.get("frame", 0))


def judge(original: NDArray[np.uint8], rendition: NDArray[np.uint8]) -> Judged:
    """Judges a rendition; both are height x width x channels, sRGB, of one size.

    Raises ValueError where the sizes differ.
    """
    if original.shape[:2] != rendition.shape[:2]:
        raise ValueError("The sizes differ.")
    side = prepare(original)
    before, after = on_white(original), on_white(rendition)
    spots = worst_spots(damage_map(side, rendition) + colour_map(before, after), _MOST_SPOTS)
    seen = tuple(SpotSeen(box, kind_of(_cut(before, box), _cut(after, box))) for box in spots)
    return Judged(score(side, rendition), colour_shift(before, after), seen)


def judge_frames(originals: Sequence[NDArray[np.uint8]], renditions: Sequence[NDArray[np.uint8]]) -> Judged:
    """Judges the worst frame of an animation; both have as many frames of one size. Raises ValueError where not."""
    numbers = _spread(len(originals))
    sides = [prepare(originals[n]) for n in numbers]
    if len(originals) != len(renditions):
        raise ValueError("The numbers of frames differ.")
    worst = numbers[score_frames(sides, [renditions[n] for n in numbers]).worst_at]
    return replace(judge(originals[worst], renditions[worst]), frame=worst)


def _spread(frames: int) -> list[int]:
    """The frames that are judged: all, or as many as are taken, evenly over the time."""
    count = min(frames, _MOST_FRAMES)
    return [n * frames // count for n in range(count)]


def _cut(array: NDArray[np.uint8], box: Spot) -> NDArray[np.uint8]:
    return array[box.y : box.y + box.height, box.x : box.x + box.width]
