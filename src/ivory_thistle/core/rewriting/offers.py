"""What an `img` or `source` is offered in each tier: candidates with true labels, and the sizes they are chosen by."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import IntEnum

from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, modern_tiers
from ivory_thistle.core.references.families import Family, one_picture
from ivory_thistle.core.references.site import Image, Placement
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile, sibling_address
from ivory_thistle.core.selection.screen import USEFUL_DENSITY


class Form(IntEnum):
    """How far the markup of an `img` may change, from nothing upwards.

    `SAME`: other addresses of files of the same size. `LADDER`: candidates on the `img` itself. `STEADY`: a `picture`,
    with sizes that keep the size the image has by itself. `FREE`: sizes that follow the screen, where only a look in a
    browser tells whether a box depends on that.
    """

    LEFT = 0
    SAME = 1
    LADDER = 2
    STEADY = 3
    FREE = 4


@dataclass(frozen=True, slots=True)
class Candidate:
    """One address with its descriptor (empty: none), and the site's file that it leads to."""

    address: str
    path: str
    descriptor: str = ""


@dataclass(frozen=True, slots=True)
class Offer:
    """Candidates by tier, those of BASELINE for the element itself; `src` is its plain address.

    `sizes` None leaves what the element says. `corrected`: labels of the original candidates told wrong widths.
    """

    sets: Mapping[Tier, tuple[Candidate, ...]] = field(default_factory=dict)
    mimes: Mapping[Tier, str] = field(default_factory=dict)
    sizes: str | None = None
    src: Candidate | None = None
    corrected: bool = False

    def best(self, modern: bool) -> Tier | None:
        """The most modern tier that has candidates; `modern` False: of the element itself."""
        tiers: Iterable[Tier] = TIERS if modern else (BASELINE,)
        return next((t for t in tiers if self.sets.get(t)), None)


def sizes_for(width: int) -> str:
    """The `sizes` of an image that is so many CSS px wide where there is room (estimated from markup)."""
    return f"(max-width: {width}px) 100vw, {width}px"


def srcset(candidates: Iterable[Candidate]) -> str:
    """Candidates as the value of a `srcset`."""
    return ", ".join(f"{c.address} {c.descriptor}".strip() for c in candidates)


@dataclass(frozen=True, slots=True)
class Box:
    """What is known of where a file is shown on a page: `slot` is its declared width in CSS px (0: none).

    `fixed`: the box is the same whatever size the file has; `one`: the page loads the file for other boxes too, so all
    take the same one. `sizes` is what its measured boxes ask for (empty: they were not measured).
    """

    slot: int = 0
    fixed: bool = False
    one: bool = False
    sizes: str = ""


def single_offer(address: str, delivery: Delivery, form: Form, box: Box) -> Offer:
    """The offer of an `img` with one address."""
    own = delivery.own_size
    if form <= Form.SAME:
        return Offer(src=_candidate(address, own, "") if own and form else None)
    follows = box.fixed or form == Form.FREE
    slot = box.slot if box.fixed else 0
    sets: dict[Tier, tuple[Candidate, ...]] = {}
    mimes: dict[Tier, str] = {}
    for tier in modern_tiers():
        rungs = delivery.rungs(tier, slot)
        if rungs:
            sets[tier] = _labelled(address, rungs if follows and not box.one else rungs[-1:], delivery)
            mimes[tier] = rungs[-1].mime
    fallback = delivery.rungs(BASELINE, slot)
    enough = min(round(slot * USEFUL_DENSITY) or delivery.width, delivery.top or delivery.width)
    complete = bool(fallback) and fallback[-1].width >= enough
    kept = fallback if follows and not box.one else fallback[-1:] if complete else ()
    candidates = _labelled(address, kept, delivery)
    if kept and not complete:
        candidates = (*candidates, Candidate(address, delivery.path, f"{delivery.width}w"))
    if len(candidates) > 1 or (candidates and candidates[0].descriptor):
        sets[BASELINE] = candidates
    src = _candidate(address, fallback[-1], "") if complete and kept else None
    return Offer(sets, mimes, _sizes(delivery, form, box, slot), src)


def _sizes(delivery: Delivery, form: Form, box: Box, slot: int) -> str:
    if box.sizes:
        return box.sizes
    if form == Form.FREE or (box.fixed and not slot):
        return sizes_for(slot or delivery.width)
    return f"{slot or delivery.width}px"


def _candidate(address: str, new: NewFile, descriptor: str) -> Candidate:
    return Candidate(sibling_address(address, new.path), new.path, descriptor)


def _labelled(address: str, rungs: Sequence[NewFile], delivery: Delivery) -> tuple[Candidate, ...]:
    """The rungs with their widths; without where one file of the original's width is all."""
    if len(rungs) == 1 and rungs[0].width == delivery.width:
        return (_candidate(address, rungs[0], ""),)
    return tuple(_candidate(address, f, f"{f.width}w") for f in rungs)


def set_offer(
    candidates: Sequence[Placement],
    src: Placement | None,
    deliveries: Mapping[str, Delivery],
    images: Mapping[str, Image],
    form: Form,
    box: Box,
) -> Offer:
    """The offer of an `img` or `source` with a `srcset`; `src` is the `img`'s plain address."""
    if form == Form.LEFT:
        return Offer()
    family = one_picture(candidates, images)
    if family and form >= Form.LADDER and (box.fixed or not family.mislabelled):
        offer = _family_offer(family, src, deliveries, box.sizes)
        if offer:
            return offer
    return _one_by_one(candidates, src, deliveries)


def _family_offer(
    family: Family, src: Placement | None, deliveries: Mapping[str, Delivery], sizes: str
) -> Offer | None:
    """One ladder, made from the largest; None where some demand would get a heavier file than before."""
    largest, image = family.members[-1]
    delivery = deliveries.get(largest.file or "")
    if not delivery:
        return None
    sets: dict[Tier, tuple[Candidate, ...]] = {}
    mimes: dict[Tier, str] = {}
    for tier in TIERS:
        rungs = delivery.rungs(tier)
        if not rungs:
            continue
        whole = rungs[-1].width >= min(delivery.width, delivery.top or delivery.width)
        if not _never_heavier(rungs, family, whole):
            return None
        sets[tier] = tuple(_candidate(largest.address, f, f"{f.width}w") for f in rungs)
        mimes[tier] = rungs[-1].mime
        if not whole:
            sets[tier] += (Candidate(largest.address, delivery.path, f"{image.facts.width}w"),)
    if BASELINE not in sets:
        sets[BASELINE] = tuple(Candidate(p.address, i.path, f"{i.facts.width}w") for p, i in family.members)
    plain = next((i for p, i in family.members if src and p.file == src.file), None)
    new = next((f for f in delivery.rungs(BASELINE) if plain and f.width >= plain.facts.width), None)
    plain_new = _candidate(largest.address, new, "") if new else None
    return Offer(sets, mimes, sizes or None, plain_new, family.mislabelled)


def _never_heavier(rungs: Sequence[NewFile], family: Family, whole: bool) -> bool:
    """Whether every demand gets a file no heavier than the candidate it got before."""
    below = 0
    for _, image in family.members:
        width, size = image.facts.width, image.facts.bytes
        wider = next((f for f in rungs if f.width >= width), rungs[-1] if whole else None)
        within = [f for f in rungs if below < f.width < width]
        if any(f.bytes > size for f in [*within, *([wider] if wider else [])]):
            return False
        below = width
    return True


def _one_by_one(candidates: Sequence[Placement], src: Placement | None, deliveries: Mapping[str, Delivery]) -> Offer:
    """Each candidate replaced by a file of its own, its label scaled with the pixels: nothing changes but bytes."""
    widths = any(p.descriptor.endswith("w") for p in candidates)
    # Among densities, the plain address takes part as 1x.
    implied = src if src and not widths and all(p.descriptor not in ("", "1x") for p in candidates) else None
    shown = [*candidates, implied] if implied else list(candidates)
    sets: dict[Tier, tuple[Candidate, ...]] = {}
    mimes: dict[Tier, str] = {}
    for tier in modern_tiers():
        files = [(p, d, d.widest(tier)) for p in shown if (d := deliveries.get(p.file or ""))]
        made = [(p, d, new) for p, d, new in files if new]
        if len(made) == len(shown):
            sets[tier] = tuple(_candidate(p.address, new, _scaled(p, d, new)) for p, d, new in made)
            mimes[tier] = made[0][2].mime
    own = [_replaced(p, deliveries) for p in candidates]
    if any(c.path != p.file for c, p in zip(own, candidates, strict=True)):
        sets[BASELINE] = tuple(own)
    plain = deliveries.get(src.file or "") if src else None
    new = plain.own_size if plain else None
    return Offer(sets, mimes, None, _candidate(src.address, new, "") if src and new else None)


def _replaced(placement: Placement, deliveries: Mapping[str, Delivery]) -> Candidate:
    delivery = deliveries.get(placement.file or "")
    new = delivery.widest(BASELINE) if delivery else None
    if not delivery or not new:
        return Candidate(placement.address, placement.file or "", placement.descriptor)
    return _candidate(placement.address, new, _scaled(placement, delivery, new))


def _scaled(placement: Placement, delivery: Delivery, new: NewFile) -> str:
    """The candidate's descriptor scaled with its pixels, so that the size it is shown at stays the same."""
    share = new.width / delivery.width
    if share == 1:
        return placement.descriptor
    if placement.descriptor.endswith("w"):
        return f"{max(1, round(int(placement.descriptor[:-1]) * share))}w"
    density = float(placement.descriptor[:-1]) if placement.descriptor else 1.0
    return f"{density * share:.6g}x"
