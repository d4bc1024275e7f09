"""Figures as they are written in sentences."""

from __future__ import annotations

_WHOLE_FROM = 9_950


def kb(size: float) -> str:
    """Bytes in kB of 1,000: "6 kB", "7.9 kB", "1,234 kB"; tenths only where they say something."""
    return f"{size / 1000:,.0f} kB" if size >= _WHOLE_FROM else f"{size / 1000:.1f}".removesuffix(".0") + " kB"
