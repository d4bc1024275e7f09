"""Checks: a run's handover held against the original in a browser."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Double, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from ivory_thistle.store.tables.base import OPTIONS, Base, Digest, Job, Words, key


class Check(Job, Base):
    """Every page of a run's handover on some screens in some tiers, `total` loads in all.

    `content` is the SHA-256 of what was checked: of another handover it says nothing. `taken_back` is as the run's was.
    """

    __tablename__ = "handover_check"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = key("run.id")
    screens: Mapped[list[Any]]
    tiers: Mapped[list[Any]]
    total: Mapped[int]
    content: Mapped[str] = mapped_column(Digest, default="")
    taken_back: Mapped[list[Any] | None]
    __table_args__ = (Index(None, "run_id", "id"), Index(None, "state"), OPTIONS)


class CheckedLoad(Base):
    """One page on one screen in one tier: bytes as loaded and as foretold, what is wrong, and how it looks.

    `weights` are bytes and requests before and after, at opening and scrolled through. `wrong` are words with the
    `img`s they are about; `spot` is where the page's picture differs most, in CSS px; `timed` are its vitals
    before and after; `content` is the SHA-256 of all that the page is made of.
    """

    __tablename__ = "checked_load"
    id: Mapped[int] = mapped_column(primary_key=True)
    check_id: Mapped[int] = key("handover_check.id")
    page_id: Mapped[int] = key("page.id")
    screen: Mapped[str] = mapped_column(Words(32))
    tier: Mapped[str] = mapped_column(Words(16))
    before: Mapped[int]
    after: Mapped[int]
    weights: Mapped[dict[str, Any] | None]
    foretold: Mapped[int | None]
    failed: Mapped[bool]
    sure: Mapped[bool]
    wrong: Mapped[list[Any]]
    score: Mapped[float | None] = mapped_column(Double)
    spot: Mapped[dict[str, Any] | None]
    timed: Mapped[dict[str, Any] | None]
    picture_before: Mapped[str | None] = mapped_column(Digest)
    picture_after: Mapped[str | None] = mapped_column(Digest)
    content: Mapped[str] = mapped_column(Digest)
    __table_args__ = (
        UniqueConstraint("check_id", "page_id", "screen", "tier"),
        Index(None, "check_id", "failed", "id"),
        Index(None, "page_id"),
        OPTIONS,
    )
