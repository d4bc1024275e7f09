"""What one page weighs on one screen in one tier, before and after."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from ivory_thistle.core.selection.loads import Loaded


@dataclass(frozen=True, slots=True)
class Weight:
    """Image bytes and image requests of one visit: at opening, and scrolled through to the end."""

    opening: int
    scrolled: int
    requests_at_opening: int
    requests: int

    @classmethod
    def of(cls, loaded: Iterable[Loaded]) -> Weight:
        """The weight of files that are loaded."""
        files = tuple(loaded)
        first = tuple(one for one in files if one.opening)
        return cls(sum(f.bytes for f in first), sum(f.bytes for f in files), len(first), len(files))

    def bytes(self, opening: bool) -> int:
        """Bytes at opening, or scrolled through."""
        return self.opening if opening else self.scrolled

    def count(self, opening: bool) -> int:
        """Requests at opening, or scrolled through."""
        return self.requests_at_opening if opening else self.requests


NOTHING = Weight(0, 0, 0, 0)


@dataclass(frozen=True, slots=True)
class Measured:
    """What Chromium really loaded, before and after; the largest paint in milliseconds, where it was timed."""

    before: Weight
    after: Weight
    paint_before: float | None = None
    paint_after: float | None = None

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Measured:
        """The same again."""
        weights = {side: Weight(**values[side]) for side in ("before", "after")}
        return cls(**weights, paint_before=values["paint_before"], paint_after=values["paint_after"])
