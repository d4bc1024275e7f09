"""The ladder: which widths are made of one image."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.resize import target_size
from ivory_thistle.core.references.families import one_picture
from ivory_thistle.core.references.site import FOLDER, Image, Placement, SiteReading
from ivory_thistle.core.treatment.rendition import CARD
from ivory_thistle.core.treatment.roles import Role, Slot
from ivory_thistle.core.treatment.rules import Deciding, Rules
from ivory_thistle.core.words import kb

_NEAR_STEP = 1.15
"""Bytes grow with about the 1.6th power of the width: a step of 15 % saves about a fifth."""
_EVEN_REACH, _EVEN_ENOUGH = 0.02, 0.02
"""How far a step may move, as a share of its width, and by how many pixels its height may then be off."""
_WIDE_SCREEN = 1024
"""From this width on (CSS px), screens of the same layout with plain density are common."""


@dataclass(frozen=True, slots=True)
class Step:
    """One width of a ladder in pixels; `dense`: only screens of high density load it."""

    width: int
    dense: bool = False


@dataclass(frozen=True, slots=True)
class Plan:
    """What is to be made of one image: `steps` by rising width. `reason` says why none are.

    `apart` are widths
    of fallbacks that are made as well: the image's own, for places that take one address alone, and a social card's.
    `rules` are those that hold for it, `decided` says which of the narrower ones made them so. `stands_in` is the
    path of the image whose ladder stands for it.
    """

    image: Image
    role: Role = "content"
    steps: tuple[Step, ...] = ()
    reason: str = ""
    apart: tuple[int, ...] = ()
    rules: Rules = field(default_factory=Rules)
    decided: tuple[str, ...] = ()
    stands_in: str = ""


def plan_treatment(
    site: SiteReading,
    rules: Rules,
    slots: Iterable[Slot] = (),
    roles: Mapping[str, Role] | None = None,
    measured_pages: Collection[str] = (),
) -> tuple[Plan, ...]:
    """A plan for every image in use, in the order of the site's images.

    `slots` are the boxes that show images, measured or guessed; `roles` by path of the image; `measured_pages` were
    measured on every screen. An image's ladder follows its boxes only where each of its pages is among these and shows
    it: else some screen might ask for more than was seen.
    """
    uses: dict[str, list[Placement]] = defaultdict(list)
    for page in site.pages:
        for placement in page.placements:
            if placement.file:
                uses[placement.file].append(placement)
    boxes: dict[str, list[Slot]] = defaultdict(list)
    for slot in slots:
        image = site.by_path.get(slot.path)
        if image and slot.measured and slot.width > 0:
            boxes[image.path].append(slot)
    shown_on = {path: {slot.page for slot in found} for path, found in boxes.items()}
    without = _pages_without(site, set(measured_pages))
    known = {
        image.path
        for image in site.images
        if set(image.pages) <= set(measured_pages)
        and all(page in shown_on.get(image.path, ()) or page in without[image.path] for page in image.pages)
    }
    families, deciding = _Families(site), Deciding(rules)

    def planned(image: Image) -> Plan:
        role = (roles or {}).get(image.path, "content")
        placements = [p for path in image.paths for p in uses.get(path, ())]
        seen = boxes[image.path] if image.path in known else []
        alone = all(p.element == FOLDER for p in placements)
        return by_rules(image, role, deciding, lambda own: _plan(image, placements, seen, role, own, families), alone)

    return tuple(planned(image) for image in site.images if image.pages)


def by_rules(image: Image, role: Role, rules: Deciding, planned: Callable[[Rules], Plan], alone: bool = False) -> Plan:
    """The plan of an image by the rules that hold for it; none where these leave it as it is.

    Pages decide how large their pictures are, and need a fallback: only one that no page shows (`alone`) is reshaped.
    """
    found = rules.for_image(image, role)
    own = found.rules
    if not alone and (own.size or not own.fallback):
        own = replace(own, size=None, fallback=True)
    if found.leave:
        return Plan(image, role, reason="The rules leave it as it is.", rules=own, decided=found.words)
    return replace(planned(own), rules=own, decided=found.words)


def _pages_without(site: SiteReading, measured: Collection[str]) -> Mapping[str, Collection[str]]:
    """By image, the measured pages that only name it in style rules, of which nothing can begin to match there.

    Where such a page was not seen to show the image, it never does.
    """
    found: dict[str, set[str]] = defaultdict(set)
    for page in site.pages:
        if page.has_script or page.path not in measured:
            continue
        uses: dict[str, bool] = {}
        for p in page.placements:
            image = site.by_path.get(p.file or "")
            if image:
                uses[image.path] = uses.get(image.path, True) and p.steady
        for path, steady in uses.items():
            if steady:
                found[path].add(page.path)
    return found


class _Families:
    """The images of a site that are one picture in several widths, wherever a `srcset` names them together."""

    def __init__(self, site: SiteReading) -> None:
        self.widths: dict[str, set[int]] = defaultdict(set)
        self._stands_for: dict[tuple[str, int], str] = {}
        groups: dict[tuple[str, int], list[Placement]] = defaultdict(list)
        for page in site.pages:
            for p in page.placements:
                if p.use == "candidate":
                    groups[p.source, p.tag_start].append(p)
        for place, members in groups.items():
            family = one_picture(members, site.by_path) if len(members) > 1 else None
            if not family:
                continue
            largest = family.members[-1][1]
            self.widths[largest.path] |= {i.facts.width for _, i in family.members}
            if not family.mislabelled:
                self._stands_for[place] = largest.path

    def in_place_of(self, image: Image, placements: Iterable[Placement]) -> str:
        """The image whose ladder stands for this one in all of its places; empty where one place needs its own."""
        found = {self._stands_for.get((p.source, p.tag_start), "") for p in placements if p.use != "social"}
        other = found.pop() if len(found) == 1 else ""
        return "" if other == image.path else other


def _plan(
    image: Image, placements: list[Placement], slots: list[Slot], role: Role, rules: Rules, families: _Families
) -> Plan:
    reason = _why_left_alone(image, placements, rules)
    if reason:
        return Plan(image, role, reason=reason)
    larger = families.in_place_of(image, placements)
    if larger:
        reason = f"A narrower copy of {larger}; the ladder of that one stands for it."
        return Plan(image, role, reason=reason, stands_in=larger)
    natural, height = image.facts.width, image.facts.height
    if role == "social card":
        # Said by hand, of an image that pages show as well.
        role = "content"
    if image.facts.is_vector:
        return Plan(image, role, (Step(natural),))
    if all(p.element == FOLDER for p in placements):
        steps = _steps_alone(image.facts, rules)
        return Plan(image, role, steps[-1:] if image.facts.frames > 1 else steps)
    wanted: list[Step] = []
    shown = {p.use for p in placements}
    if shown == {"social"}:
        return Plan(image, "social card", (Step(card_width(natural, height)),))
    ratio = height / natural
    if "candidate" in shown:
        # One of several files for one place: it keeps its pixels, its descriptor says how many.
        wanted += [Step(natural), *(Step(w) for w in families.widths.get(image.path, ()))]
    if shown & {"single", "background"}:
        wanted += [d for s in slots if not s.fit.startswith("auto") for d in _demands(s, ratio, rules.density)] or [
            d for p in placements for d in _guessed(p, natural, rules)
        ]
    steps = ladder(wanted or [Step(natural)], natural, rules, height)
    # An animation is dear to make and to store, and backgrounds can't choose by width: one file.
    one = image.facts.frames > 1 or not (shown & {"single", "candidate"} or rules.background_widths)
    return Plan(image, role, steps[-1:] if one else steps, apart=_apart(image, placements, steps))


def _steps_alone(facts: ImageFacts, rules: Rules) -> tuple[Step, ...]:
    """The widths of a picture that no page shows: one, as wide as it may be, unless others or a size are asked for."""
    if not rules.shape and not rules.picture_widths:
        return ladder([Step(rules.max_width)], facts.width, rules, facts.height)
    widest = target_size(facts.width, facts.height, rules.shape)[0] if rules.shape else facts.width
    return tuple(Step(width) for width in sorted({min(w, widest) for w in rules.picture_widths} or {widest}))


def _apart(image: Image, placements: Iterable[Placement], steps: tuple[Step, ...]) -> tuple[int, ...]:
    """The image's own width where some place takes one address and no size; a card's where one names a large image."""
    facts, uses = image.facts, {p.use for p in placements}
    if facts.frames > 1:
        return ()
    wanted = [facts.width] if "plain" in uses else []
    card = card_width(facts.width, facts.height)
    if "social" in uses and card < facts.width:
        wanted.append(card)
    return tuple(w for w in dict.fromkeys(wanted) if w not in {s.width for s in steps})


def card_width(width: int, height: int) -> int:
    """How wide a picture may be as a social card, in pixels: within 1,200 x 630, and never wider than it is."""
    return max(1, min(width, CARD[0], CARD[1] * width // max(1, height)))


def _why_left_alone(image: Image, placements: list[Placement], rules: Rules) -> str:
    """In words, why an image is not treated; empty when it is."""
    facts = image.facts
    shown = [p for p in placements if p.use != "social"]
    if facts.problem:
        return f"It {facts.problem}."
    if facts.is_vector and not rules.svg:
        return "The rules leave vector drawings as they are."
    if facts.frames > 1 and not rules.animations:
        return f"The rules leave animations as they are; it has {facts.frames} frames."
    row = FORMATS[facts.format]
    if row.kept:
        return f"{row.label} stays as it is."
    if not facts.treatable and not facts.is_vector and facts.frames == 1:
        return f"{row.label} is not a format that every browser shows; convert it by hand."
    if facts.bytes < rules.leave_below_bytes and not facts.is_vector:
        return f"Already small: under {kb(rules.leave_below_bytes)}."
    if shown and all(p.use == "kept" for p in shown):
        kept = shown[0]
        where = f"{kept.element} {kept.attribute} in {kept.source}, line {kept.line}"
        return f"Used only where nothing can stand in its place ({where})."
    return ""


def _demands(slot: Slot, ratio: float, most_density: float) -> list[Step]:
    """The pixels across that a slot asks for: on its own screen, and on a plain one where such are common."""
    width, density = slot.drawn_width(ratio), min(slot.screen.density, most_density)
    demands = [Step(round(width * density), dense=density > 1)]
    if density > 1 and slot.screen.width >= _WIDE_SCREEN:
        demands.append(Step(round(width)))
    return demands


def _guessed(placement: Placement, natural: int, rules: Rules) -> list[Step]:
    """Without a measured slot: by the width attribute, else the rules' widths."""
    if placement.use == "background":
        return [Step(natural)]
    if placement.use != "single":
        return []
    declared = placement.declared_width
    if not declared:
        return [Step(w) for w in rules.widths if w <= rules.max_width]
    top = round(min(declared * rules.density, max(rules.max_width, declared)))
    # Style sheets may show it wider than the attribute says: then the widest is wanted.
    widest = Step(min(natural, rules.max_width))
    return [*(Step(w) for w in rules.widths if w < declared), Step(declared), Step(top, dense=True), widest]


def ladder(wanted: Sequence[Step], natural: int, rules: Rules, height: int = 0) -> tuple[Step, ...]:
    """Steps by rising width, never above the original nor the rules' widest; of near-equal ones the widest stays.

    At most as many as the rules say, evenly apart. A step is dense where no plain screen's
    wish is served by it. `natural` and `height` are the original's pixels; where the height is known, a step may be two
    per cent wider so that its own height comes out even: boxes that follow a file's proportions then stay as they are.
    """
    top = min(natural, max(rules.max_width, 1))
    rungs: list[int] = []
    for width in sorted({min(d.width, top) for d in wanted if d.width > 0}, reverse=True):
        if not rungs or rungs[-1] >= width * _NEAR_STEP:
            rungs.append(width)
    rungs.reverse()
    while len(rungs) > max(1, rules.most_rungs):
        # The one whose going leaves the smallest gap; the narrowest and the widest stay.
        del rungs[min(range(1, len(rungs) - 1), key=lambda n: rungs[n + 1] / rungs[n - 1], default=0)]
    rungs = [_even(width, natural, height, top) for width in rungs]
    plain = {next((r for r in rungs if r >= d.width), rungs[-1]) for d in wanted if not d.dense and rungs}
    return tuple(Step(width, dense=width not in plain) for width in rungs)


@lru_cache(4096)
def _even(width: int, natural: int, height: int, top: int) -> int:
    """The first width from `width` on whose height in the original's proportions is nearly a whole number of pixels.

    The best of those up to two per cent wider, where none is; those narrower, for the widest step.
    """
    if not height or width >= natural:
        return width
    reach = max(1, round(width * _EVEN_REACH))
    near = range(width, min(top, width + reach) + 1) if width < top else range(width, max(0, width - reach), -1)

    def off(w: int) -> float:
        exact = w * height / natural
        return abs(exact - round(exact))

    return next((w for w in near if off(w) <= _EVEN_ENOUGH), min(near, key=off))
