"""The look that renditions must keep, as a score, and the files that keep it with the fewest bytes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from ivory_thistle.core.encoders import Encoded, encode_avif, encode_jpeg, encode_png, encode_webp
from ivory_thistle.core.images.pixels import Pixels, decode_plain
from ivory_thistle.core.images.sniff import NAMES
from ivory_thistle.core.quality import Prepared, prepare, score
from ivory_thistle.core.search import Found, fewest_bytes
from ivory_thistle.core.treatment.rules import Tier

Fidelity = Literal["exacting", "faithful", "everyday", "lean"]
FIDELITIES: Mapping[Fidelity, int] = {"exacting": 85, "faithful": 75, "everyday": 65, "lean": 50}
"""SSIMULACRA 2 scores: 90 is as good as the original to the eye, 70 high, 50 medium."""

_LIMITS: Mapping[Tier, tuple[int, int]] = {"avif": (20, 95), "webp": (20, 96), "baseline": (25, 96)}
# Where a search begins: the qualities found on average for the four fidelities, over Debian's mate-backgrounds at 480
# and 1,200 px (docs/decisions/0008).
_MEASURED = (50, 65, 75, 85)
_STARTS: Mapping[Tier, tuple[int, int, int, int]] = {
    "avif": (31, 43, 55, 78),
    "webp": (28, 55, 78, 92),
    "baseline": (33, 51, 71, 88),
}


class Levels:
    """The ladder of one image, decoded, with each rung's side of the score prepared once for all formats."""

    def __init__(self, levels: Sequence[Pixels]) -> None:
        self.levels = levels
        self._prepared: dict[int, Prepared] = {}

    def judge(self, number: int, encoded: Encoded) -> float:
        """The score of a file against a rung."""
        if number not in self._prepared:
            self._prepared[number] = prepare(self.levels[number].array)
        return score(self._prepared[number], decode_plain(encoded.data, encoded.format == "avif"))


def encode_at(tier: Tier, pixels: Pixels, quality: int, graphic: bool, fine_colour: bool = False) -> Encoded:
    """One file of a tier at a quality; graphics without loss, but for AVIF, which is bad at that.

    `fine_colour` spends more on chroma where the format can: 4:4:4 in AVIF, a sharper conversion in WebP.
    """
    if tier == "avif":
        return encode_avif(pixels, quality, full_colour=graphic or fine_colour)
    if tier == "webp":
        return encode_webp(pixels, None if graphic else quality, sharp=fine_colour)
    if graphic or pixels.has_alpha:
        return encode_png(pixels)
    return encode_jpeg(pixels, quality)


def encode_to_fidelity(tier: Tier, levels: Levels, graphic: bool, fidelity: int) -> tuple[list[Encoded], list[str]]:
    """The files of a tier by rising width, and a sentence for each that can't keep the fidelity.

    The widest rung is searched first; every other starts from what the one above it took. Where plain chroma can't keep
    the fidelity, finer chroma is tried. Lossless files need no search.
    """
    if (graphic and tier != "avif") or (tier == "baseline" and levels.levels[0].has_alpha):
        return [encode_at(tier, pixels, 0, graphic) for pixels in levels.levels], []
    start, fine = round(float(np.interp(fidelity, _MEASURED, _STARTS[tier]))), False
    made: list[Encoded] = []
    words = []
    for number in reversed(range(len(levels.levels))):
        found = _search(tier, levels, number, graphic, fidelity, start, fine)
        if not found.met and not fine and tier != "baseline":
            fine = True
            found = _search(tier, levels, number, graphic, fidelity, start, fine)
        start = found.setting
        made.append(replace(found.encoded, settings=f"{found.encoded.settings}, score {found.score:.1f}"))
        if not found.met:
            name, width = NAMES[found.encoded.format], found.encoded.width
            words.append(f"{name} at {width} px scores {found.score:.0f} at its best; {fidelity} was asked for.")
    return made[::-1], words


def _search(
    tier: Tier, levels: Levels, number: int, graphic: bool, fidelity: int, start: int, fine: bool
) -> Found[Encoded]:
    pixels = levels.levels[number]
    return fewest_bytes(
        lambda quality: encode_at(tier, pixels, quality, graphic, fine),
        lambda encoded: levels.judge(number, encoded),
        fidelity,
        _LIMITS[tier],
        start,
    )
