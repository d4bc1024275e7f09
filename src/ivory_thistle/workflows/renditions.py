"""One image treated by its address in the blob store: the task that workers execute."""

from __future__ import annotations

from ivory_thistle.core.rewriting.delivery import RenditionFacts
from ivory_thistle.core.treatment.treat import Treated


def facts_of(treated: Treated) -> tuple[RenditionFacts, ...]:
    """The renditions' facts without their data."""
    return tuple(
        RenditionFacts(r.tier, r.format, r.width, r.height, r.bytes, r.sha256, r.settings) for r in treated.renditions
    )
