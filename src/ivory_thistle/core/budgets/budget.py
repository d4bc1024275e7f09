"""Page budgets and image caps, in bytes (kB = 1,000 bytes)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

BudgetState = Literal["within", "near", "over"]

NEAR_SHARE = 0.85
"""From this share of a budget on, a page counts as near it."""


@dataclass(frozen=True, slots=True)
class Budget:
    """Allowed image bytes of a page and of one image.

    Defaults, common practice without a source: a whole page on a phone not much over 5 MB; a picture over
    300 kB counts as not optimised.
    """

    page_bytes: int = 5_000_000
    image_bytes: int = 300_000


def state_of(used: int, allowed: int) -> BudgetState:
    """Within, near (from 85 % of what is allowed) or over."""
    if used > allowed:
        return "over"
    return "near" if used >= allowed * NEAR_SHARE else "within"
