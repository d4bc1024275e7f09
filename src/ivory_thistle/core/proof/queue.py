"""Which renditions ask for a person's eyes first, and why."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ivory_thistle.core.proof.judging import Judged
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.words import kb

_NEAR_GOAL, _NEAR_WORDS, _SHIFT, _SPOT, _SEEN_FROM = 3.0, 0.5, 1.5, 0.06, 0.03
"""Points over the goal that weigh, and that are told; a shift of all colours (CIE76); and how much must differ in a
spot until it is told, and until its kind is (the damage map's mean)."""
_SEEN_AT_ONCE = frozenset({"colour shifted", "moved", "blocks"})
_FACES: frozenset[Role] = frozenset({"hero", "logo"})
_LARGE = 1_000_000


@dataclass(frozen=True, slots=True)
class Candidate:
    """A rendition to be looked at: its original's path, role and kind, what it must score, and what it saves."""

    path: str
    role: Role
    kind: str
    goal: float
    saved: int
    judged: Judged

    @property
    def margin(self) -> float:
        """Points of score over what it must keep."""
        return self.judged.score - self.goal


@dataclass(frozen=True, slots=True)
class Asked:
    """A candidate in its place in the queue, with the reasons in words."""

    candidate: Candidate
    reasons: tuple[str, ...]


def in_order(candidates: Iterable[Candidate]) -> tuple[Asked, ...]:
    """The queue: what falls short first, then by how much there is to doubt; of equals the largest saving first."""
    asked = [(_concern(one), one) for one in candidates]
    asked.sort(key=lambda pair: (-round(pair[0], 2), -pair[1].saved, pair[1].path))
    return tuple(Asked(one, _reasons(one)) for _, one in asked)


def _concern(one: Candidate) -> float:
    """Points of score that are missing or nearly so, and what weighs as much as some of them."""
    worst = one.judged.spots[0].box.damage if one.judged.spots else 0.0
    concern = max(0.0, _NEAR_GOAL - one.margin)
    concern += 20 * max(0.0, worst - _SPOT) + 3 * max(0.0, one.judged.shift - _SHIFT)
    concern += 4.0 * bool(_seen_at_once(one))
    concern += 1.0 * (one.kind == "lettering") + 1.0 * (one.role in _FACES) + 0.5 * (one.saved >= _LARGE)
    return concern


def _reasons(one: Candidate) -> tuple[str, ...]:
    found = []
    if one.margin < 0:
        found.append(f"scores {one.judged.score:.0f}, {-one.margin:.0f} under what it must keep")
    elif one.margin < _NEAR_WORDS:
        found.append(f"scores {one.judged.score:.0f}, just over what it must keep ({one.goal:.0f})")
    told: set[str] = set(_seen_at_once(one))
    if one.judged.spots and one.judged.spots[0].box.damage > _SPOT:
        told.add(one.judged.spots[0].damage)
    if told:
        found.append(f"where it differs most, one sees: {' and '.join(sorted(told))}")
    if one.judged.shift > _SHIFT:
        found.append(f"its colours moved by {one.judged.shift:.1f} (CIE76)")
    if one.kind == "lettering":
        found.append("it holds lettering")
    if one.role in _FACES:
        found.append(f"it is a {one.role}")
    if one.saved >= _LARGE:
        found.append(f"it saves {kb(one.saved)}")
    return tuple(found)


def _seen_at_once(one: Candidate) -> set[str]:
    spots = (spot for spot in one.judged.spots if spot.box.damage >= _SEEN_FROM)
    return {spot.damage for spot in spots if spot.damage in _SEEN_AT_ONCE}
