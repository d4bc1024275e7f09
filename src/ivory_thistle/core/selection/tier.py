"""Audience tiers: visitors by what their browser shows."""

from __future__ import annotations

from typing import Literal, get_args

Tier = Literal["avif", "webp", "baseline"]
TIERS: tuple[Tier, ...] = get_args(Tier)
"""The most modern first."""
MODERN_TIERS: tuple[Tier, ...] = ("avif", "webp")
