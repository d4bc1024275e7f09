"""Screens: the viewports that pages are judged on."""

from __future__ import annotations

from dataclasses import dataclass

USEFUL_DENSITY = 2.0
"""Device pixels a CSS px up to which a picture gains from more of its own (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Screen:
    """A viewport of `width` x `height` CSS px at `density` device pixels a CSS px.

    `dark`: its visitor prefers dark pages. `touch`: it is pointed at with fingers, which can't hover.
    """

    name: str
    width: int
    height: int
    density: float = 1.0
    dark: bool = False
    touch: bool = False

    @property
    def useful_density(self) -> float:
        """The pixels a CSS px that a picture needs on it."""
        return min(self.density, USEFUL_DENSITY)


DEFAULT_SCREENS = (
    Screen("phone", 390, 844, 3, touch=True),
    Screen("tablet", 820, 1180, 2, touch=True),
    Screen("laptop", 1440, 900, 2),
    Screen("desktop", 1920, 1080, 1),
)
