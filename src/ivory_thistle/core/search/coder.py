"""What a search is given, and what it delivers."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Generic, Protocol, TypeVar

from ivory_thistle.core.search.scale import Scale


class Sized(Protocol):
    """What an encoder delivers, as far as a search asks."""

    @property
    def bytes(self) -> int:
        """Size of the file."""
        ...


E = TypeVar("E", bound=Sized)


@dataclass(frozen=True, slots=True)
class Point:
    """One setting that was tried: bytes of the file, and its score. `probe`: by the quick encoder."""

    setting: int
    bytes: int
    score: float
    probe: bool = False


@dataclass(frozen=True, slots=True)
class Hint:
    """What is known before a search.

    `start`: the setting to begin at. `gain`: by how many points the thorough encoder scores above the quick one.
    `sure`: other searches of the picture point there, so that a probe would tell nothing new.
    """

    start: float
    gain: float = 0.0
    sure: bool = False


@dataclass(frozen=True, slots=True)
class Found(Generic[E]):
    """The setting taken with its file; `met` is false where the goal can't be met within the encoder's range.

    `points` are all tries in their order; `hint` is what this search learnt for the next of the same picture.
    """

    setting: int
    score: float
    encoded: E
    met: bool
    points: tuple[Point, ...]
    hint: Hint


@dataclass(frozen=True, slots=True)
class Coder(Generic[E]):
    """One encoder for one picture: thorough and quick encodes by setting, a judge, the settings' range and scale.

    `glance` judges probes: faster, and about the same. `twins` give the same file as the setting one lower.
    """

    encode: Callable[[int], E]
    judge: Callable[[E], float]
    limits: tuple[int, int]
    scale: Scale
    probe: Callable[[int], E] | None = None
    glance: Callable[[E], float] | None = None
    twins: Collection[int] = ()
