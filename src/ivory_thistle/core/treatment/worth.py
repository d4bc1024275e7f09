"""Which modern tiers are worth their files, by bytes alone."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.words import kb


@dataclass(frozen=True, slots=True)
class Load:
    """Bytes of a tier's files that browsers load of an image: at all widths together, and at the widest."""

    tier: Tier
    format: FormatName
    together: int
    widest: int
    files: int = 1

    @property
    def label(self) -> str:
        """The format's name for people."""
        return FORMATS[self.format].label

    @classmethod
    def of(cls, tier: Tier, form: FormatName, sizes: Sequence[int]) -> Load:
        """Of files by rising width, in bytes."""
        return cls(tier, form, together=sum(sizes), widest=sizes[-1], files=len(sizes))

    def saves_over(self, older: Load, besides: str = "") -> str:
        """What it saves over an older tier's, as a sentence; `besides` is told in its brackets."""
        share = 100 * (1 - self.together / older.together)
        sizes = f"{kb(older.together)} to {kb(self.together)}"
        return f"{self.label} saves {share:.0f} % over {older.label} ({sizes}{besides})."


@dataclass(frozen=True, slots=True)
class Dropped:
    """A modern tier that is not kept: it gains too little on an older one, or a newer one takes its place."""

    load: Load
    beside: Load
    is_replaced: bool

    @property
    def words(self) -> str:
        """Why, as a sentence."""
        size, other = kb(self.load.together), kb(self.beside.together)
        if self.is_replaced:
            return f"{self.load.label} dropped: {self.beside.label} takes its place, {other} against {size}."
        return f"{self.load.label} dropped: {size} against {other} is not worth a file."


def worthwhile(fallback: Load, modern: Iterable[Load], rules: Rules) -> tuple[list[Load], list[Dropped]]:
    """What is kept, the fallback first, and what is dropped; `modern` goes from older tiers to newer ones.

    Each tier gains enough on the one before. A lighter tier that gains too little to stand beside another takes its
    place: nearly all visitors have a browser that shows the newest (99 %, `core.reports.browser_shares`).
    """
    kept, dropped = [fallback], list[Dropped]()
    for mine in modern:
        before = kept[-1]
        if mine.widest < before.widest and rules.tier_is_worth_it(before.together, mine.together, mine.files):
            kept.append(mine)
        elif len(kept) > 1 and mine.together < before.together and mine.widest < kept[-2].widest:
            dropped.append(Dropped(before, mine, is_replaced=True))
            kept[-1] = mine
        else:
            dropped.append(Dropped(mine, before, is_replaced=False))
    return kept, dropped
