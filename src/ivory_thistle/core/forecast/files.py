"""What the files of one image will weigh and how long they take, by a model of bytes, or by what was really made."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import erf, exp, inf, log, sqrt

from ivory_thistle.core.forecast.probes import Probe
from ivory_thistle.core.forecast.sizes import Character, Modelled, Sizes, modelled
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, and_older, modern_tiers
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.worth import Load, worthwhile

Kept = tuple[Load, ...]
Rungs = tuple[Sequence[float], Sequence[tuple[int, int]]]

_OF_ALL = 0.3
"""What all pictures count for beside those of a like character, of which each counts for one at most."""
_SURE_AFTER = 3
"""So many pictures tell as much of a site as the model does."""
SITE_SPREAD = 0.25
"""By how much a whole site is off, as a share, before any of its pictures was made."""
TIME_SPREAD = 0.35
SKETCHING = 0.3
"""The share of the time of making an image that sketching it takes before."""
SKETCH_SPREAD = 0.2
"""By how much an image is off, as a share, that was sketched."""
SKETCHED_SITE_SPREAD = 0.08
"""By how much a whole site is off that was sketched."""
_MAKING_OF_SKETCH = 3.4
"""How many times the seconds of its sketch making a picture takes (docs/decisions/0019)."""
_SKETCHES_SURE_AFTER, _MOST_OFF = 2, 0.5
"""So many sketches that were confirmed tell as much of the others as what is known of sketches; none of them tells more
than this (natural logarithm)."""


@dataclass(frozen=True, slots=True)
class Expected:
    """What is expected of one image: kept files by tier and width, and the seconds of one worker that they take.

    `top` is the widest file that is planned: where no fallback is so wide, the original stays for that. `apart` are
    bytes of files that pages take only in places of one address. `spread` is by what share an
    image of its kind is off, 0 where the files were really made. `has_files`: they were, or were sketched.
    `beside` is how many more files and bytes are likely than `files` says: which tiers are worth theirs is not sure.
    """

    path: str
    original: int
    files: Sizes = field(default_factory=dict)
    top: int = 0
    apart: int = 0
    seconds: float = 0.0
    spread: float = 0.0
    model: Modelled | None = None
    has_files: bool = False
    beside: tuple[float, float] = (0.0, 0.0)

    def loaded(self, tier: Tier, needed: float, before: int) -> tuple[int, int]:
        """Width and bytes of the file that a browser of a tier loads for a box of so many pixels across.

        (0, before) where it stays with the original.
        """
        limits, files = self.rungs(tier)
        n = bisect_left(limits, needed)
        return files[n] if n < len(files) else (0, before)

    def rungs(self, tier: Tier) -> Rungs:
        """What a tier's browsers choose among: up to how many pixels each serves, and its width and bytes.

        For what asks for more than the last, the original stays.
        """
        for older in and_older(tier):
            files = self.files.get(older)
            if not files:
                continue
            in_order = sorted(files.items())
            limits: list[float] = [width for width, _ in in_order]
            if older != BASELINE or limits[-1] >= self.top:
                # The widest serves whatever asks for more.
                limits[-1] = inf
            return limits, in_order
        return (), ()

    @property
    def count(self) -> float:
        """How many files will be kept, on average over images of which as much is known."""
        return sum(len(files) for files in self.files.values()) + (self.apart > 0) + self.beside[0]

    @property
    def bytes(self) -> int:
        """What all kept files take together, on average over images of which as much is known."""
        return round(sum(sum(files.values()) for files in self.files.values()) + self.apart + self.beside[1])

    @property
    def is_known(self) -> bool:
        """Whether the files were really made."""
        return not self.spread


@dataclass(frozen=True, slots=True)
class Before:
    """Files that were made or sketched of a picture, and the seconds of one worker that they took (0: not known)."""

    files: Sizes
    seconds: float = 0.0


NO_SKETCHES: Mapping[str, Before] = {}

Seen = tuple[Character, float]
"""Of a picture that was made: its character, and ln of what it weighs over what the model says."""


@dataclass(frozen=True, slots=True)
class Learnt:
    """What the pictures of this site that were really made say of the others.

    `seen` by what is alike and tier; `confirmed`, by the same, is ln of what files weigh over what their sketches
    promised. `seconds` is how much more (1: as much) time they took than the model says; `paces`, by what is alike, are
    the seconds of sketches and of making what was sketched. `known` pictures are behind it; this share of the others
    is `sketched`.
    """

    seen: Mapping[tuple[str, Tier], Sequence[Seen]] = field(default_factory=dict)
    confirmed: Mapping[tuple[str, Tier], Sequence[float]] = field(default_factory=dict)
    seconds: float = 1.0
    paces: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    known: int = 0
    sketched: float = 0.0

    def share(self, model: Modelled, tier: Tier) -> float:
        """How much more (1: as much) files of such a picture weigh than the model says.

        The mean over those that were made, in which pictures of a like character count most; a picture that is like
        none of them follows all of them, and all of them a little less than they say.
        """
        seen = self.seen.get((model.alike, tier))
        if not seen:
            return 1.0
        of_all = sum(off for _, off in seen) / (len(seen) + 1)
        weights = [exp(-sum((a - b) ** 2 for a, b in zip(model.character, one, strict=True)) / 2) for one, _ in seen]
        told = sum(weight * off for weight, (_, off) in zip(weights, seen, strict=True))
        return exp((told + _OF_ALL * of_all) / (sum(weights) + _OF_ALL))

    def share_of_sketch(self, model: Modelled, tier: Tier) -> float:
        """How much more (1: as much) confirmed files of such a picture weigh than their sketches promise."""
        offs = [min(max(off, -_MOST_OFF), _MOST_OFF) for off in self.confirmed.get((model.alike, tier), ())]
        return exp(sum(offs) / (len(offs) + _SKETCHES_SURE_AFTER))

    def seconds_after(self, model: Modelled, sketch: float) -> float:
        """The seconds that making a picture takes whose sketch took so many: both tell of the same machine.

        Where that is not known, what the model says.
        """
        if not sketch:
            return model.seconds * self.seconds
        sketches, whole = self.paces.get(model.alike, (0.0, 0.0))
        before = _SURE_AFTER * sketch
        return sketch * (whole + before * _MAKING_OF_SKETCH) / (sketches + before)

    @property
    def site_spread(self) -> float:
        """By what share the whole site may still be off."""
        off = SITE_SPREAD / sqrt(1 + self.known / _SURE_AFTER)
        return off + self.sketched * (min(off, SKETCHED_SITE_SPREAD) - off)

    @property
    def time_spread(self) -> float:
        """By what share the time may still be off."""
        return TIME_SPREAD / sqrt(1 + self.known / _SURE_AFTER)


_NOTHING_LEARNT, _NO_SKETCH = Learnt(), Before({})


def expect(planned: Plan, probe: Probe | None = None) -> Expected:
    """What the model expects of an image, before anything of it or of others was made."""
    path, original = planned.image.path, planned.image.facts.bytes
    if not planned.steps:
        return Expected(path, original)
    model = modelled(planned, probe)
    files, beside = _kept(model, planned, model.files)
    return Expected(
        path, original, files, top=planned.steps[-1].width, apart=sum(model.apart), seconds=model.seconds,
        spread=model.spread, model=model, beside=beside,
    )  # fmt: skip


def learn(known: Iterable[tuple[Expected, Before]], sketches: Mapping[str, Before] = NO_SKETCHES) -> Learnt:
    """What follows from pictures that were made: what was expected of each, and what came of it.

    `sketches` of them, by path, where they were sketched before.
    """
    seen: dict[tuple[str, Tier], list[Seen]] = defaultdict(list)
    confirmed: dict[tuple[str, Tier], list[float]] = defaultdict(list)
    paces: dict[str, tuple[float, float]] = {}
    asked, took, count = 0.0, 0.0, 0
    for told, true in known:
        model, sketch = told.model, sketches.get(told.path, _NO_SKETCH)
        if model is None:
            continue
        count += 1
        if true.seconds:
            asked, took = asked + model.seconds, took + true.seconds
        if true.seconds and sketch.seconds:
            quick, whole = paces.get(model.alike, (0.0, 0.0))
            paces[model.alike] = quick + sketch.seconds, whole + true.seconds
        for tier, sizes in true.files.items():
            if (off := _log_ratio(sizes, model.files.get(tier, {}))) is not None:
                seen[model.alike, tier].append((model.character, off))
            if (off := _log_ratio(sizes, sketch.files.get(tier, {}))) is not None:
                confirmed[model.alike, tier].append(off)
    return Learnt(seen, confirmed, took / asked if asked else 1.0, paces, count)


def _log_ratio(sizes: Mapping[int, int], told: Mapping[int, int]) -> float | None:
    """ln of what files weigh over what was told of those of the same widths; None where there are none."""
    both = [width for width in sizes if told.get(width)]
    return log(sum(sizes[w] for w in both) / sum(told[w] for w in both)) if both else None


def informed(told: Expected, planned: Plan, learnt: Learnt) -> Expected:
    """What is expected of an image with what others of its site have told."""
    model = told.model
    if told.is_known or model is None or not learnt.known:
        return told
    shares = {tier: learnt.share(model, tier) for tier in model.files}
    sizes = {tier: _by(shares[tier], files) for tier, files in model.files.items()}
    files, beside = _kept(model, planned, sizes)
    return replace(told, files=files, beside=beside, seconds=model.seconds * learnt.seconds)


def made(told: Expected, renditions: Iterable[RenditionFacts], steps: Sequence[int]) -> Expected:
    """The files that were really made of an image, and are kept: they take no time."""
    files: dict[Tier, dict[int, int]] = defaultdict(dict)
    apart = 0
    for r in renditions:
        if r.width in steps or r.tier != BASELINE:
            files[r.tier][r.width] = r.bytes
        else:
            apart += r.bytes
    return replace(told, files=files, apart=apart, spread=0.0, seconds=0.0, has_files=True, beside=(0.0, 0.0))


def sketched(
    told: Expected, renditions: Iterable[RenditionFacts], steps: Sequence[int], took: float = 0.0,
    learnt: Learnt = _NOTHING_LEARNT,
) -> Expected:  # fmt: skip
    """The files that were sketched of an image, with the bytes that are expected of the confirmed ones.

    The sketch `took` so many seconds of a worker (0: not known), which tells how long the confirmed ones take.
    """
    quick, model = made(told, renditions, steps), told.model
    seconds = learnt.seconds_after(model, took) if model else told.seconds
    shares = {tier: learnt.share_of_sketch(model, tier) if model else 1.0 for tier in (*quick.files, BASELINE)}
    return replace(
        quick, files={tier: _by(shares[tier], sizes) for tier, sizes in quick.files.items()},
        apart=round(quick.apart * shares[BASELINE]), spread=SKETCH_SPREAD, seconds=seconds,
    )  # fmt: skip


def _by(share: float, sizes: Mapping[int, int]) -> Mapping[int, int]:
    return {width: max(1, round(size * share)) for width, size in sizes.items()}


def _kept(model: Modelled, planned: Plan, sizes: Sizes) -> tuple[Sizes, tuple[float, float]]:
    """The tiers that are worth their files, as `treatment.choice` keeps them, and what is likely `beside` them."""
    rules, facts, top = planned.rules, planned.image.facts, planned.steps[-1].width
    fallback = sizes.get(BASELINE) or {top: facts.bytes}
    files: dict[Tier, Mapping[int, int]] = {}
    smaller = {w: size for w, size in fallback.items() if size < facts.bytes}
    if top == facts.width and not rules.replacement_is_worth_it(facts.bytes, fallback[top]):
        smaller.pop(top, None)
    if rules.fallback and smaller:
        files[BASELINE] = smaller
    standing = {w: min(size, facts.bytes) for w, size in fallback.items()}
    modern = [_load(tier, mine) for tier in reversed(modern_tiers()) if (mine := sizes.get(tier))]
    older = _load(BASELINE, standing)
    count, size = kept_on_average(older, modern, rules, model.beside)
    for one in worthwhile(older, modern, rules)[0][1:]:
        files[one.tier] = sizes[one.tier]
        count, size = count - one.files, size - one.together
    return files, (count, size)


def _load(tier: Tier, sizes: Mapping[int, int]) -> Load:
    return Load.of(tier, TIERS[tier].format, [sizes[width] for width in sorted(sizes)])


def kept_on_average(fallback: Load, modern: Iterable[Load], rules: Rules, off: float) -> tuple[float, float]:
    """How many files of modern tiers, and bytes, `worthwhile` keeps on average, where two tiers are `off` beside each
    other (standard deviation of the natural logarithm).
    """

    def odds(mine: Load, limit: float) -> float:
        """That a tier's files take less than so many bytes."""
        return (1 + erf(log(limit / mine.together) / off / sqrt(2))) / 2 if limit > 0 else 0.0

    def with_next(mine: Load, kept: Kept, chance: float) -> Iterator[tuple[Kept, float]]:
        """What may come of the next tier: it stands beside the one before, in its place, or not at all."""
        before = kept[-1].together
        limit = min(before * (1 - rules.tier_share), before - rules.tier_bytes * mine.files)
        beside = odds(mine, limit)
        instead = odds(mine, before) - beside if len(kept) > 1 else 0.0
        yield (*kept, mine), chance * beside
        yield (*kept[:-1], mine), chance * instead
        yield kept, chance * (1 - beside - instead)

    cases: list[tuple[Kept, float]] = [((fallback,), 1.0)]
    for mine in modern:
        cases = [one for kept, chance in cases for one in with_next(mine, kept, chance)]
    count = sum(chance * sum(load.files for load in kept[1:]) for kept, chance in cases)
    return count, sum(chance * sum(load.together for load in kept[1:]) for kept, chance in cases)
