"""What a check found of one load of a page."""

from __future__ import annotations

from dataclasses import dataclass

from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.quality.damage import Spot
from ivory_thistle.core.reports.weight import NOTHING, Measured, Weight
from ivory_thistle.intake.timing import Timed


@dataclass(frozen=True, slots=True)
class Placed:
    """An `img` of the original page: where its tag begins, its line, and the file it names."""

    at: int
    line: int
    path: str


@dataclass(frozen=True, slots=True)
class Wrong:
    """One thing that is wrong, and the `img`s that it is about, where that is known."""

    words: str
    placed: tuple[Placed, ...] = ()

    def __str__(self) -> str:
        where = ", ".join(f"line {p.line} ({p.path})" for p in self.placed[:3])
        return f"{self.words} See {where}." if where else self.words


@dataclass(frozen=True, slots=True)
class Checked:
    """One page on one screen in one tier: as loaded, as foretold from its markup (bytes), and what is wrong.

    `weights` are what came before and after. `score` is that of the page's picture, None where none could be judged;
    `spot` is where it differs most, in CSS px. `pictures` are JPEG files of the whole page before and after, one pixel
    a CSS px. `timed` is there for one screen and tier. `sure` is False for a page that is never twice the same, or
    can't be loaded before either. `asked` are the addresses that the page asked for.
    """

    page: str
    screen: str
    tier: Tier
    weights: tuple[Weight, Weight] = (NOTHING, NOTHING)
    foretold: int | None = None
    wrong: tuple[Wrong, ...] = ()
    score: float | None = None
    spot: Spot | None = None
    pictures: tuple[bytes, bytes] | None = None
    timed: Timed | None = None
    sure: bool = True
    asked: frozenset[str] = frozenset()

    @property
    def before(self) -> int:
        """Bytes of images before, scrolled through."""
        return self.weights[0].scrolled

    @property
    def after(self) -> int:
        """Bytes of images after, scrolled through."""
        return self.weights[1].scrolled

    @property
    def measured(self) -> Measured:
        """Both weights, with the largest paints where they were timed."""
        old, new = (self.timed.old, self.timed.new) if self.timed else (None, None)
        return Measured(*self.weights, old.milliseconds if old else None, new.milliseconds if new else None)
