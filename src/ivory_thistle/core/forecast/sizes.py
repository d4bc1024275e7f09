"""What the model says of images: the bytes of every file that would be made, and the seconds of making them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.forecast.coefficients import DRAWN, FIXED, PLAIN, PROBED, SECONDS
from ivory_thistle.core.forecast.model import Drawn, Files, Plain, Probed, Subject
from ivory_thistle.core.forecast.probes import Probe
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, modern_tiers, ways_for
from ivory_thistle.core.images.kind import DRAWN as DRAWN_KINDS
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Plan

Sizes = Mapping[Tier, Mapping[int, int]]
"""Bytes of files by tier and width in pixels."""

_VECTOR_SHARE, _VECTOR_SPREAD = 0.75, 0.25
_MOVING_SHARE, _MOVING_SPREAD = 0.5, 0.5
_UNLOOKED_SPREAD = 0.5
"""A picture that nobody has looked at is told by its own bytes alone."""
_BEST, _BEYOND, _CAP_USED = 92, 2.0, 0.95
"""A cap is used up, but for what the highest quality does not need: about twice what a score of 92 takes."""
_LIKE = "jpeg"
"""The format whose model is taken for one that was plugged in: the least modern, so that nothing is promised."""


Character = tuple[float, float, float]
"""How busy a picture is, how its bytes grow with its width, its grain: each in steps within which they are alike."""
_LIKE_BUSY, _LIKE_GROWTH, _LIKE_GRAIN = 0.7, 0.4, 0.2


@dataclass(frozen=True, slots=True)
class Modelled:
    """Bytes by tier and width, those of files `apart`, and seconds. `spread` is by what share such an image is off, and
    `beside` by what share a modern tier is beside the fallback.

    Images with the same `alike` learn from one another, the more the nearer their `character` is.
    """

    files: Sizes
    apart: tuple[int, ...]
    seconds: float
    spread: float
    beside: float
    alike: str
    character: Character = (0.0, 0.0, 0.0)


def modelled(planned: Sequence[Plan], probes: Mapping[str, Probe]) -> dict[str, Modelled]:
    """What the model says of images that are to be treated, by path; `probes` of those that were looked at closer."""
    found: dict[str, Modelled] = {}
    stills: list[_Still] = []
    format_of = cache(_format_of)
    for one in planned:
        facts, path = one.image.facts, one.image.path
        if facts.is_vector:
            files: Sizes = {BASELINE: {one.steps[-1].width: round(facts.bytes * _VECTOR_SHARE)}}
            found[path] = Modelled(files, (), SECONDS["vector"], _VECTOR_SPREAD, _VECTOR_SPREAD, "vector")
        elif facts.frames > 1:
            found[path] = _moving(one)
        else:
            stills.append(_Still(one, probes.get(path), format_of))
    return found | _of_stills(stills)


def _moving(planned: Plan) -> Modelled:
    """An animation: its fallback is the original; what modern formats save differs widely."""
    facts, top = planned.image.facts, planned.steps[-1].width
    share = (top / max(1, facts.width)) ** 2
    tier = next((t for t in modern_tiers() if t in planned.rules.formats and TIERS[t].moving), None)
    files: Sizes = {tier: {top: round(facts.bytes * _MOVING_SHARE * share)}} if tier else {}
    seconds = SECONDS["moving"] * facts.frames * facts.width * facts.height * share / 1e6
    return Modelled(files, (), seconds, _MOVING_SPREAD, _MOVING_SPREAD, "moving")


def _format_of(tier: Tier, drawn: bool, alpha: bool, fallback: FormatName | None) -> FormatName:
    ways = ways_for(tier, drawn, alpha, fallback)
    return ways[0][0] if ways else TIERS[tier].format


class _Way(NamedTuple):
    """What tells of files: a model; at fixed qualities besides, how `searched` files would move with their score."""

    model: Plain | Probed | Drawn
    searched: Plain | None = None


class _Still:
    """One still picture of pixels: which files are made of it, and which model tells of those of each tier."""

    def __init__(
        self, planned: Plan, probe: Probe | None, format_of: Callable[[Tier, bool, bool, FormatName | None], FormatName]
    ) -> None:
        image, facts, rules = planned.image, planned.image.facts, planned.rules
        look = image.look
        self.planned, self.rules, self.kind = planned, rules, look.kind if look else ""
        self.drawn = rules.lossless or (self.kind in DRAWN_KINDS and not FORMATS[facts.format].lossy)
        grain = look.features.get("grain", 0.8) if look else 0.8
        self.subject = Subject(look.detail if look else (), grain, facts.bytes, facts.width, facts.height, probe)
        in_place = rules.form is HandoverForm.IN_PLACE
        modern = () if in_place or planned.role == "social card" else modern_tiers()
        self.tiers = (*(tier for tier in modern if tier in rules.formats), BASELINE)
        alpha, fallback = bool(look.alpha_used) if look else facts.has_alpha, rules.fallback_for(facts.format)
        self.formats = {t: facts.format if in_place else format_of(t, self.drawn, alpha, fallback) for t in self.tiers}
        self.ways = {tier: self._way(name) for tier, name in self.formats.items()}
        self.widths = (*(step.width for step in planned.steps), *planned.apart)
        self.dense = (*(step.dense for step in planned.steps), *(False for _ in planned.apart))
        self.looks = tuple(rules.fidelity_for(planned.role, self.kind, dense) for dense in (False, True))

    def _way(self, name: FormatName) -> _Way:
        known = name if name in PLAIN else _LIKE
        if name in DRAWN and (self.drawn or name not in PLAIN):
            return _Way(DRAWN[name])
        if self.rules.fixed:
            return _Way(FIXED[known], PLAIN[known])
        return _Way(PROBED[known] if self.subject.probe else PLAIN[known])

    def asked(self, tier: Tier) -> tuple[float, float]:
        """The fidelities of a tier's files, for plain screens and for those that only dense ones load."""
        rules = self.rules
        if rules.fixed:
            # At another quality than the tier's own, bytes move as they do for the typical picture's score.
            off = _score_at(tier, rules.quality_for(tier)) - _score_at(tier, TIERS[tier].making.fixed)
            return (75 + off,) * 2
        return (_BEST, _BEST) if rules.cap else (self.looks[0], self.looks[1])

    def seconds_a_megapixel(self, tier: Tier) -> float:
        """Of one worker, for a tier's files."""
        way = "drawn" if self.drawn else "fixed" if self.rules.fixed else "searched"
        name = self.formats[tier]
        return SECONDS.get(f"{name} {way}", SECONDS.get(f"{name} searched", SECONDS[f"{_LIKE} searched"]))

    def told(self, sizes: Mapping[Tier, Sequence[int]], seconds: float) -> Modelled:
        """All that is told of it; `sizes` are those of `widths`."""
        steps = len(self.planned.steps)
        files = {tier: dict(zip(self.widths[:steps], sizes[tier], strict=False)) for tier in self.tiers}
        of, model = self.subject, self.ways[self.tiers[0]].model
        # A format that was plugged in has the fallback's model, of which nothing beside itself is known.
        spread, beside = model.spread if of.detail else _UNLOOKED_SPREAD, model.beside or model.spread
        return Modelled(
            files, tuple(sizes[BASELINE][steps:]), seconds, spread, beside,
            alike=f"{'drawn' if self.drawn else 'photograph'}{' capped' if self.rules.cap else ''}",
            character=(of.busy / _LIKE_BUSY, of.growth / _LIKE_GROWTH, of.grain / _LIKE_GRAIN),
        )  # fmt: skip


def _of_stills(stills: Sequence[_Still]) -> dict[str, Modelled]:
    """Bytes and seconds of all files of all pictures, each model asked once."""
    if not stills:
        return {}
    counts = [len(one.widths) for one in stills]
    picture = np.repeat(np.arange(len(stills)), counts)
    widths = [width for one in stills for width in one.widths]
    dense = np.array([dense for one in stills for dense in one.dense], np.bool_)
    files = Files.of([one.subject for one in stills], picture, widths)
    ends = np.cumsum(counts).tolist()
    tiers = [tier for tier in TIERS if any(tier in one.ways for one in stills)]
    sizes = {tier: _sizes(tier, stills, files, picture, dense) for tier in tiers}
    seconds = _seconds(stills, files, picture)
    return {
        one.planned.image.path: one.told({tier: sizes[tier][end - count : end] for tier in one.tiers}, took)
        for one, end, count, took in zip(stills, ends, counts, seconds, strict=True)
    }


def _sizes(
    tier: Tier, stills: Sequence[_Still], files: Files, picture: NDArray[np.intp], dense: NDArray[np.bool_]
) -> list[int]:
    """Bytes of all files in one tier; 0 of those that it has not."""
    asked = np.array([one.asked(tier) for one in stills])[picture]
    fidelity = np.where(dense, asked[:, 1], asked[:, 0])
    caps = np.array([one.rules.cap or 0 for one in stills])[picture]
    numbers = {way: n for n, way in enumerate({one.ways[tier]: None for one in stills if tier in one.ways})}
    way_of = np.array([numbers[one.ways[tier]] if tier in one.ways else -1 for one in stills])[picture]
    sizes = np.zeros(len(picture))
    for way, number in numbers.items():
        rows = np.flatnonzero(way_of == number)
        some = files.some(rows).asked_for(fidelity[rows])
        size = way.model.bytes(some)
        if way.searched:
            size = size * way.searched.bytes(some) / way.searched.bytes(some.asked_for(75))
        elif not isinstance(way.model, Drawn):
            size = np.where(caps[rows] > 0, np.minimum(size * _BEYOND, caps[rows] * _CAP_USED), size)
        sizes[rows] = np.maximum(1, np.rint(size))
    whole: list[int] = sizes.astype(np.int64).tolist()
    return whole


def _seconds(stills: Sequence[_Still], files: Files, picture: NDArray[np.intp]) -> list[float]:
    """Of one worker, for each picture: decoding, and every file by its megapixels; `apart` ones are fallbacks alone."""
    steps = np.array([n < len(one.planned.steps) for one in stills for n in range(len(one.widths))], np.bool_)
    tiers = np.array([len(one.tiers) for one in stills])[picture]
    of_all = np.array([sum(map(one.seconds_a_megapixel, one.tiers)) for one in stills])[picture]
    of_fallback = np.array([one.seconds_a_megapixel(BASELINE) for one in stills])[picture]
    a_megapixel = np.where(steps, of_all, of_fallback)
    took = SECONDS["file"] * np.where(steps, tiers, 1) + a_megapixel * files.pixels / 1e6
    facts = [one.planned.image.facts for one in stills]
    decoding = SECONDS["decoding"] * np.array([one.width * one.height / 1e6 for one in facts])
    whole: list[float] = (decoding + np.bincount(picture, took, len(stills))).tolist()
    return whole


@lru_cache(1024)
def _score_at(tier: Tier, quality: int) -> float:
    """The score that a typical picture has at a quality."""
    scale = TIERS[tier].making.scale
    return next((score for score in range(20, 100) if scale.setting(score) >= quality), 100)
