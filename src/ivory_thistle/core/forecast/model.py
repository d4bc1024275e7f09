"""The model of bytes: what a file weighs by its pixels, by how busy the picture is, and by the look that it keeps.

Fitted on published photographs and screenshots by scripts/fit_forecast.py, which writes `coefficients`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log

from ivory_thistle.core.forecast.probes import Probe

_SEEN = (-2.0, 1.5)
_GROWTH = 1.6
"""Bytes grow with about this power of the width."""


@dataclass(frozen=True, slots=True)
class Subject:
    """A picture as the model sees it: `detail` and `grain` as in `Look`, its own bytes and pixels across."""

    detail: Sequence[Sequence[int]]
    grain: float
    bytes: int
    width: int
    height: int
    probe: Probe | None = None

    def pixels(self, width: int) -> float:
        """Pixels of a file so wide."""
        return max(1.0, width * float(width) * self.height / max(1, self.width))

    def plain(self, width: int) -> float:
        """What a plain JPEG would weigh at a width: on a line between (and beyond) the widths where that is known."""
        if not self.detail:
            share = (width / max(1, self.width)) ** _GROWTH
            return float(max(1.0, 0.6 * self.bytes * share))
        points = [(log(w), log(max(1, size))) for w, size in self.detail]
        if len(points) == 1:
            return exp(points[0][1] + _GROWTH * (log(width) - points[0][0]))
        n = next((n for n in range(1, len(points)) if points[n][0] >= log(width)), len(points) - 1)
        (x0, y0), (x1, y1) = points[n - 1], points[n]
        return exp(y1 + (y1 - y0) / (x1 - x0) * (log(width) - x1))

    @property
    def growth(self) -> float:
        """With which power of the width its bytes grow."""
        if len(self.detail) < 2:
            return _GROWTH
        (w0, b0), (w1, b1) = self.detail[0], self.detail[-1]
        return (log(b1) - log(b0)) / (log(w1) - log(w0))


@dataclass(frozen=True, slots=True)
class Plain:
    """Without a closer look: ln of bytes a pixel is a sum of these times what a plain JPEG has, and so on.

    `spread` is the standard deviation that is left, as a share.
    """

    constant: float
    busy: float
    pixels: float
    growth: float
    grain: float
    spread: float
    fidelity: float = 0.0
    bent: float = 0.0

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file."""
        return _bytes(self, self.terms(of, width, fidelity), of.pixels(width))

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> dict[str, float]:
        """What each coefficient is multiplied by."""
        pixels, off = of.pixels(width), (fidelity - 75) / 10
        return {
            "constant": 1.0, "busy": log(of.plain(width) / pixels), "pixels": log(pixels / 1e6), "growth": of.growth,
            "grain": of.grain, "fidelity": off, "bent": _bent(off),
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class Probed:
    """After a closer look: from the bytes that small files take for the same look."""

    constant: float
    avif: float
    jpeg: float
    wider: float
    pixels: float
    grain: float
    fidelity: float
    bent: float
    spread: float

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file of a picture that was looked at closer."""
        return _bytes(self, self.terms(of, width, fidelity), of.pixels(width))

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> dict[str, float]:
        """What each coefficient is multiplied by."""
        assert of.probe is not None, "it was not looked at closer"
        pixels, off, small = of.pixels(width), (fidelity - 75) / 10, log(of.probe.pixels)
        wider = log(of.plain(width) / pixels) - log(of.plain(of.probe.width)) + small
        return {
            "constant": 1.0, "avif": of.probe.log_bytes("avif", fidelity) - small,
            "jpeg": of.probe.log_bytes("jpeg", fidelity) - small, "wider": wider, "pixels": log(pixels / 1e6),
            "grain": of.grain, "fidelity": off, "bent": _bent(off),
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class Drawn:
    """Of drawings kept without loss or nearly so: ln of bytes by those of the original and of a plain JPEG."""

    constant: float
    original: float
    busy: float
    narrower: float
    spread: float

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file; `fidelity` changes nothing."""
        return exp(sum(getattr(self, name) * term for name, term in self.terms(of, width, fidelity).items()))

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> dict[str, float]:
        """What each coefficient is multiplied by."""
        return {
            "constant": 1.0, "original": log(max(1, of.bytes)), "busy": log(of.plain(width)),
            "narrower": log(width / max(1, of.width)),
        }  # fmt: skip


def _bent(off: float) -> float:
    """The square of how far a fidelity is from 75, no further than fidelities were seen."""
    return min(max(off, _SEEN[0]), _SEEN[1]) ** 2


def _bytes(model: Plain | Probed, terms: dict[str, float], pixels: float) -> float:
    return exp(sum(getattr(model, name) * term for name, term in terms.items())) * pixels
