"""What the model says of one image: the bytes of every file that would be made, and the seconds of making them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from math import log

from ivory_thistle.core.forecast.coefficients import DRAWN, FIXED, PLAIN, PROBED, SECONDS
from ivory_thistle.core.forecast.model import Drawn, Plain, Probed, Subject
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


def modelled(planned: Plan, probe: Probe | None) -> Modelled:
    """What the model says of an image that is to be treated; `probe` where it was looked at closer."""
    facts = planned.image.facts
    if facts.is_vector:
        files: Sizes = {BASELINE: {planned.steps[-1].width: round(facts.bytes * _VECTOR_SHARE)}}
        return Modelled(files, (), SECONDS["vector"], _VECTOR_SPREAD, _VECTOR_SPREAD, "vector")
    if facts.frames > 1:
        return _moving(planned)
    return _Model(planned, probe).modelled()


def _moving(planned: Plan) -> Modelled:
    """An animation: its fallback is the original; what modern formats save differs widely."""
    facts, top = planned.image.facts, planned.steps[-1].width
    share = (top / max(1, facts.width)) ** 2
    tier = next((t for t in modern_tiers() if t in planned.rules.formats and TIERS[t].moving), None)
    files: Sizes = {tier: {top: round(facts.bytes * _MOVING_SHARE * share)}} if tier else {}
    seconds = SECONDS["moving"] * facts.frames * facts.width * facts.height * share / 1e6
    return Modelled(files, (), seconds, _MOVING_SPREAD, _MOVING_SPREAD, "moving")


class _Model:
    """Asks the model about one still picture of pixels."""

    def __init__(self, planned: Plan, probe: Probe | None) -> None:
        image, facts = planned.image, planned.image.facts
        look = image.look
        self._planned, self._rules, self._kind = planned, planned.rules, look.kind if look else ""
        self._drawn = self._rules.lossless or (self._kind in DRAWN_KINDS and not FORMATS[facts.format].lossy)
        self._alpha = bool(look.alpha_used) if look else facts.has_alpha
        grain = look.features.get("grain", 0.8) if look else 0.8
        self._subject = Subject(
            look.detail if look else (), grain, facts.bytes, facts.width, facts.height, probe
        )  # fmt: skip
        in_place = self._rules.form is HandoverForm.IN_PLACE
        modern = () if in_place or planned.role == "social card" else modern_tiers()
        self._tiers = (*(tier for tier in modern if tier in self._rules.formats), BASELINE)
        self._formats = {tier: self._format(tier) for tier in self._tiers}
        self._fidelities = [self._rules.fidelity_for(planned.role, self._kind, dense) for dense in (False, True)]
        self._models = {tier: self._model(name) for tier, name in self._formats.items()}

    def modelled(self) -> Modelled:
        """Bytes and seconds of all files."""
        steps = self._planned.steps
        files = {tier: {s.width: self._size(tier, s.width, s.dense) for s in steps} for tier in self._tiers}
        apart = tuple(self._size(BASELINE, width, dense=False) for width in self._planned.apart)
        alike = f"{'drawn' if self._drawn else 'photograph'}{' capped' if self._rules.cap else ''}"
        spread, beside = self._off()
        return Modelled(files, apart, self._seconds(), spread, beside, alike, self._character())

    def _character(self) -> Character:
        of = self._subject
        width = of.detail[-1][0] if of.detail else max(1, of.width)
        busy = of.log_plain(width) - log(of.pixels(width))
        return busy / _LIKE_BUSY, of.growth / _LIKE_GROWTH, of.grain / _LIKE_GRAIN

    def _format(self, tier: Tier) -> FormatName:
        if self._rules.form is HandoverForm.IN_PLACE:
            return self._planned.image.facts.format
        fallback = self._rules.fallback_for(self._planned.image.facts.format)
        ways = ways_for(tier, self._drawn, self._alpha, fallback)
        return ways[0][0] if ways else TIERS[tier].format

    def _model(self, name: FormatName) -> Plain | Probed | Drawn:
        if name in DRAWN and (self._drawn or name not in PLAIN):
            return DRAWN[name]
        known = name if name in PLAIN else _LIKE
        if self._rules.fixed:
            return FIXED[known]
        return PROBED[known] if self._subject.probe else PLAIN[known]

    def _size(self, tier: Tier, width: int, dense: bool) -> int:
        rules, name, model = self._rules, self._formats[tier], self._models[tier]
        if isinstance(model, Drawn):
            size = model.bytes(self._subject, width, 100)
        elif rules.fixed:
            # At another quality than the tier's own, bytes move as they do for the typical picture's score.
            size = model.bytes(self._subject, width, 75)
            fidelity = 75 + _score_at(tier, rules.quality_for(tier)) - _score_at(tier, TIERS[tier].making.fixed)
            searched = PLAIN[name if name in PLAIN else _LIKE]
            size *= searched.bytes(self._subject, width, fidelity) / searched.bytes(self._subject, width, 75)
        elif rules.cap:
            size = min(model.bytes(self._subject, width, _BEST) * _BEYOND, rules.cap * _CAP_USED)
        else:
            size = model.bytes(self._subject, width, self._fidelities[dense])
        return max(1, round(size))

    def _off(self) -> tuple[float, float]:
        """By what share the image is off, and a modern tier beside the fallback."""
        model = self._models[self._tiers[0]]
        # A format that was plugged in has the fallback's model, of which nothing beside itself is known.
        return model.spread if self._subject.detail else _UNLOOKED_SPREAD, model.beside or model.spread

    def _seconds(self) -> float:
        """Of one worker: decoding, and every file by its megapixels."""
        facts, planned = self._planned.image.facts, self._planned
        way = "drawn" if self._drawn else "fixed" if self._rules.fixed else "searched"
        total = SECONDS["decoding"] * facts.width * facts.height / 1e6
        for tier in self._tiers:
            name = self._formats[tier]
            known = SECONDS.get(f"{name} {way}", SECONDS.get(f"{name} searched", SECONDS[f"{_LIKE} searched"]))
            apart = planned.apart if tier == BASELINE else ()
            for width in (*(step.width for step in planned.steps), *apart):
                total += SECONDS["file"] + known * self._subject.pixels(width) / 1e6
        return total


@lru_cache(1024)
def _score_at(tier: Tier, quality: int) -> float:
    """The score that a typical picture has at a quality."""
    scale = TIERS[tier].making.scale
    return next((score for score in range(20, 100) if scale.setting(score) >= quality), 100)
