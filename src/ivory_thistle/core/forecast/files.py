"""What the files of images will weigh and how long they take, by a model of bytes, or by what was really made."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from ivory_thistle.core.forecast.expected import Expected
from ivory_thistle.core.forecast.keeping import kept
from ivory_thistle.core.forecast.learning import Learnt
from ivory_thistle.core.forecast.probes import Probe
from ivory_thistle.core.forecast.sizes import modelled
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rendition import RenditionFacts

SKETCHING = 0.3
"""The share of the time of making an image that sketching it takes before."""
SKETCH_SPREAD = 0.2
"""By how much an image is off, as a share, that was sketched."""

NO_PROBES: Mapping[str, Probe] = {}
_NOTHING_LEARNT = Learnt()


def expect(planned: Sequence[Plan], probes: Mapping[str, Probe] = NO_PROBES) -> dict[str, Expected]:
    """What the model expects of images, by path, before anything of them or of others was made."""
    some = [plan for plan in planned if plan.steps]
    models = modelled(some, probes)
    told = [models[plan.image.path] for plan in some]
    expected = {
        plan.image.path: Expected(
            plan.image.path, plan.image.facts.bytes, files, top=plan.steps[-1].width, apart=sum(model.apart),
            seconds=model.seconds, spread=model.spread, model=model, beside=beside,
        )
        for plan, model, (files, beside) in zip(some, told, kept(some, told, [one.files for one in told]), strict=True)
    }  # fmt: skip
    return {
        plan.image.path: expected.get(plan.image.path) or Expected(plan.image.path, plan.image.facts.bytes)
        for plan in planned
    }


def informed(told: Mapping[str, Expected], planned: Iterable[Plan], learnt: Learnt) -> dict[str, Expected]:
    """What is expected of images with what others of their site have told."""
    if not learnt.known:
        return dict(told)
    unsure = {path: one.model for path, one in told.items() if one.model and not one.is_known}
    plans = [plan for plan in planned if plan.image.path in unsure]
    models = [unsure[plan.image.path] for plan in plans]
    shares = {tier: learnt.shares(models, tier).tolist() for tier in TIERS}
    sizes = [
        {tier: _by(shares[tier][n], files) for tier, files in model.files.items()} for n, model in enumerate(models)
    ]
    moved = {
        plan.image.path: replace(
            told[plan.image.path], files=files, beside=beside, seconds=model.seconds * learnt.seconds
        )
        for plan, model, (files, beside) in zip(plans, models, kept(plans, models, sizes), strict=True)
    }
    return {**told, **moved}


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
