"""What a run would bring, told within a second, and more surely once some of its images were made."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from hashlib import sha256
from typing import Any

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.coefficients import SECONDS
from ivory_thistle.core.forecast.expected import Before, Expected
from ivory_thistle.core.forecast.files import NO_PROBES, SKETCHING, expect, informed, made, sketched
from ivory_thistle.core.forecast.learning import Learnt, learn
from ivory_thistle.core.forecast.pages import NOTHING_STAYS, PageForecast, Pages, Range, Stays, Total, sum_off, totals
from ivory_thistle.core.forecast.probes import Probe
from ivory_thistle.core.formats.tiers import TIERS, measured_tier
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store.kept import KeptTreatment
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.collecting import without_collecting
from ivory_thistle.workflows.delivering import TreatedImage, deliveries_of
from ivory_thistle.workflows.kept import kept_keys, open_kept, told_of_kept
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.settling import Settler
from ivory_thistle.workflows.treating import Treatment, treatment_of
from ivory_thistle.workflows.workers import AT_ONCE

_FILES_SPREAD = 1.8
"""How many times as far off as what pages load all files together are: whether a format is worth its files is a near
thing (docs/decisions/0019)."""
_SAMPLE_SECONDS, _SAMPLE_MOST = 240.0, 16
"""A sample takes a worker about so long, and so many images at most."""


@dataclass(frozen=True, slots=True)
class Foretold:
    """A forecast. `expected` by path of the image, `pages` on every screen in every tier, `seconds` of the whole run.

    `measured`: pages were weighed in a browser; else each is counted by the files that its markup names. Of so many
    images it rests on sketches: `sketched`.
    """

    plans: tuple[Plan, ...]
    expected: Mapping[str, Expected]
    learnt: Learnt
    pages: tuple[PageForecast, ...]
    totals: tuple[Total, ...]
    seconds: Range
    storage: Range
    measured: bool
    sketched: int = 0

    @property
    def files(self) -> int:
        """How many files will be made and kept."""
        return round(sum(told.count for path, told in self.expected.items() if told.path == path))

    def as_dict(self) -> dict[str, Any]:
        """What is kept of it beside a run: the sums, and what each image would weigh for the measured tier."""
        return {
            "totals": [asdict(total) for total in self.totals], "seconds": asdict(self.seconds), "files": self.files,
            "storage": asdict(self.storage), "known": self.learnt.known, "measured": self.measured,
            "images": {path: widest(told) for path, told in self.expected.items() if told.top and told.path == path},
        }  # fmt: skip


def foretell(
    at_hand: AtHand,
    rules: Rules,
    weights: PageWeights,
    policy: Policy,
    kept_url: str,
    probes: Mapping[str, Probe] = NO_PROBES,
    stays: Stays = NOTHING_STAYS,
) -> Foretold:
    """What a treatment by the rules would bring. What was made before by the same rules is told as it is.

    `probes` are by path of the image: those that were looked at closer; `stays` as `originals_that_stay` tells.
    """
    with without_collecting():
        return _foretell(at_hand, rules, weights, policy, kept_url, probes, stays)


def _foretell(
    at_hand: AtHand,
    rules: Rules,
    weights: PageWeights,
    policy: Policy,
    kept_url: str,
    probes: Mapping[str, Probe],
    stays: Stays,
) -> Foretold:
    plans = plan(at_hand, rules)
    kept = _Kept(kept_url)
    treatments = {p.image.path: treatment_of(p) for p in plans if p.steps}
    found = {path: made_of for path, one in treatments.items() if (made_of := kept.find(one))}
    told = expect(plans, probes)
    steps = {p.image.path: [step.width for step in p.steps] for p in plans}
    truths = {path: made(told[path], was.renditions, steps[path]) for path, was in found.items()}
    # Those of made files only teach others: where all are made, nobody is to be taught.
    unknown = any(p.steps and p.image.path not in found for p in plans)
    paying = {path: replace(one, sketch=True) for path, one in treatments.items() if one.pays_to_sketch}
    quick = {path: one for path, sketch in paying.items() if unknown and (one := kept.find(sketch))}
    promised = {
        path: Before(made(told[path], one.renditions, steps[path]).files, one.seconds)
        for path, one in quick.items() if path in truths
    }  # fmt: skip
    learnt = learn(((told[path], Before(true.files, found[path].seconds)) for path, true in truths.items()), promised)
    sketches = {
        path: sketched(told[path], one.renditions, steps[path], one.seconds, learnt)
        for path, one in quick.items() if path not in truths
    }  # fmt: skip
    certain = {**sketches, **truths}
    learnt = replace(learnt, sketched=len(sketches) / max(1, sum(bool(p.steps) for p in plans) - len(truths)))
    expected = informed(told, (p for p in plans if p.image.path not in certain), learnt) | certain
    for p in plans:
        if p.stands_in in expected:
            expected[p.image.path] = expected[p.stands_in]
    pages = Pages(at_hand.site, expected, at_hand.slots, stays).of(weights)
    loads = len({(page.page, page.screen) for page in pages}) if rules.form.rewrites else 0
    own = [one for path, one in expected.items() if one.path == path]
    return Foretold(
        plans, expected, learnt, pages,
        totals(pages, expected, policy, learnt.site_spread),
        _time(own, learnt, loads, bool(weights), paying),
        _storage(own, learnt.site_spread),
        bool(weights), len(sketches),
    )  # fmt: skip


def originals_that_stay(
    at_hand: AtHand, told: Foretold, rules: Rules, screens: Sequence[Screen], stop: Callable[[], bool]
) -> dict[str, list[str]]:
    """By page, the treated files that it goes on loading as they are: found by rewriting the site as a run would.

    The new files stand in for those that a run makes: what can be replaced does not hang on their bytes. Raises
    StoppedError.
    """
    if not rules.form.rewrites:
        return {}
    images = {image.path: image for image in at_hand.site.images}
    treated = [
        TreatedImage(images[path], _stand_ins(one), (), one.top)
        for path, one in told.expected.items() if one.path == path and one.files
    ]  # fmt: skip
    deliveries = deliveries_of(at_hand.site, treated, rules)
    settled = Settler(
        at_hand.site, deliveries, at_hand.read, screens, None, stop, rules.background_widths, at_hand.slots
    ).settle()
    found: dict[str, set[str]] = defaultdict(set)
    for loads in settled.loads:
        if loads.tier == measured_tier():
            found[loads.page] |= {one.path for one in loads.after if one.path in deliveries}
    return {page: sorted(paths) for page, paths in found.items() if paths}


def _stand_ins(told: Expected) -> tuple[RenditionFacts, ...]:
    return tuple(
        RenditionFacts(
            tier=tier, format=TIERS[tier].format, width=width, height=width, bytes=size,
            sha256=sha256(f"{told.path} {tier} {width}".encode()).hexdigest(), settings="", score=None,
        )
        for tier, files in told.files.items() for width, size in files.items()
    )  # fmt: skip


def sample_of(foretold: Foretold) -> tuple[Plan, ...]:
    """Images from the heaviest to the lightest in even steps, as many as a sample has time for.

    The heaviest alone would tell of themselves: those of which too much is expected come first among them.
    """
    told = foretold.expected
    unknown = [p for p in foretold.plans if p.steps and not told[p.image.path].is_known]
    unknown.sort(key=lambda p: -told[p.image.path].bytes)
    count = min(len(unknown), _SAMPLE_MOST)
    chosen: list[Plan] = []
    seconds = 0.0
    for planned in (unknown[n * len(unknown) // count] for n in range(count)):
        seconds += told[planned.image.path].seconds
        if seconds <= _SAMPLE_SECONDS or not chosen:
            chosen.append(planned)
    return tuple(chosen)


def to_sketch(foretold: Foretold) -> list[Plan]:
    """Images of which nothing is known but by the model, those of the most bytes first."""
    told = foretold.expected
    unknown = [p for p in foretold.plans if p.steps and not told[p.image.path].has_files]
    return sorted(unknown, key=lambda p: -p.image.facts.bytes)


def widest(told: Expected) -> int:
    """What a browser of the measured tier loads of an image at most."""
    return told.loaded(measured_tier(), told.top, told.original)[1]


class _Kept:
    """What earlier runs made or sketched by the same rules; nothing where the store can't be opened."""

    def __init__(self, kept_url: str) -> None:
        self._kept = open_kept(kept_url)
        self._keys = kept_keys(self._kept)

    def find(self, treatment: Treatment) -> KeptTreatment | None:
        """What was made, or sketched, of an image."""
        if not self._keys:
            # To work out a key takes longer than to look it up.
            return None
        key = treatment.key
        return told_of_kept(self._kept, key) if key in self._keys else None


def _storage(images: Sequence[Expected], site_spread: float) -> Range:
    """Bytes of all files."""
    unsure = {one.path: one.bytes for one in images if not one.is_known}
    spreads = {one.path: one.spread for one in images}
    return Range.around(sum(one.bytes for one in images), sum_off(unsure, spreads, _FILES_SPREAD * site_spread))


def _time(images: Iterable[Expected], learnt: Learnt, loads: int, measured: bool, paying: Collection[str]) -> Range:
    """Seconds of a run: its images on several workers, made and before, where that pays, sketched; then its pages
    looked at in a browser.
    """
    images = list(images)
    making = sum(one.seconds for one in images) / AT_ONCE
    sketching = SKETCHING * sum(one.seconds for one in images if not one.has_files and one.path in paying) / AT_ONCE
    looking = SECONDS["page measured" if measured else "page"] * loads
    return Range.around(making + sketching + looking, learnt.time_spread * making)
