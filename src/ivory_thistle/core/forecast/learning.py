"""What the pictures of a site that were really made say of its others."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from math import exp, log, sqrt

import numpy as np

from ivory_thistle.core.forecast.expected import Before, Expected
from ivory_thistle.core.forecast.model import Column
from ivory_thistle.core.forecast.sizes import Character, Modelled
from ivory_thistle.core.formats.tiers import Tier

_OF_ALL = 0.3
"""What all pictures count for beside those of a like character, of which each counts for one at most."""
_MOST_SEEN = 400
"""So many pictures of a kind are held against each other one: more of them tell nothing new."""
_SURE_AFTER = 3
"""So many pictures tell as much of a site as the model does."""
SITE_SPREAD = 0.25
"""By how much a whole site is off, as a share, before any of its pictures was made."""
TIME_SPREAD = 0.35
SKETCHED_SITE_SPREAD = 0.08
"""By how much a whole site is off that was sketched."""
_MAKING_OF_SKETCH = 3.4
"""How many times the seconds of its sketch making a picture takes (docs/decisions/0019)."""
_SKETCHES_SURE_AFTER, _MOST_OFF = 2, 0.5
"""So many sketches that were confirmed tell as much of the others as what is known of sketches; none of them tells more
than this (natural logarithm)."""

NO_SKETCHES: Mapping[str, Before] = {}

Kind = tuple[str, Tier]
"""What is alike in pictures, and a tier of their files."""
Seen = tuple[Character, float]
"""Of a picture that was made: its character, and ln of what it weighs over what the model says."""


@dataclass(frozen=True, slots=True)
class Learnt:
    """What the pictures of this site that were really made say of the others.

    `seen` and `confirmed` are by what is alike and tier; the latter is how much more (1: as much) files weigh than
    their sketches promise. `seconds` is how much more time they took than the model says; `paces`, by what is alike,
    are the seconds of sketches and of making what was sketched. `known` pictures are behind it; this share of the
    others is `sketched`.
    """

    seen: Mapping[Kind, Sequence[Seen]] = field(default_factory=dict)
    confirmed: Mapping[Kind, float] = field(default_factory=dict)
    seconds: float = 1.0
    paces: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    known: int = 0
    sketched: float = 0.0

    def shares(self, models: Sequence[Modelled], tier: Tier) -> Column:
        """How much more (1: as much) files of each such picture weigh than the model says.

        The mean over those that were made, in which pictures of a like character count most; a picture that is like
        none of them follows all of them, and all of them a little less than they say.
        """
        shares = np.ones(len(models))
        for alike in {model.alike for model in models}:
            if seen := self.seen.get((alike, tier)):
                rows = [n for n, model in enumerate(models) if model.alike == alike]
                shares[rows] = _shares(seen, np.array([models[n].character for n in rows]))
        return shares

    def share_of_sketch(self, model: Modelled, tier: Tier) -> float:
        """How much more (1: as much) confirmed files of such a picture weigh than their sketches promise."""
        return self.confirmed.get((model.alike, tier), 1.0)

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


def _shares(seen: Sequence[Seen], characters: Column) -> Column:
    """How much more pictures of these characters weigh; a row of `characters` for each."""
    known, offs = np.array([one for one, _ in seen]), np.array([off for _, off in seen])
    of_all = offs.sum() / (len(seen) + 1)
    weighed, total = np.zeros(len(characters)), np.zeros(len(characters))
    for character, off in zip(known, offs, strict=True):
        weight = np.exp(-((characters - character) ** 2).sum(axis=1) / 2)
        weighed, total = weighed + weight * off, total + weight
    shares: Column = np.exp((weighed + _OF_ALL * of_all) / (total + _OF_ALL))
    return shares


def learn(known: Iterable[tuple[Expected, Before]], sketches: Mapping[str, Before] = NO_SKETCHES) -> Learnt:
    """What follows from pictures that were made: what was expected of each, and what came of it.

    `sketches` of them, by path, where they were sketched before.
    """
    seen: dict[Kind, list[Seen]] = defaultdict(list)
    offs: dict[Kind, list[float]] = defaultdict(list)
    paces: dict[str, tuple[float, float]] = {}
    asked, took, count = 0.0, 0.0, 0
    for told, true in known:
        model, sketch = told.model, sketches.get(told.path, Before({}))
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
                offs[model.alike, tier].append(min(max(off, -_MOST_OFF), _MOST_OFF))
    spread = {kind: _spread(sorted(some)) for kind, some in seen.items()}
    confirmed = {kind: exp(sum(some) / (len(some) + _SKETCHES_SURE_AFTER)) for kind, some in offs.items()}
    return Learnt(spread, confirmed, took / asked if asked else 1.0, paces, count)


def _spread(seen: Sequence[Seen]) -> Sequence[Seen]:
    """As many of them as are held against others, in even steps."""
    count = min(len(seen), _MOST_SEEN)
    return [seen[n * len(seen) // count] for n in range(count)]


def _log_ratio(sizes: Mapping[int, int], told: Mapping[int, int]) -> float | None:
    """ln of what files weigh over what was told of those of the same widths; None where there are none."""
    both = [width for width in sizes if told.get(width)]
    return log(sum(sizes[w] for w in both) / sum(told[w] for w in both)) if both else None
