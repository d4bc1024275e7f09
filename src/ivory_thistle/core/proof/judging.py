"""One rendition against its original: the score, the worst spots, and what kind of damage each is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.images.pixels import on_white
from ivory_thistle.core.quality import Spot, damage_map, prepare, score, worst_spots
from ivory_thistle.core.quality.frames import score_frames

Damage = Literal["colour shifted", "moved", "blocks", "texture lost", "ringing", "changed"]
_MOST_SPOTS = 3
_MOST_FRAMES = 60
_COLOUR, _MOVED, _BLOCKS = 3.0, 0.75, 1.6
"""A shift of colour in CIE76, of place in pixels, and steps on the 8 x 8 grid over those within: from here on they are
what one sees first (8 x 8 is JPEG's, ITU-T T.81)."""
_LOST, _RINGS = 0.55, 1.35
"""Fine detail that is left, as a share of the original's."""
_PLAIN = 2.0
"""Below this variance there is no detail to lose."""


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
    spots = worst_spots(damage_map(side, rendition), _MOST_SPOTS)
    seen = tuple(SpotSeen(box, _kind(_cut(before, box), _cut(after, box), box)) for box in spots)
    return Judged(score(side, rendition), _colour_shift(before, after), seen)


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


def _kind(before: NDArray[np.uint8], after: NDArray[np.uint8], box: Spot) -> Damage:
    """What a spot looks like: the first that fits, from what nobody overlooks to what one has to know."""
    if _colour_shift(before, after) >= _COLOUR:
        return "colour shifted"
    was, now = _grey(before), _grey(after)
    if min(was.shape) < 16:
        return "changed"
    detail_was, detail_now = _detail(was), _detail(now)
    if detail_was > _PLAIN and detail_now > _LOST * detail_was and _moved(was, now) >= _MOVED:
        return "moved"
    if _on_grid(now, box) > _BLOCKS * max(1.0, _on_grid(was, box)):
        return "blocks"
    if detail_was > _PLAIN and detail_now < _LOST * detail_was:
        return "texture lost"
    return "ringing" if detail_now > _RINGS * max(detail_was, _PLAIN) else "changed"


def _colour_shift(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> float:
    """The distance of the mean colours in CIE Lab (CIE76)."""
    means = [cv2.cvtColor(one.astype(np.float32) / 255, cv2.COLOR_RGB2LAB).mean(axis=(0, 1)) for one in (before, after)]
    return float(np.linalg.norm(means[0] - means[1]))


def _grey(array: NDArray[np.uint8]) -> NDArray[np.float32]:
    return cv2.cvtColor(np.ascontiguousarray(array), cv2.COLOR_RGB2GRAY).astype(np.float32)


def _detail(grey: NDArray[np.float32]) -> float:
    """How much fine detail there is: the variance of the Laplacian."""
    return float(cv2.Laplacian(grey, cv2.CV_32F).var())


def _moved(was: NDArray[np.float32], now: NDArray[np.float32]) -> float:
    """By how many pixels the content lies elsewhere, by phase correlation; 0 where that is not clear."""
    window = cv2.createHanningWindow((was.shape[1], was.shape[0]), cv2.CV_32F)
    (x, y), sure = cv2.phaseCorrelate(was, now, window)
    return float(np.hypot(x, y)) if sure > 0.5 else 0.0


def _on_grid(grey: NDArray[np.float32], box: Spot) -> float:
    """Steps between pixels on the 8 x 8 grid of the whole picture, over those within its squares."""
    across, down = np.abs(np.diff(grey, axis=1)), np.abs(np.diff(grey, axis=0))
    columns = (np.arange(box.x + 1, box.x + grey.shape[1]) % 8) == 0
    rows = (np.arange(box.y + 1, box.y + grey.shape[0]) % 8) == 0
    if not columns.any() or columns.all() or not rows.any() or rows.all():
        return 1.0
    on = float(across[:, columns].mean() + down[rows].mean())
    within = float(across[:, ~columns].mean() + down[~rows].mean())
    return on / max(within, 0.5)
