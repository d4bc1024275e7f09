"""What is expected of one image, and which of its files a browser loads."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field
from math import inf

from ivory_thistle.core.forecast.sizes import Modelled, Sizes
from ivory_thistle.core.formats.tiers import BASELINE, Tier, and_older

Rungs = tuple[Sequence[float], Sequence[tuple[int, int]]]


@dataclass(frozen=True, slots=True)
class Expected:
    """What is expected of one image: kept files by tier and width, and the seconds of one worker that they take.

    `top` is the widest file that is planned: where no fallback is so wide, the original stays for that. `apart` are
    bytes of files that pages take only in places of one address. `spread` is by what share an
    image of its kind is off, 0 where the files were really made. `has_files`: they were, or were sketched.
    `beside` is how many more files and bytes are likely than `files` says: which tiers are worth theirs is not sure.
    """

    path: str
    original: int
    files: Sizes = field(default_factory=dict)
    top: int = 0
    apart: int = 0
    seconds: float = 0.0
    spread: float = 0.0
    model: Modelled | None = None
    has_files: bool = False
    beside: tuple[float, float] = (0.0, 0.0)

    def loaded(self, tier: Tier, needed: float, before: int) -> tuple[int, int]:
        """Width and bytes of the file that a browser of a tier loads for a box of so many pixels across.

        (0, before) where it stays with the original.
        """
        limits, files = self.rungs(tier)
        n = bisect_left(limits, needed)
        return files[n] if n < len(files) else (0, before)

    def rungs(self, tier: Tier) -> Rungs:
        """What a tier's browsers choose among: up to how many pixels each serves, and its width and bytes.

        For what asks for more than the last, the original stays.
        """
        for older in and_older(tier):
            files = self.files.get(older)
            if not files:
                continue
            in_order = sorted(files.items())
            limits: list[float] = [width for width, _ in in_order]
            if older != BASELINE or limits[-1] >= self.top:
                # The widest serves whatever asks for more.
                limits[-1] = inf
            return limits, in_order
        return (), ()

    @property
    def count(self) -> float:
        """How many files will be kept, on average over images of which as much is known."""
        return sum(len(files) for files in self.files.values()) + (self.apart > 0) + self.beside[0]

    @property
    def bytes(self) -> int:
        """What all kept files take together, on average over images of which as much is known."""
        return round(sum(sum(files.values()) for files in self.files.values()) + self.apart + self.beside[1])

    @property
    def is_known(self) -> bool:
        """Whether the files were really made."""
        return not self.spread


@dataclass(frozen=True, slots=True)
class Before:
    """Files that were made or sketched of a picture, and the seconds of one worker that they took (0: not known)."""

    files: Sizes
    seconds: float = 0.0
