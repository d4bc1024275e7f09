"""The model of bytes: what a file weighs by its pixels, by how busy the picture is, and by the look that it keeps.

Fitted on published photographs and screenshots by scripts/fit_forecast.py, which writes `coefficients`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from math import exp, log
from operator import attrgetter, mul
from typing import ClassVar, Protocol

from ivory_thistle.core.forecast.probes import Probe

_SEEN = (-2.5, 1.5)
"""Further from 75 than so many tens of points, the curve over the fidelity bends no more: 50 to 85 were fitted."""
_MEGA = log(1e6)
_GROWTH = 1.6
"""Bytes grow with about this power of the width."""


Terms = Callable[["Subject", int, float], tuple[float, ...]]
"""What each coefficient of a model is multiplied by, for a file of a width and a fidelity."""


@dataclass(slots=True)
class Subject:
    """A picture as the model sees it: `detail` and `grain` as in `Look`, its own bytes and pixels across."""

    detail: Sequence[Sequence[int]]
    grain: float
    bytes: int
    width: int
    height: int
    probe: Probe | None = None
    growth: float = field(init=False)
    _known: dict[int, float] = field(default_factory=dict)
    _pixels: dict[int, float] = field(default_factory=dict)
    _asked: dict[tuple[Terms, int, float], tuple[float, ...]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """With which power of the width its bytes grow."""
        self.growth = _GROWTH
        if len(self.detail) > 1:
            (w0, b0), (w1, b1) = self.detail[0], self.detail[-1]
            self.growth = (log(b1) - log(b0)) / (log(w1) - log(w0))

    def pixels(self, width: int) -> float:
        """Pixels of a file so wide."""
        known = self._pixels.get(width)
        if known is None:
            known = self._pixels[width] = max(1.0, width * float(width) * self.height / max(1, self.width))
        return known

    def terms(self, terms: Terms, width: int, fidelity: float) -> tuple[float, ...]:
        """A model's terms for a file, which are the same for all formats."""
        asked = terms, width, fidelity
        known = self._asked.get(asked)
        if known is None:
            known = self._asked[asked] = terms(self, width, fidelity)
        return known

    def log_plain(self, width: int) -> float:
        """ln of what a plain JPEG would weigh at a width: on a line between (and beyond) those that are known."""
        known = self._known.get(width)
        if known is None:
            known = self._known[width] = self._log_plain(width)
        return known

    def _log_plain(self, width: int) -> float:
        if not self.detail:
            return log(max(1.0, 0.6 * self.bytes * (width / max(1, self.width)) ** _GROWTH))
        points = [(log(w), log(max(1, size))) for w, size in self.detail]
        if len(points) == 1:
            return points[0][1] + _GROWTH * (log(width) - points[0][0])
        n = next((n for n in range(1, len(points)) if points[n][0] >= log(width)), len(points) - 1)
        (x0, y0), (x1, y1) = points[n - 1], points[n]
        return y1 + (y1 - y0) / (x1 - x0) * (log(width) - x1)


class Model(Protocol):
    """What all models tell. `TERMS` names their coefficients in the order of `terms`, `spread` is what they leave.

    Formats are off together: beside the fallback's file of the same picture and width, one is off by `beside`.
    """

    TERMS: ClassVar[tuple[str, ...]]

    @property
    def spread(self) -> float:
        """The standard deviation that is left, as a share."""
        ...

    @property
    def beside(self) -> float:
        """That of a file beside the fallback's."""
        ...

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file."""
        ...

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> tuple[float, ...]:
        """What each coefficient is multiplied by."""
        ...


@dataclass(frozen=True, slots=True)
class Plain:
    """Without a closer look: ln of bytes a pixel, by those of a plain JPEG, and how they grow with the width."""

    TERMS = ("constant", "busy", "pixels", "growth", "grain", "fidelity", "bent")
    constant: float
    busy: float
    pixels: float
    growth: float
    grain: float
    spread: float
    beside: float
    fidelity: float = 0.0
    bent: float = 0.0

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file."""
        return exp(_sum(_PLAIN(self), of.terms(self.terms, width, fidelity))) * of.pixels(width)

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> tuple[float, ...]:
        """What each coefficient is multiplied by."""
        logged, off = log(of.pixels(width)), (fidelity - 75) / 10
        return 1.0, of.log_plain(width) - logged, logged - _MEGA, of.growth, of.grain, off, _bent(off)


@dataclass(frozen=True, slots=True)
class Probed:
    """After a closer look: ln of bytes a pixel, by those that small files take for the same look."""

    TERMS = ("constant", "avif", "jpeg", "wider", "pixels", "grain", "fidelity", "bent")
    constant: float
    avif: float
    jpeg: float
    wider: float
    pixels: float
    grain: float
    fidelity: float
    bent: float
    spread: float
    beside: float

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file of a picture that was looked at closer."""
        fidelity = max(fidelity, self._turn(of))
        return exp(_sum(_PROBED(self), of.terms(self.terms, width, fidelity))) * of.pixels(width)

    def _turn(self, of: Subject) -> float:
        """The fidelity below which the fitted curve would rise again: no file gets heavier for looking worse."""
        if self.bent <= 0 or of.probe is None:
            return 0.0
        rise = 10 * (self.avif * of.probe.slope("avif") + self.jpeg * of.probe.slope("jpeg")) + self.fidelity
        return 75 - 10 * rise / (2 * self.bent)

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> tuple[float, ...]:
        """What each coefficient is multiplied by."""
        assert of.probe is not None, "it was not looked at closer"
        logged, off, small = log(of.pixels(width)), (fidelity - 75) / 10, log(of.probe.pixels)
        wider = of.log_plain(width) - logged - of.log_plain(of.probe.width) + small
        avif, jpeg = (of.probe.log_bytes(name, fidelity) - small for name in ("avif", "jpeg"))
        return 1.0, avif, jpeg, wider, logged - _MEGA, of.grain, off, _bent(off)


@dataclass(frozen=True, slots=True)
class Drawn:
    """Of drawings kept without loss or nearly so: ln of bytes, by those of the original and of a plain JPEG."""

    TERMS = ("constant", "original", "busy", "narrower")
    constant: float
    original: float
    busy: float
    narrower: float
    spread: float
    beside: float

    def bytes(self, of: Subject, width: int, fidelity: float) -> float:
        """Bytes of a file; `fidelity` changes nothing."""
        return exp(_sum(_DRAWN(self), of.terms(self.terms, width, fidelity)))

    @staticmethod
    def terms(of: Subject, width: int, fidelity: float) -> tuple[float, ...]:
        """What each coefficient is multiplied by."""
        return 1.0, log(max(1, of.bytes)), of.log_plain(width), log(width / max(1, of.width))


_PLAIN, _PROBED, _DRAWN = (attrgetter(*model.TERMS) for model in (Plain, Probed, Drawn))


def _bent(off: float) -> float:
    """The square of how far a fidelity is from 75, no further than fidelities were seen."""
    return min(max(off, _SEEN[0]), _SEEN[1]) ** 2


def _sum(coefficients: Sequence[float], terms: Sequence[float]) -> float:
    return float(sum(map(mul, coefficients, terms)))
