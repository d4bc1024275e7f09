"""The model of bytes: what a file weighs by its pixels, by how busy the picture is, and by the look that it keeps.

Fitted on published photographs and screenshots by scripts/fit_forecast.py, which writes `coefficients`. Thousands of
files are asked about at once: what is told of them are columns, arrays with an entry for each file.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from math import inf, log
from operator import attrgetter
from typing import Any, ClassVar, Protocol

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.forecast.probes import Probe

_SEEN = (-2.5, 1.5)
"""Further from 75 than so many tens of points, the curve over the fidelity bends no more: 50 to 85 were fitted."""
_MEGA = log(1e6)
_GROWTH = 1.6
"""Bytes grow with about this power of the width."""

Column = NDArray[np.float64]
Terms = tuple[Column | float, ...]
Point = tuple[float, float]
"""ln of a width, and of the bytes of a plain JPEG so wide."""


@dataclass(slots=True)
class Subject:
    """A picture as the model sees it: `detail` and `grain` as in `Look`, its own bytes and pixels across.

    `points` are the bytes of plain JPEGs, two at least; `busy` is ln of bytes a pixel of the widest that is known;
    with the power `growth` of the width they grow.
    """

    detail: Sequence[Sequence[int]]
    grain: float
    bytes: int
    width: int
    height: int
    probe: Probe | None = None
    points: list[Point] = field(init=False)
    growth: float = field(init=False)
    busy: float = field(init=False)

    def __post_init__(self) -> None:
        """Works out what follows from the bytes of plain JPEGs."""
        points = [(log(width), log(max(1, size))) for width, size in self.detail]
        points = points or [(log(max(1, self.width)), log(max(1.0, 0.6 * self.bytes)))]
        (x0, y0), (x1, y1) = points[0], points[-1]
        self.growth = (y1 - y0) / (x1 - x0) if len(points) > 1 else _GROWTH
        self.busy = y1 - 2 * x1 - log(max(1, self.height) / max(1, self.width))
        self.points = points if len(points) > 1 else [(x0, y0), (x0 + 1, y0 + _GROWTH)]

    def log_plain(self, width: int) -> float:
        """ln of what a plain JPEG would weigh at a width: on a line between (and beyond) those that are known."""
        x = log(width)
        n = next((n for n in range(1, len(self.points)) if self.points[n][0] >= x), len(self.points) - 1)
        (x0, y0), (x1, y1) = self.points[n - 1], self.points[n]
        return y1 + (y1 - y0) / (x1 - x0) * (x - x1)


@dataclass(frozen=True, slots=True)
class Files:
    """Files as columns. `plain`: ln of the bytes of a plain JPEG so wide; `original` and `across`: bytes and width of
    the file that each is made of.

    Of pictures that were looked at closer, at the size of their probes: `small` is ln of pixels, `small_plain` of the
    bytes of a plain JPEG; of the bytes that it takes for a score of 0 and how they rise with a point, `avif` and `jpeg`
    tell. They are not a number for others.
    """

    width: Column
    fidelity: Column
    pixels: Column
    plain: Column
    growth: Column
    grain: Column
    original: Column
    across: Column
    small: Column
    small_plain: Column
    avif: tuple[Column, Column]
    jpeg: tuple[Column, Column]

    @classmethod
    def of(cls, subjects: Sequence[Subject], picture: NDArray[np.intp], widths: Sequence[int]) -> Files:
        """Files of pictures, each with the number of its subject; nothing is asked of their fidelity yet."""
        width = np.asarray(widths, np.float64)
        told = np.array([_told(one) for one in subjects], np.float64).reshape(-1, _COLUMNS)[picture].T
        growth, grain, original, across, high, small, small_plain, avif, avif_slope, jpeg, jpeg_slope = told
        pixels = np.maximum(1.0, width * width * high / across)
        plain = _on_lines(subjects, picture, np.log(width))
        return cls(
            width=width, fidelity=np.full(len(width), np.nan), pixels=pixels, plain=plain, growth=growth, grain=grain,
            original=original, across=across, small=small, small_plain=small_plain, avif=(avif, avif_slope),
            jpeg=(jpeg, jpeg_slope),
        )  # fmt: skip

    def asked_for(self, fidelity: Column | float) -> Files:
        """The same files at other fidelities."""
        return replace(self, fidelity=np.broadcast_to(np.asarray(fidelity, np.float64), self.width.shape))

    def some(self, rows: NDArray[np.intp]) -> Files:
        """Only some of the files, by their numbers."""
        taken: dict[str, Any] = {}
        for name in self.__slots__:
            column = getattr(self, name)
            taken[name] = (column[0][rows], column[1][rows]) if isinstance(column, tuple) else column[rows]
        return Files(**taken)


_COLUMNS = 11
_UNKNOWN: tuple[float, ...] = (np.nan,) * 6


def _told(of: Subject) -> tuple[float, ...]:
    """What all files of a picture have in common."""
    probe, looked = of.probe, _UNKNOWN
    if probe:
        lines = [value for name in ("avif", "jpeg") for value in (probe.log_bytes(name, 0), probe.slope(name))]
        looked = log(probe.pixels), of.log_plain(probe.width), *lines
    return of.growth, of.grain, max(1, of.bytes), max(1, of.width), of.height, *looked


def _on_lines(subjects: Sequence[Subject], picture: NDArray[np.intp], x: Column) -> Column:
    """`Subject.log_plain` of many files; `x` are ln of widths."""
    most = max((len(one.points) for one in subjects), default=0)
    padded = np.array([[*one.points, *[(inf, inf)] * (most - len(one.points))] for one in subjects])
    known = padded.reshape(-1, most, 2)[picture]
    counts = np.array([len(one.points) for one in subjects], np.intp)[picture]
    right = np.clip((known[:, :, 0] < x[:, None]).sum(axis=1), 1, counts - 1)
    rows = np.arange(len(picture))
    (x0, y0), (x1, y1) = known[rows, right - 1].T, known[rows, right].T
    on_line: Column = y1 + (y1 - y0) / (x1 - x0) * (x - x1)
    return on_line


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

    def bytes(self, of: Files) -> Column:
        """Bytes of files."""
        ...

    @staticmethod
    def terms(of: Files) -> Terms:
        """What each coefficient is multiplied by."""
        ...


@dataclass(frozen=True, slots=True)
class Plain:
    """Without a closer look: ln of bytes a pixel, by those of a plain JPEG, and how they grow with the width."""

    TERMS: ClassVar[tuple[str, ...]] = ("constant", "busy", "pixels", "growth", "grain", "fidelity", "bent")
    constant: float
    busy: float
    pixels: float
    growth: float
    grain: float
    spread: float
    beside: float
    fidelity: float = 0.0
    bent: float = 0.0

    def bytes(self, of: Files) -> Column:
        """Bytes of files."""
        return np.exp(_sum(self, of)) * of.pixels

    @staticmethod
    def terms(of: Files) -> Terms:
        """What each coefficient is multiplied by."""
        logged, off = np.log(of.pixels), (of.fidelity - 75) / 10
        return 1.0, of.plain - logged, logged - _MEGA, of.growth, of.grain, off, _bent(off)


@dataclass(frozen=True, slots=True)
class Probed:
    """After a closer look: ln of bytes a pixel, by those that small files take for the same look."""

    TERMS: ClassVar[tuple[str, ...]] = ("constant", "avif", "jpeg", "wider", "pixels", "grain", "fidelity", "bent")
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

    def bytes(self, of: Files) -> Column:
        """Bytes of files of pictures that were looked at closer."""
        return np.exp(_sum(self, of.asked_for(np.maximum(of.fidelity, self._turn(of))))) * of.pixels

    def _turn(self, of: Files) -> Column | float:
        """The fidelity below which the fitted curve would rise again: no file gets heavier for looking worse."""
        if self.bent <= 0:
            return 0.0
        rise = 10 * (self.avif * of.avif[1] + self.jpeg * of.jpeg[1]) + self.fidelity
        return 75 - 10 * rise / (2 * self.bent)

    @staticmethod
    def terms(of: Files) -> Terms:
        """What each coefficient is multiplied by."""
        logged, off = np.log(of.pixels), (of.fidelity - 75) / 10
        wider = of.plain - logged - of.small_plain + of.small
        avif, jpeg = (base + slope * of.fidelity - of.small for base, slope in (of.avif, of.jpeg))
        return 1.0, avif, jpeg, wider, logged - _MEGA, of.grain, off, _bent(off)


@dataclass(frozen=True, slots=True)
class Drawn:
    """Of drawings kept without loss or nearly so: ln of bytes, by those of the original and of a plain JPEG."""

    TERMS: ClassVar[tuple[str, ...]] = ("constant", "original", "busy", "narrower")
    constant: float
    original: float
    busy: float
    narrower: float
    spread: float
    beside: float

    def bytes(self, of: Files) -> Column:
        """Bytes of files; their fidelity changes nothing."""
        return np.exp(_sum(self, of))

    @staticmethod
    def terms(of: Files) -> Terms:
        """What each coefficient is multiplied by."""
        return 1.0, np.log(of.original), of.plain, np.log(of.width / of.across)


def _bent(off: Column) -> Column:
    """The square of how far fidelities are from 75, no further than fidelities were seen."""
    return np.clip(off, *_SEEN) ** 2


def _sum(model: Model, of: Files) -> Column:
    terms = zip(attrgetter(*model.TERMS)(model), model.terms(of), strict=True)
    return np.asarray(sum(coefficient * term for coefficient, term in terms), np.float64)
