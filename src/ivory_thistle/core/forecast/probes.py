"""A closer look at a picture: quick small files of it with their scores, which tell how hard it is to keep its look."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from math import log
from typing import Any

from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.pixels import Pixels, decode, decode_plain, on_white
from ivory_thistle.core.quality import prepare, score

QUALITIES: Mapping[FormatName, tuple[int, int]] = {"avif": (40, 65), "jpeg": (50, 80)}
"""Two of each: a line through them tells the bytes at other scores."""
_WIDTH = 480
_LOWEST = 30.0
"""Below this score, the line means nothing."""
_SLOPES = (0.02, 0.07)
"""Of ln bytes to a point of score: pictures lie between these."""


@dataclass(frozen=True, slots=True)
class Probe:
    """Files of one picture at a width: by format, bytes and score of the lower and the higher quality."""

    width: int
    pixels: int
    files: Mapping[FormatName, Sequence[tuple[int, float]]]

    def log_bytes(self, name: FormatName, fidelity: float) -> float:
        """The natural logarithm of the bytes that a file of this width has at a score."""
        high, high_score = self.files[name][1]
        return log(high) + self.slope(name) * (fidelity - max(high_score, _LOWEST))

    def slope(self, name: FormatName) -> float:
        """By how much the logarithm of the bytes rises with a point of score."""
        (low, low_score), (high, high_score) = self.files[name]
        slope = (log(high) - log(low)) / max(5.0, high_score - low_score)
        return min(max(slope, _SLOPES[0]), _SLOPES[1])

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Probe:
        """The same again."""
        files = {name: [(size, reached) for size, reached in pair] for name, pair in values["files"].items()}
        return cls(values["width"], values["pixels"], files)


def probe(data: bytes, facts: ImageFacts) -> Probe:
    """Looks closer at a still picture. Raises PictureError, EncodeError."""
    pixels = Pixels(on_white(decode(data, facts, min(_WIDTH, facts.width)).array))
    side = prepare(pixels.array)
    files: dict[FormatName, list[tuple[int, float]]] = {}
    for name, qualities in QUALITIES.items():
        encoder = FORMATS[name].encoder
        assert encoder is not None, f"{name} has no encoder"
        for quality in qualities:
            made = encoder.encode(pixels, Settings(quality, quick=True))
            reached = score(side, decode_plain(made.data, made.format))
            files.setdefault(name, []).append((made.bytes, round(reached, 2)))
    return Probe(pixels.width, pixels.width * pixels.height, files)
