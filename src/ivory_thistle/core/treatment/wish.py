"""What is asked of the files of one image, at each width, and what was made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ivory_thistle.core.formats.encoder import Encoded
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.images.metadata import NO_METADATA, Metadata
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.search import Point
from ivory_thistle.core.treatment.rules import Rules


@dataclass(frozen=True, slots=True)
class Rung:
    """One width of a ladder, in pixels; `dense`: only dense screens load it."""

    pixels: Pixels
    dense: bool = False


@dataclass(frozen=True, slots=True)
class Made:
    """One finished file; `score` is None where nothing was judged, `met` False where it falls short of the goal.

    `points` is all that was tried for it, `goal` the fidelity of its rung.
    """

    encoded: Encoded
    score: float | None = None
    met: bool = True
    points: tuple[Point, ...] = ()
    goal: int = 0


@dataclass(frozen=True, slots=True)
class Wish:
    """What is asked of the files of one image: `fidelity` of one rung, its cap in bytes (0: none), or fixed qualities.

    `drawn`: graphics, lettering and line art that no lossy format has spoilt yet. `fallback`: the format that is asked
    for fallbacks (None: as suits the picture).
    """

    rules: Rules
    drawn: bool
    fidelity: Callable[[Rung], int]
    metadata: Metadata = NO_METADATA
    fallback: FormatName | None = None


@dataclass(frozen=True, slots=True)
class Files:
    """Files by tier and rung, and in words why tiers were given up before all of theirs were made."""

    made: dict[Tier, list[Made]]
    given_up: dict[Tier, str]
