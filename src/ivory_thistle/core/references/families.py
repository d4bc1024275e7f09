"""Candidates of one `srcset` that are one picture in several widths."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ivory_thistle.core.images.kind import distance
from ivory_thistle.core.references.site import Image, Placement

_SAME_BITS = 6
"""Of 64 bits of the perceptual hashes, so many may differ between two widths of one picture."""


@dataclass(frozen=True, slots=True)
class Family:
    """Candidates that are one picture in several widths, by rising true width."""

    members: tuple[tuple[Placement, Image], ...]
    mislabelled: bool


def one_picture(candidates: Sequence[Placement], images: Mapping[str, Image]) -> Family | None:
    """The candidates as one picture in several widths; None where they are not or it can't be told."""
    found = [(p, image) for p in candidates if (image := images.get(p.file or ""))]
    if len(found) < len(candidates) or not all(p.descriptor.endswith("w") for p in candidates):
        return None
    if any(not image.look or not image.facts.width or image.facts.frames > 1 for _, image in found):
        return None
    found.sort(key=lambda f: f[1].facts.width)
    largest = found[-1][1]
    assert largest.look is not None
    ratio = largest.facts.height / largest.facts.width
    for _, image in found:
        assert image.look is not None
        close = abs(image.facts.width * ratio - image.facts.height) <= 1 + 0.01 * image.facts.height
        if not close or distance(image.look.hash, largest.look.hash) > _SAME_BITS:
            return None
    wrong = any(abs(int(p.descriptor[:-1]) - i.facts.width) > max(1, 0.01 * i.facts.width) for p, i in found)
    return Family(tuple(found), wrong)
