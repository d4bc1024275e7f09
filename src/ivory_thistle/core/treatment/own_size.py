"""Images treated in their own size: where no markup changes, every box and every address stays."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.metadata import kept_metadata
from ivory_thistle.core.images.pixels import decode
from ivory_thistle.core.references.site import Image, SiteReading
from ivory_thistle.core.treatment.choice import Treated, rendition_of
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Plan, Step, by_rules
from ivory_thistle.core.treatment.making import make_files
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Deciding, Rules
from ivory_thistle.core.treatment.vectors import treat_vector
from ivory_thistle.core.treatment.wish import Rung, Wish
from ivory_thistle.core.words import kb

_ALWAYS_SHOWN: Mapping[str, Tier] = {"jpeg": BASELINE, "png": BASELINE}
"""The tier whose encoder writes a format, where the format is no tier's own."""


def plan_own_size(site: SiteReading, rules: Rules, roles: Mapping[str, Role] | None = None) -> tuple[Plan, ...]:
    """A plan for every image that some page shows or links to; for all of them where pages show none (uploads)."""
    deciding = Deciding(rules)
    in_use = [image for image in site.images if not image.unused]
    found = []
    for image in in_use or site.images:
        role = (roles or {}).get(image.path, "content")
        found.append(by_rules(image, role, deciding, partial(_plan, image, role)))
    return tuple(found)


def _plan(image: Image, role: Role, rules: Rules) -> Plan:
    reason = _why_left_alone(image, rules)
    return Plan(image, role, () if reason else (Step(image.facts.width),), reason)


def _why_left_alone(image: Image, rules: Rules) -> str:
    facts, row = image.facts, FORMATS[image.facts.format]
    if facts.problem:
        return f"It {facts.problem}."
    if facts.is_vector:
        return "" if rules.svg else "The rules leave vector drawings as they are."
    if facts.bytes < rules.leave_below_bytes:
        return f"Already small: under {kb(rules.leave_below_bytes)}."
    if rules.form is HandoverForm.IN_PLACE:
        if facts.frames > 1:
            return f"An animation; in its own format it stays as it is ({facts.frames} frames)."
        if _tier_of(facts) is None:
            return f"{row.label} stays as it is where a file keeps its format."
    elif row.kept or (not facts.treatable and facts.frames == 1):
        return f"{row.label} stays as it is."
    return ""


def _tier_of(facts: ImageFacts) -> Tier | None:
    """The tier whose encoder writes the picture's own format."""
    own = next((tier for tier, row in TIERS.items() if row.format == facts.format), None)
    return own or _ALWAYS_SHOWN.get(facts.format)


def treat_in_place(data: bytes, facts: ImageFacts, rules: Rules, role: Role, kind: str) -> Treated:
    """The same picture in its own format and size, where that is worth it. Raises PictureError, EncodeError."""
    if facts.is_vector:
        return treat_vector(data, facts, rules)
    tier, label = _tier_of(facts), FORMATS[facts.format].label
    if tier is None:
        return Treated((), (f"{label} stays as it is.",))
    pixels = decode(data, facts, None, rules.keep_p3)
    # A palette or no loss at all: of its encoders, those for drawings keep PNG what it is.
    wish = Wish(
        rules, facts.format == "png", lambda rung: rules.fidelity_for(role, kind), kept_metadata(data, rules.metadata)
    )
    made = make_files([Rung(pixels.without_unused_alpha())], wish, (tier,))[tier][0]
    encoded = made.encoded
    if encoded.format != facts.format or not made.met:
        return Treated((), (f"{label} can't keep this look in fewer bytes.",))
    if not rules.replacement_is_worth_it(facts.bytes, encoded.bytes):
        return Treated((), (f"The original ({kb(facts.bytes)}) stays: {label} would be {kb(encoded.bytes)}.",))
    said = f"{label} in place: {kb(facts.bytes)} to {kb(encoded.bytes)}."
    return Treated((rendition_of(BASELINE, encoded, made.score, made.points),), (said,))
