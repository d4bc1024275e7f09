"""A rendition: one encoded output of an image. The same facts are made, stored, named and handed over."""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields
from typing import Any

from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.search import Point

CARD = (1200, 630)
"""Pixels that a social card needs at most; common practice, no source."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RenditionFacts:
    """A rendition without its content; `settings` is how it was encoded, `score` how it looks (None: not judged).

    `how` are the same settings for the encoder (None: not known), `points` all that a search tried of it by the same
    encoder, as setting, bytes and score.
    """

    tier: Tier
    format: FormatName
    width: int
    height: int
    bytes: int
    sha256: str
    settings: str = ""
    score: float | None = None
    how: Settings | None = None
    points: tuple[Point, ...] = ()

    @property
    def quality(self) -> int | None:
        """Its quality on its encoder's scale; None without loss, of a palette, or where that is not known."""
        return self.how.quality if self.how and not self.how.palette and self.how.near is None else None

    @property
    def mime(self) -> str:
        """Its media type, for the `type` of a source."""
        return FORMATS[self.format].mime


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendition(RenditionFacts):
    """A rendition with its content."""

    data: bytes


_NAMES = tuple(field.name for field in fields(RenditionFacts))
_HOW_IT_WAS_MADE = ("how", "points")


def fields_of(rendition: Any) -> dict[str, Any]:
    """The facts of a rendition, or of a row that holds one, by name."""
    return {name: getattr(rendition, name) for name in _NAMES}


def plain_fields(rendition: Any) -> dict[str, Any]:
    """The same as plain values, for a database or JSON."""
    found = fields_of(rendition)
    if isinstance(found["how"], Settings):
        found["how"] = asdict(found["how"])
    found["points"] = [[p.setting, p.bytes, p.score] if isinstance(p, Point) else p for p in found["points"] or ()]
    return found


def told_fields(rendition: RenditionFacts) -> dict[str, Any]:
    """What a manifest tells of a rendition."""
    return {name: value for name, value in fields_of(rendition).items() if name not in _HOW_IT_WAS_MADE}


def facts_from(values: dict[str, Any]) -> RenditionFacts:
    """A rendition's facts from plain values. Raises TypeError where they are none."""
    how, points = values.get("how"), values.get("points") or ()
    tried = tuple(Point(*point) for point in points)
    return RenditionFacts(**{**values, "how": Settings(**how) if how else None, "points": tried})


def facts_of(rendition: Any) -> RenditionFacts:
    """A rendition, or a row that holds one, as facts alone."""
    return facts_from(plain_fields(rendition))
