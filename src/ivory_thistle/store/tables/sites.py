"""Sites, and what a person chose for them."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import UniqueConstraint
from sqlalchemy.dialects.mysql import BINARY
from sqlalchemy.orm import Mapped, mapped_column

from ivory_thistle.store.tables.base import OPTIONS, Base, Digest, Path, Text, When, Words, key, now


class Site(Base):
    """One website under care. `removed_at`: taken off the list, can be put back.

    `page_budget` (bytes) is the widest budget; `budgets` narrows it and caps images (`Policy.as_dict`). `screens`,
    `connections`, `lazy_attributes` and `audience` (shares of visitors) are None for the defaults. `views` are a
    month's page views by page and device; `rules` what its images are treated by (`Rules.as_dict`).
    """

    __tablename__ = "site"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Words(190))
    page_budget: Mapped[int]
    budgets: Mapped[dict[str, Any] | None]
    screens: Mapped[list[Any] | None]
    connections: Mapped[list[Any] | None]
    lazy_attributes: Mapped[list[Any] | None]
    rules: Mapped[dict[str, Any] | None]
    audience: Mapped[dict[str, Any] | None]
    views: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(When, default=now)
    removed_at: Mapped[datetime | None] = mapped_column(When)


class NamedRules(Base):
    """Rules under a name, for any site to be held to (`Rules.as_dict`)."""

    __tablename__ = "named_rules"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Words(100))
    rules: Mapped[dict[str, Any]]
    kept_at: Mapped[datetime] = mapped_column(When, default=now)
    __table_args__ = (UniqueConstraint("name"), OPTIONS)


class RoleChoice(Base):
    """A role given by hand to the paths that match a pattern; it belongs to the site and outlives captures."""

    __tablename__ = "role_choice"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = key("site.id")
    pattern: Mapped[str] = mapped_column(Path)
    pattern_hash: Mapped[bytes] = mapped_column(BINARY(32))
    role: Mapped[str] = mapped_column(Words(16))
    __table_args__ = (UniqueConstraint("site_id", "pattern_hash"), OPTIONS)


class WordingChoice(Base):
    """An alternative text of an image on a page, or the new name of an image file, as decided; outlives captures."""

    __tablename__ = "wording_choice"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = key("site.id")
    kind: Mapped[str] = mapped_column(Words(16))
    page: Mapped[str] = mapped_column(Path)
    path: Mapped[str] = mapped_column(Path)
    place_hash: Mapped[bytes] = mapped_column(BINARY(32))
    text: Mapped[str] = mapped_column(Text)
    __table_args__ = (UniqueConstraint("site_id", "place_hash"), OPTIONS)


class Verdict(Base):
    """What a person said of what was made of an image: "accept", "hold", "tighter" or "lighter", and a note.

    `original` is the image's SHA-256, `made` that of its renditions': it holds as long as these are the same.
    """

    __tablename__ = "verdict"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = key("site.id")
    original: Mapped[str] = mapped_column(Digest)
    made: Mapped[str] = mapped_column(Digest)
    verdict: Mapped[str] = mapped_column(Words(16))
    note: Mapped[str] = mapped_column(Text, default="")
    said_at: Mapped[datetime] = mapped_column(When, default=now)
    __table_args__ = (UniqueConstraint("site_id", "original"), OPTIONS)
