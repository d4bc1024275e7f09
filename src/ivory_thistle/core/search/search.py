"""Few encodes to the right setting: cheap probes first, then the thorough encoder where they point, then corrections.

Every answer rests on a full thorough encode that was judged: nothing is predicted without being confirmed. The same
picture, goal and hint give the same answer.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from math import exp, inf, log
from typing import Any, Generic

from ivory_thistle.core.search.coder import Coder, E, Found, Hint, Point
from ivory_thistle.core.search.scale import Scale

_AIM, _AIM_AGAIN = 1.0, 0.5
"""The first thorough encode aims so many points above the fidelity, since a miss costs another; later ones less."""
_PATIENCE, _MOST_PATIENCE = 1.0, 2.0
"""With every encode, one more point above the goal is found good enough, but no more than two."""
_NEAR = 3.0
"""A probe this near to its aim (points) tells well enough where the thorough encoder should begin, if not nearer."""
_TELLING = 4.0
"""A probe further from the goal (points) does not tell what one that meets it weighs."""
_PROBES = 3
_APART = 3
"""Two tries closer together than so many settings tell nothing of the slope."""
_STEEPEST = 2.5
_CAREFUL = 1.6
_CLOSE, _MOST_GAIN = 4, 5.0
_JUMP = 30
"""No step between probes is longer: curves differ most at their ends."""
_WIDE, _MORE = 6, 2
"""Where more settings than these are still open below what was found, so many more encodes are worth their time."""
TYPICAL_STEEPNESS, _SLOPES, _POINTS_APART = 0.05, (0.02, 0.2), 0.75
"""By how much of itself (natural logarithm) a file grows with a point of score: the typical one's, the least and the
most. It is told by two files that are at least so many points apart."""
_STEEP = 0.1
"""The same where files grow fast: 0.02 to 0.08 were seen over several points, of drawings and of photographs."""
_BYTES_STEP = 0.03
"""By how much of itself (natural logarithm) a file grows with one step of quality, to begin with."""


class _Tries(Generic[E]):
    """What was tried, each setting once."""

    def __init__(self, coder: Coder[E]) -> None:
        self._coder = coder
        self.files: dict[int, E] = {}
        self.points: dict[int, Point] = {}
        self.probes: dict[int, Point] = {}

    def at(self, setting: int) -> Point:
        """Thoroughly; of twins, the lowest."""
        while setting in self._coder.twins:
            setting -= 1
        if setting not in self.points:
            encoded = self._coder.encode(setting)
            self.files[setting] = encoded
            self.points[setting] = Point(setting, encoded.bytes, self._coder.judge(encoded))
        return self.points[setting]

    def probe(self, setting: int) -> Point:
        """Quickly."""
        assert self._coder.probe is not None
        if setting not in self.probes:
            encoded = self._coder.probe(setting)
            glance = self._coder.glance or self._coder.judge
            self.probes[setting] = Point(setting, encoded.bytes, glance(encoded), probe=True)
        return self.probes[setting]

    def steepness_at(self, point: Point) -> float:
        """How files grow with a point of score near this one, by thorough tries; by probes where it is the only one."""
        if len(self.points) > 1 or not self.probes:
            return steepness(point, self.points.values())
        nearest = min(self.probes.values(), key=lambda p: (abs(p.setting - point.setting), p.setting))
        return steepness(nearest, self.probes.values())

    def found(self, setting: int, met: bool, hint: Hint) -> Found[E]:
        point = self.points[setting]
        tried = (*self.probes.values(), *self.points.values())
        return Found(setting, point.score, self.files[setting], met, tried, hint)


class _Bracket:
    """Between which settings the answer lies: the highest known to be too low, the lowest known not to be."""

    def __init__(self, coder: Coder[Any]) -> None:
        low, self._high = coder.limits
        self._below, self._above = low - 1, self._high + 1
        self._twins = coder.twins
        self._stride = 1

    def take(self, setting: int, is_above: bool) -> None:
        """What was tried, and on which side it lies: so do settings above that give the same file."""
        if is_above:
            self._above, self._stride = min(self._above, setting), 1
        else:
            while setting + 1 in self._twins:
                setting += 1
            # Several in a row: the curve is flat here, and single steps would creep along it.
            self._below, self._stride = max(self._below, setting), 2 * self._stride

    @property
    def is_closed(self) -> bool:
        """Whether nothing lies between any more."""
        return self._above - self._below <= 1

    @property
    def is_wide(self) -> bool:
        """Whether something was found, and much below it is still open."""
        return self._below + _WIDE < self._above <= self._high

    def within(self, wanted: float) -> int:
        """The nearest setting that is still to be tried."""
        least = self._below + max(1, self._stride // 2)
        return min(max(round(wanted), least), self._above - 1)


def fewest_bytes(
    coder: Coder[E], fidelity: float, hint: Hint, tolerance: float = 2.5, most: int = 6, ceiling: float = inf
) -> Found[E]:
    """The smallest file with a score of at least `fidelity`.

    Ends once the score is within `tolerance` above it (more after each further encode, less where files grow fast), the
    next lower setting is known to miss it, or after `most` thorough encodes (a few more where much is still open).
    Where even the highest setting misses, that one is given and `met` is false. A file of `ceiling` bytes or more is of
    no use: the search also ends where the answer would be one; what it gives is then no smaller.
    """
    tries, scale = _Tries(coder), coder.scale
    high, gain = coder.limits[1], hint.gain
    setting = _begun(tries, coder, fidelity, hint, tolerance)
    bracket, is_hopeless = _Bracket(coder), False
    while len(tries.points) < most + (_MORE if bracket.is_wide else 0):
        point = tries.at(setting)
        gain = _gain(point, tries.probes.values(), scale, gain)
        is_met = point.score >= fidelity
        bracket.take(point.setting, is_met)
        excess = (point.score - fidelity) * max(1.0, tries.steepness_at(point) / TYPICAL_STEEPNESS)
        good_enough = tolerance + min(_PATIENCE * (len(tries.points) - 1), _MOST_PATIENCE)
        is_hopeless = _least_bytes(point, fidelity) >= ceiling
        is_near = is_met and excess <= good_enough and point.bytes < ceiling
        if is_hopeless or bracket.is_closed or is_near:
            break
        known = [(p.setting, scale.setting(p.score)) for p in tries.points.values()]
        # Going down too far costs two encodes, so the curve is taken to be steep until two tries show how it is.
        slope = _CAREFUL if is_met else 1.0
        setting = bracket.within(_towards(known, scale.setting(fidelity + _AIM_AGAIN), slope))
    fitting = [p for p in tries.points.values() if p.score >= fidelity]
    if not (fitting or is_hopeless) and tries.at(high).score >= fidelity:
        fitting = [tries.at(high)]
    best = min(fitting, key=lambda p: (p.bytes, p.setting)).setting if fitting else max(tries.points)
    over = (tries.points[best].score - fidelity - _AIM_AGAIN) * scale.step(fidelity)
    return tries.found(best, bool(fitting), Hint(best - over if fitting else best, gain))


def _least_bytes(point: Point, fidelity: float) -> float:
    """What a file of that score weighs at least, by one thorough file: if that falls short, no less than it."""
    return point.bytes * exp(-_STEEP * max(0.0, point.score - fidelity))


def quick_bytes(coder: Coder[E], fidelity: float, hint: Hint, tolerance: float = 2.5) -> float:
    """What a quick file with a score of `fidelity` weighs, by the probes with which `fewest_bytes` begins.

    0 where none of them scores about so much.
    """
    tries = _Tries(coder)
    _begun(tries, coder, fidelity, replace(hint, sure=False), tolerance)
    nearest = min(tries.probes.values(), key=lambda p: (abs(p.score - fidelity), p.setting))
    if abs(nearest.score - fidelity) > _TELLING:
        return 0.0
    return nearest.bytes * exp(steepness(nearest, tries.probes.values()) * (fidelity - nearest.score))


def _begun(tries: _Tries[E], coder: Coder[E], fidelity: float, hint: Hint, tolerance: float) -> int:
    """The setting of the first thorough encode: where probes point to, unless it is sure without."""
    setting = _clamp(hint.start, *coder.limits)
    if not coder.probe or hint.sure:
        return setting
    aim = fidelity + min(_AIM, tolerance / 2) - hint.gain
    return _probed(tries, coder, aim, setting, near=min(_NEAR, tolerance))


def best_under_cap(
    coder: Coder[E], cap: int, hint: Hint, share: float = 0.03, most: int = 7, enough: float = 90.0
) -> Found[E]:
    """The file of the best score that weighs `cap` bytes at most; nobody sees a score above `enough`.

    Ends once it is within `share` of the cap or scores `enough`, or after `most` encodes. Where even the lowest setting
    is too heavy, that one is given and `met` is false.
    """
    tries = _Tries(coder)
    low, high = coder.limits
    setting = _clamp(hint.start, low, high)
    bracket = _Bracket(coder)
    while len(tries.points) < most:
        point = tries.at(setting)
        fits = point.bytes <= cap
        bracket.take(point.setting, not fits)
        if bracket.is_closed or (fits and (point.bytes >= cap * (1 - share) or point.score >= enough)):
            break
        known = [(p.setting, log(max(1, p.bytes))) for p in tries.points.values()]
        setting = bracket.within(_towards(known, log(cap * (1 - share / 2)), _BYTES_STEP))
    fitting = [p for p in tries.points.values() if p.bytes <= cap]
    if not fitting and tries.at(low).bytes <= cap:
        fitting = [tries.at(low)]
    best = max(fitting, key=lambda p: (min(p.score, enough), -p.bytes)).setting if fitting else low
    return tries.found(best, bool(fitting), Hint(best, hint.gain))


def foretold(coder: Coder[E], aim: float, start: float) -> int:
    """The setting that quick encodes (`probe`) point to for a score, beginning at one; nothing is confirmed."""
    return _probed(_Tries(coder), coder, aim, _clamp(start, *coder.limits), near=_NEAR)


def near_enough(coder: Coder[E], aim: float, start: float, near: Sequence[float]) -> Found[E]:
    """The file nearest to a score, of as many files at most as `near` is long.

    It tells for each within how many points of the score it will do; the last will do anyhow.
    """
    tries, scale = _Tries(coder), coder.scale
    setting = _clamp(start, *coder.limits)
    for enough in near:
        point = tries.at(setting)
        if abs(point.score - aim) <= enough:
            break
        known = [(p.setting, scale.setting(p.score)) for p in tries.points.values()]
        setting = _clamp(_towards(known, scale.setting(aim), 1.0), *coder.limits)
    best = min(tries.points.values(), key=lambda p: (abs(p.score - aim), p.setting))
    off = (aim - best.score) * scale.step(aim)
    return tries.found(best.setting, best.score >= aim, Hint(best.setting + off))


def steepness(best: Point, others: Iterable[Point]) -> float:
    """By how much (natural logarithm) files grow with a point of score, by the nearest that is far enough apart."""
    apart = (p for p in others if abs(p.score - best.score) >= _POINTS_APART)
    other = min(apart, key=lambda p: (abs(p.score - best.score), p.setting), default=None)
    if other is None:
        return TYPICAL_STEEPNESS
    slope = log(other.bytes / best.bytes) / (other.score - best.score)
    return min(max(slope, _SLOPES[0]), _SLOPES[1])


def _clamp(setting: float, low: int, high: int) -> int:
    return min(max(round(setting), low), high)


def _probed(tries: _Tries[E], coder: Coder[E], aim: float, setting: int, near: float) -> int:
    """Where the thorough encoder should begin, by quick encodes: one so near to the aim tells it well enough."""
    scale = coder.scale
    while len(tries.probes) < _PROBES:
        point = tries.probe(setting)
        known = [(p.setting, scale.setting(p.score)) for p in tries.probes.values()]
        wanted = min(max(_towards(known, scale.setting(aim), 1.0), setting - _JUMP), setting + _JUMP)
        following = _clamp(wanted, *coder.limits)
        if abs(point.score - aim) <= near or following in tries.probes:
            return following
        setting = following
    return setting


def _towards(known: Sequence[tuple[int, float]], aim: float, slope: float) -> float:
    """The setting at which a value reaches the aim, by (setting, value) pairs: a line through the two nearest to it.

    Where there is but one, or both are too close together, by the slope that is expected. A line that leads beyond
    settings of which one falls short and the other does not gives way to the line between these.
    """
    wanted = _beside(known, aim, slope)
    short = max((p for p in known if p[1] < aim), default=None)
    above = min((p for p in known if p[1] >= aim), default=None)
    if short is None or above is None or short[0] < wanted < above[0] or short[0] >= above[0]:
        return wanted
    share = (aim - short[1]) / (above[1] - short[1])
    return short[0] + share * (above[0] - short[0])


def _beside(known: Sequence[tuple[int, float]], aim: float, slope: float) -> float:
    """The same by the two nearest to the aim alone, wherever they lead."""
    near = sorted(known, key=lambda p: (abs(p[1] - aim), p[0]))
    at, value = near[0]
    other = next((p for p in near[1:] if abs(p[0] - at) >= _APART), None)
    if other:
        # A slope that noise made flat or falling would lead far astray.
        slope = min(max((value - other[1]) / (at - other[0]), slope / _STEEPEST), slope * _STEEPEST)
    return at + (aim - value) / slope


def _gain(point: Point, probes: Iterable[Point], scale: Scale, before: float) -> float:
    """By how many points the thorough encoder scores above the quick one, seen at the nearest probe."""
    nearest = min(probes, key=lambda p: (abs(p.setting - point.setting), p.setting), default=None)
    if nearest is None or abs(nearest.setting - point.setting) > _CLOSE:
        return before
    foretold = nearest.score + (point.setting - nearest.setting) / scale.step(nearest.score)
    return min(max(point.score - foretold, before - _MOST_GAIN), before + _MOST_GAIN)
