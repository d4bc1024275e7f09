"""One image made into its renditions: bytes in, kept renditions and the reasons out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, modern_tiers
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import DRAWN, look_at
from ivory_thistle.core.images.metadata import kept_metadata
from ivory_thistle.core.images.pixels import Pixels, decode, reduce
from ivory_thistle.core.images.resize import Resize, resize, sharpened, target_size
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.treatment.choice import Treated, keep_what_is_worth_it
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.making import make_files, make_worthwhile_files
from ivory_thistle.core.treatment.moving import treat_animation
from ivory_thistle.core.treatment.own_size import treat_in_place
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.sketching import sketch_files
from ivory_thistle.core.treatment.vectors import treat_vector
from ivory_thistle.core.treatment.wish import Made, Rung, Wish
from ivory_thistle.core.words import kb

_SHARPENING = (0.35, 0.2)
_SKETCH_WORDS = "A sketch: quick files at predicted settings, not confirmed."
SKETCHED_FROM = 300_000
"""Pixels of all widths of an image together: with fewer, sketches take about as long as the files (decision 0021)."""
_UNHARMED = 90.0
"""A sharpening that scores less than this against the picture as it is has gone too far."""


def treat_image(
    data: bytes,
    facts: ImageFacts,
    steps: Iterable[Step],
    rules: Rules,
    role: Role = "content",
    kind: str | None = None,
    size: Resize | None = None,
    apart: Sequence[int] = (),
) -> Treated:
    """Makes a file for every tier at each step, keeping what is worth it. Raises PictureError, EncodeError.

    `kind` is that of the image's look (None: it is looked at now); what was drawn and not yet spoilt stays lossless.
    `size` reshapes the picture before the steps, which may then not be wider than that. `apart` are widths of
    fallbacks that are made besides.

    A rendition is never larger than the file it replaces; a tier is kept only where its files together
    are worth having over the next tier's.
    """
    if rules.form is HandoverForm.IN_PLACE:
        return treat_in_place(data, facts, rules, role, kind or "")
    if facts.is_vector:
        return treat_vector(data, facts, rules)
    widths = sorted(steps, key=lambda s: s.width)
    if facts.frames > 1:
        return treat_animation(data, facts, widths[-1].width, rules, role)
    asked = _asked(data, facts, widths, rules, role, kind, size, apart)
    files = make_worthwhile_files(asked.rungs, asked.wish, asked.tiers)
    others = [make_files([Rung(reduce(asked.top, w))], asked.wish, (BASELINE,))[BASELINE][0] for w in apart]
    return _kept(files.made, facts, rules, [*asked.said, *files.given_up.values()], others)


def sketch_image(
    data: bytes,
    facts: ImageFacts,
    steps: Iterable[Step],
    rules: Rules,
    role: Role = "content",
    kind: str | None = None,
    size: Resize | None = None,
) -> Treated | None:
    """The same by quick encoders at predicted settings that no search confirms; None for what is not sketched.

    That is what keeps its format and size, what moves, and what is drawn. Raises PictureError, EncodeError.
    """
    if not _can_be_sketched(facts, rules, kind):
        return None
    asked = _asked(data, facts, sorted(steps, key=lambda s: s.width), rules, role, kind, size)
    return _kept(sketch_files(asked.rungs, asked.wish, asked.tiers), facts, rules, [_SKETCH_WORDS], ())


def pays_to_sketch(
    facts: ImageFacts, steps: Sequence[Step], rules: Rules, kind: str | None, size: Resize | None = None
) -> bool:
    """Whether sketches of an image take clearly less time than its files: those of large photographs do."""
    if not steps or not _can_be_sketched(facts, rules, kind):
        return False
    width, height = target_size(facts.width, facts.height, size) if size else (facts.width, facts.height)
    return sum(step.width**2 for step in steps) * height / width >= SKETCHED_FROM


def _can_be_sketched(facts: ImageFacts, rules: Rules, kind: str | None) -> bool:
    """Drawings take as long either way, since nothing of them but AVIF is searched."""
    kept = rules.form is HandoverForm.IN_PLACE
    return not (kept or facts.frames > 1 or facts.is_vector or _is_drawn(facts, rules, kind))


def _is_drawn(facts: ImageFacts, rules: Rules, kind: str | None) -> bool:
    """Whether it is made as a drawing: to keep what is blurred already without loss would cost more than the file."""
    return rules.lossless or (kind in DRAWN and not FORMATS[facts.format].lossy)


@dataclass(frozen=True, slots=True)
class _Asked:
    """What is to be made of a still picture: its rungs, from `top`, and what was `said` of it."""

    top: Pixels
    rungs: list[Rung]
    wish: Wish
    tiers: tuple[Tier, ...]
    said: list[str]


def _asked(
    data: bytes,
    facts: ImageFacts,
    widths: Sequence[Step],
    rules: Rules,
    role: Role,
    kind: str | None,
    size: Resize | None,
    apart: Sequence[int] = (),
) -> _Asked:
    whole = decode(data, facts, None if size else max([widths[-1].width, *apart]), rules.keep_p3).without_unused_alpha()
    top = resize(whole, size) if size else whole
    if kind is None:
        look = look_at(data, facts)
        kind = look.kind if look else ""
    drawn = _is_drawn(facts, rules, kind)
    rungs = []
    for step in widths:
        small = reduce(top, step.width)
        sharp = sharpened_where_harmless(small, facts.width) if rules.sharpen else small
        rungs.append(Rung(sharp, step.dense))

    def fidelity(rung: Rung) -> int:
        return rules.fidelity_for(role, kind, rung.dense)

    left_out = {t: words for t in modern_tiers() if t in rules.formats and (words := _refusal(t, rungs))}
    modern = (t for t in modern_tiers() if t in rules.formats and t not in left_out)
    # What only crawlers read has a format that all of them read.
    tiers: tuple[Tier, ...] = (BASELINE,) if role == "social card" else (*modern, BASELINE)
    fallback = rules.fallback_for(facts.format)
    wish = Wish(rules, drawn, fidelity, kept_metadata(data, rules.metadata), fallback)
    said = [_opening(rules, role, kind, drawn, rungs), *(f"{w} It is left out." for w in left_out.values())]
    return _Asked(top, rungs, wish, tiers, said)


def _refusal(tier: Tier, rungs: Sequence[Rung]) -> str:
    """In words, why a modern format can't hold a ladder; empty where it can."""
    tried = (TIERS[tier].making.encoder.refusal(rung.pixels, Settings(50)) for rung in rungs)
    return next((words for words in tried if words), "")


def _kept(
    made: Mapping[Tier, Sequence[Made]], facts: ImageFacts, rules: Rules, said: list[str], others: Sequence[Made]
) -> Treated:
    kept = keep_what_is_worth_it(made, facts, rules, said, others)
    return kept if rules.fallback else replace(kept, renditions=tuple(r for r in kept.renditions if r.tier != BASELINE))


def sharpened_where_harmless(pixels: Pixels, reduced_from: int) -> Pixels:
    """The strongest slight sharpening that still scores as nothing lost; the picture as it is where none does."""
    side = None
    for strength in _SHARPENING:
        sharp = sharpened(pixels, reduced_from, strength)
        if sharp is pixels:
            return pixels
        side = side or prepare(pixels.array)
        if score(side, sharp.array) >= _UNHARMED:
            return sharp
    return pixels


def _opening(rules: Rules, role: Role, kind: str, drawn: bool, rungs: list[Rung]) -> str:
    """What the image is, and what was asked of its files."""
    what = f"{(kind or 'picture').capitalize()} as {role}"
    lossless = ", what is drawn without loss where that is smaller" if drawn else ""
    if rules.fixed:
        return f"{what}: fixed qualities{lossless}."
    if rules.cap:
        return f"{what}: the best look within {kb(rules.cap)} a file{lossless}."
    plain = rules.fidelity_for(role, kind)
    dense = rules.fidelity_for(role, kind, dense=True)
    lower = f" ({dense} where only dense screens load it)" if dense < plain and any(r.dense for r in rungs) else ""
    return f"{what}: kept at a score of {plain}{lower}{lossless}."
