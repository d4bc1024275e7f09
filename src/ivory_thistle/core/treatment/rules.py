"""Rules: a site's standing choices for its images."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Literal, get_args

Tier = Literal["avif", "webp", "baseline"]
TIERS: tuple[Tier, ...] = get_args(Tier)
"""Audience tiers, the most modern first: what a visitor's browser shows."""
MODERN_TIERS: tuple[Tier, ...] = ("avif", "webp")


@dataclass(frozen=True, slots=True)
class Rules:
    """Encoder qualities, widths in pixels, sizes in bytes, shares between 0 and 1.

    `fidelity` is the score that every lossy file must keep, found by search; 0: the qualities are taken as they are.

    Defaults are common practice without a source: WebP 80, JPEG 80, AVIF between 50 and 90 (56 has about the
    structural similarity of JPEG 80 on the photographs measured, docs/decisions/0004); a hero 1,920 px wide;
    phones, columns and content at about 480, 960 and 1,440; small files are best left alone.
    """

    fidelity: int = 0
    avif_quality: int = 56
    webp_quality: int = 80
    jpeg_quality: int = 80
    max_width: int = 1920
    widths: tuple[int, ...] = (480, 960, 1440, 1920)
    leave_below_bytes: int = 6_000
    worth_share: float = 0.05
    worth_bytes: int = 1_000

    def replacement_is_worth_it(self, before: int, after: int) -> bool:
        """True when `after` saves at least the share or the bytes that a replacement must save."""
        saved = before - after
        return saved > 0 and (saved >= before * self.worth_share or saved >= self.worth_bytes)

    def tier_is_worth_it(self, next_tier: int, tier: int) -> bool:
        """True when a tier's files save at least the share over those of the next, older tier."""
        return tier <= next_tier * (1 - self.worth_share)

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for a manifest or a database."""
        return asdict(self)

    @classmethod
    def from_dict(cls, values: dict[str, Any]) -> Rules:
        """Rules from plain values; names that rules do not know are ignored."""
        known = {k: v for k, v in values.items() if k in cls.__dataclass_fields__}
        if "widths" in known:
            known["widths"] = tuple(known["widths"])
        return cls(**known)
