"""Vector drawings: the same drawing in fewer bytes."""

from __future__ import annotations

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.tiers import BASELINE
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.vector import smaller_svg
from ivory_thistle.core.treatment.choice import Treated, rendition_of
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.words import kb


def treat_vector(data: bytes, facts: ImageFacts, rules: Rules) -> Treated:
    """A smaller SVG file that draws the same, where that is worth a replacement. Raises PictureError."""
    found = smaller_svg(data, rules.svg_scripts)
    before, after = len(data), len(found.data)
    safer = rules.svg_scripts and bool(found.words)
    if not safer and not rules.replacement_is_worth_it(before, after):
        words = (
            "Vector drawing: nothing worth taking out."
            if after == before
            else (f"Vector drawing: {kb(after)} instead of {kb(before)} is not worth a replacement.")
        )
        return Treated((), (words, *found.words))
    share = 100 * (1 - after / before)
    words = f"Vector drawing: {share:.0f} % less for the same drawing ({kb(before)} to {kb(after)})."
    drawing = Encoded(facts.format, facts.width, facts.height, "ballast out, figures rounded", found.data)
    file = rendition_of(BASELINE, drawing, None)
    return Treated((file,), (words, *found.words))
