"""A rendition: one encoded output of an image. The same facts are made, stored, named and handed over."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import Tier

CARD = (1200, 630)
"""Pixels that a social card needs at most; common practice, no source."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RenditionFacts:
    """A rendition without its content; `settings` is how it was encoded, `score` how it looks (None: not judged)."""

    tier: Tier
    format: FormatName
    width: int
    height: int
    bytes: int
    sha256: str
    settings: str = ""
    score: float | None = None

    @property
    def mime(self) -> str:
        """Its media type, for the `type` of a source."""
        return FORMATS[self.format].mime


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendition(RenditionFacts):
    """A rendition with its content."""

    data: bytes


_NAMES = tuple(field.name for field in fields(RenditionFacts))


def fields_of(rendition: Any) -> dict[str, Any]:
    """The facts of a rendition, or of a row that holds one, by name."""
    return {name: getattr(rendition, name) for name in _NAMES}


def facts_of(rendition: Any) -> RenditionFacts:
    """A rendition, or a row that holds one, as facts alone."""
    return RenditionFacts(**fields_of(rendition))
