"""Which of the files that were made are worth keeping, and why, in words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from itertools import pairwise

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.search import Point
from ivory_thistle.core.treatment.rendition import Rendition
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.wish import Made
from ivory_thistle.core.treatment.worth import Load, worthwhile
from ivory_thistle.core.words import kb


@dataclass(frozen=True, slots=True)
class Treated:
    """What came out: the kept renditions, by tier and rising width, and what was decided, in words."""

    renditions: tuple[Rendition, ...]
    words: tuple[str, ...]


def keep_what_is_worth_it(
    made: Mapping[Tier, Sequence[Made]],
    facts: ImageFacts,
    rules: Rules,
    words: Sequence[str],
    apart: Sequence[Made] = (),
) -> Treated:
    """Keeps the fallback where it is smaller than the original, and the modern tiers that are worth theirs.

    `apart` are fallbacks that stand apart from the ladder: of the original's own size, or as a social card.
    """
    fallback = made[BASELINE]
    said = [*words, *_shortfalls(made, rules)]
    kept: list[tuple[Tier, Made]] = [(BASELINE, m) for m in _worth_replacing(fallback, facts, rules, said)]
    standing = [min(size, facts.bytes) for size in _loaded_by_width(fallback)]
    rival = fallback[-1].encoded.format if kept else facts.format
    modern = list[Load]()
    for tier in reversed([t for t in TIERS if t in made and t != BASELINE]):
        form = made[tier][-1].encoded.format
        if all(m.met for m in made[tier]):
            modern.append(Load.of(tier, form, _loaded_by_width(made[tier])))
        else:
            said.append(f"{FORMATS[form].label} dropped: it can't keep this look.")
    worth, dropped = worthwhile(Load.of(BASELINE, rival, standing), modern, rules)
    said += [one.words for one in dropped]
    said += [newer.saves_over(older) for older, newer in pairwise(worth)]
    kept += [(load.tier, m) for load in worth[1:] for m in made[load.tier]]
    kept = list(_without_heavier_narrower(kept, said))
    said += _at_the_same_look(made, kept)
    for one in apart:
        if one.met and rules.replacement_is_worth_it(facts.bytes, one.encoded.bytes):
            kept.append((BASELINE, one))
            said.append(_apart(one, facts))
    order = {tier: n for n, tier in enumerate(TIERS)}
    kept.sort(key=lambda k: (order[k[0]], k[1].encoded.width))
    return Treated(tuple(rendition_of(tier, m.encoded, m.score, m.points) for tier, m in kept), tuple(said))


def _loaded_by_width(files: Sequence[Made]) -> list[int]:
    """What a place of each width loads: its own file, or a wider one that makes it needless."""
    return [min([f.encoded.bytes, *(w.encoded.bytes for w in _lighter(f, files))]) for f in files]


def _lighter(file: Made, among: Iterable[Made]) -> list[Made]:
    """Wider files that weigh no more and keep as much at least.

    Drawings are so: reducing them makes new colours at every edge.
    """
    wider = (other for other in among if other.encoded.width > file.encoded.width)
    return [w for w in wider if w.met and w.goal >= file.goal and w.encoded.bytes <= file.encoded.bytes]


def _without_heavier_narrower(kept: Sequence[tuple[Tier, Made]], said: list[str]) -> Iterator[tuple[Tier, Made]]:
    """All but files that a wider one of their tier makes needless."""
    for tier, file in kept:
        lighter = _lighter(file, (m for t, m in kept if t == tier))
        if not lighter:
            yield tier, file
            continue
        instead = min((m.encoded for m in lighter), key=lambda e: e.bytes)
        said.append(
            f"{FORMATS[instead.format].label} at {file.encoded.width:,} px left out: at {instead.width:,} px it weighs"
            f" {kb(instead.bytes)} instead of {kb(file.encoded.bytes)}."
        )


def _apart(one: Made, facts: ImageFacts) -> str:
    name, size = FORMATS[one.encoded.format].label, kb(one.encoded.bytes)
    if one.encoded.width == facts.width:
        return f"In its own size {name} weighs {size}, where one address alone is taken."
    return f"For social cards {name} weighs {size} at {one.encoded.width:,} x {one.encoded.height:,} px."


def _shortfalls(made: Mapping[Tier, Sequence[Made]], rules: Rules) -> list[str]:
    """A sentence for each file that falls short of what was asked of it."""
    said = []
    for files in made.values():
        for m in files:
            if m.met:
                continue
            at = f"{FORMATS[m.encoded.format].label} at {m.encoded.width:,} px"
            if rules.cap:
                said.append(f"{at} can't be held to {kb(rules.cap)}: {kb(m.encoded.bytes)} at its lowest quality.")
            else:
                said.append(f"{at} scores {m.score or 0:.0f} at its best.")
    return said


def _worth_replacing(fallback: Sequence[Made], facts: ImageFacts, rules: Rules, said: list[str]) -> list[Made]:
    """The fallback's files that are smaller than the original and worth taking its place."""
    widest = fallback[-1].encoded
    kept = [m for m in fallback if m.encoded.bytes < facts.bytes]
    if widest.width == facts.width and not rules.replacement_is_worth_it(facts.bytes, widest.bytes):
        would = f"{FORMATS[widest.format].label} would be {kb(widest.bytes)}"
        said.append(f"The original ({kb(facts.bytes)}) stays as the widest fallback: {would}.")
        return [m for m in kept if m is not fallback[-1]]
    return kept


def _at_the_same_look(made: Mapping[Tier, Sequence[Made]], kept: Sequence[tuple[Tier, Made]]) -> list[str]:
    """What the best tier that is kept weighs at its widest, and the others at the same look."""
    best = next((t for t in TIERS if t != BASELINE and any(tier == t for tier, _ in kept)), None)
    if best is None or any(made[t][-1].score is None for t in made):
        return []
    name, width = FORMATS[made[best][-1].encoded.format].label, made[best][-1].encoded.width
    others = [
        f"{FORMATS[made[t][-1].encoded.format].label} at the same look {kb(made[t][-1].encoded.bytes)}"
        for t in TIERS
        if t in made and t != best and made[t][-1].met
    ]
    alone = f"At {width:,} px {name} weighs {kb(made[best][-1].encoded.bytes)}"
    return [f"{alone}; {', '.join(others)}."] if others else [f"{alone}."]


def rendition_of(tier: Tier, encoded: Encoded, score: float | None, points: Sequence[Point] = ()) -> Rendition:
    """An encoded file as a rendition of a tier; `points` are what was tried for it."""
    return Rendition(
        tier=tier, format=encoded.format, width=encoded.width, height=encoded.height, bytes=encoded.bytes,
        sha256=sha256(encoded.data).hexdigest(), settings=encoded.settings, score=score, data=encoded.data,
        how=encoded.how, points=tuple(p for p in points if not p.probe),
    )  # fmt: skip
