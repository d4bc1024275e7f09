"""How a figure stands against what is allowed."""

from __future__ import annotations

from typing import Literal

BudgetState = Literal["within", "near", "over"]

NEAR_SHARE = 0.85
"""From this share of a budget on, a page counts as near it."""


def state_of(used: int, allowed: int) -> BudgetState:
    """Within, near (from 85 % of what is allowed) or over."""
    if used > allowed:
        return "over"
    return "near" if used >= allowed * NEAR_SHARE else "within"
