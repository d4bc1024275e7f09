"""Few encodes to the right setting: a guess, a step by a model of how settings act, then between what is known.

Every answer rests on a full encode that was judged: nothing is predicted without being confirmed. The same picture,
goal and start give the same answer.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import log
from typing import Generic, Protocol, TypeVar


class Sized(Protocol):
    """What an encoder delivers, as far as a search asks."""

    @property
    def bytes(self) -> int:
        """Size of the file."""
        ...


E = TypeVar("E", bound=Sized)


@dataclass(frozen=True, slots=True)
class Point:
    """One setting that was tried: bytes of the file, and its score."""

    setting: int
    bytes: int
    score: float


@dataclass(frozen=True, slots=True)
class Found(Generic[E]):
    """The setting taken with its file; `met` is false where the goal can't be met within the encoder's range."""

    setting: int
    score: float
    encoded: E
    met: bool
    points: tuple[Point, ...]


_SCORE_STEP = 0.75
"""Points of score that one step of quality brings, to begin with (between 0.4 and 1.2 on photographs)."""
_BYTES_STEP = 0.03
"""By how much of itself (natural logarithm) a file grows with one step of quality, to begin with."""
_AIM = 0.4
"""A step aims so many points above the fidelity, since a miss costs another encode."""


class _Tries(Generic[E]):
    """What was tried, each setting once."""

    def __init__(self, encode: Callable[[int], E], judge: Callable[[E], float]) -> None:
        self._encode, self._judge = encode, judge
        self.files: dict[int, E] = {}
        self.points: dict[int, Point] = {}

    def at(self, setting: int) -> Point:
        if setting not in self.points:
            encoded = self._encode(setting)
            self.files[setting] = encoded
            self.points[setting] = Point(setting, encoded.bytes, self._judge(encoded))
        return self.points[setting]

    def found(self, setting: int, met: bool) -> Found[E]:
        point = self.points[setting]
        return Found(setting, point.score, self.files[setting], met, tuple(self.points.values()))


def fewest_bytes(
    encode: Callable[[int], E],
    judge: Callable[[E], float],
    fidelity: float,
    limits: tuple[int, int],
    start: int,
    tolerance: float = 1.0,
    most: int = 6,
) -> Found[E]:
    """The smallest file with a score of at least `fidelity`.

    Ends once the score is within `tolerance` above it, the next lower setting is known to miss it, or after `most`
    encodes. Where even the highest setting misses, that one is given and `met` is false.
    """
    tries = _Tries(encode, judge)
    low, high = limits
    setting = min(max(start, low), high)
    misses, meets = low - 1, high + 1  # the highest setting known to miss, the lowest known to meet
    while len(tries.points) < most:
        point = tries.at(setting)
        if point.score >= fidelity:
            meets = min(meets, setting)
            if point.score <= fidelity + tolerance:
                break
        else:
            misses = max(misses, setting)
        if meets - misses <= 1:
            break
        setting = _next(tries, fidelity + _AIM, misses, meets, lambda p: p.score, _SCORE_STEP)
    fitting = [p for p in tries.points.values() if p.score >= fidelity]
    if not fitting and tries.at(high).score >= fidelity:
        fitting = [tries.at(high)]
    if not fitting:
        return tries.found(high, met=False)
    return tries.found(min(fitting, key=lambda p: (p.bytes, p.setting)).setting, met=True)


def best_under_cap(
    encode: Callable[[int], E],
    judge: Callable[[E], float],
    cap: int,
    limits: tuple[int, int],
    start: int,
    share: float = 0.03,
    most: int = 7,
) -> Found[E]:
    """The file of the best score that weighs `cap` bytes at most.

    Ends once it is within `share` of the cap, or after `most` encodes. Where even the lowest setting is too heavy, that
    one is given and `met` is false.
    """
    tries = _Tries(encode, judge)
    low, high = limits
    setting = min(max(start, low), high)
    fits, heavy = low - 1, high + 1
    while len(tries.points) < most:
        point = tries.at(setting)
        if point.bytes <= cap:
            fits = max(fits, setting)
            if point.bytes >= cap * (1 - share):
                break
        else:
            heavy = min(heavy, setting)
        if heavy - fits <= 1:
            break
        setting = _next(tries, log(cap * (1 - share / 2)), fits, heavy, lambda p: log(max(1, p.bytes)), _BYTES_STEP)
    fitting = [p for p in tries.points.values() if p.bytes <= cap]
    if not fitting and tries.at(low).bytes <= cap:
        fitting = [tries.at(low)]
    if not fitting:
        return tries.found(low, met=False)
    return tries.found(max(fitting, key=lambda p: (p.score, -p.bytes)).setting, met=True)


def _next(tries: _Tries[E], aim: float, below: int, above: int, value: Callable[[Point], float], step: float) -> int:
    """The setting to try next, strictly between `below` and `above`, neither of which need have been tried.

    By the line through the two points nearest to the aim; with one point, by the model's step.
    """
    near = sorted(tries.points.values(), key=lambda p: (abs(value(p) - aim), p.setting))[:2]
    slope = step
    if len(near) == 2 and near[0].setting != near[1].setting:
        measured = (value(near[0]) - value(near[1])) / (near[0].setting - near[1].setting)
        # A slope that noise made flat or falling would lead far astray.
        slope = min(max(measured, step / 3), step * 4)
    wanted = near[0].setting + round((aim - value(near[0])) / slope)
    return min(max(wanted, below + 1), above - 1)
