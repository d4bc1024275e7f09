"""Shares of visitors by audience tier, worldwide. Made by scripts/browser_shares.mjs."""

from __future__ import annotations

from collections.abc import Mapping

BROWSER_SHARES: Mapping[str, float] = {
    "avif": 0.9911,
    "webp": 0.0064,
    "baseline": 0.0025,
}
SHARES_DATE = "2026-11-24"
SHARES_SOURCE = "caniuse-lite 1.0.30001828, from caniuse.com, licensed CC BY 4.0"
