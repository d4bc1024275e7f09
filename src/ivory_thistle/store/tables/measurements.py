"""Measurements: what a browser saw of a capture."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from ivory_thistle.store.tables.base import OPTIONS, Base, Digest, Job, Path, Text, Words, key


class Measurement(Job, Base):
    """Pages of a capture loaded in a browser.

    `estimated`: no browser was at hand, and everything comes from markup alone.
    """

    __tablename__ = "measurement"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    screens: Mapped[list[Any]]
    estimated: Mapped[bool] = mapped_column(default=False)
    total: Mapped[int]
    __table_args__ = (Index(None, "capture_id", "id"), Index(None, "state"), OPTIONS)


class PageScreen(Base):
    """One page measured on one screen: its vitals, and a picture of the whole page."""

    __tablename__ = "page_screen"
    id: Mapped[int] = mapped_column(primary_key=True)
    measurement_id: Mapped[int] = key("measurement.id")
    page_id: Mapped[int] = key("page.id")
    screen: Mapped[str] = mapped_column(Words(32))
    lcp_path: Mapped[str | None] = mapped_column(Path)
    lcp_element: Mapped[str] = mapped_column(Words(64))
    layout_shift: Mapped[float]
    shifting: Mapped[list[Any]]
    errors: Mapped[list[Any]]
    problem: Mapped[str] = mapped_column(Text)
    screenshot: Mapped[str | None] = mapped_column(Digest)
    __table_args__ = (UniqueConstraint("measurement_id", "page_id", "screen"), Index(None, "page_id"), OPTIONS)


class PageWeight(Base):
    """Image bytes that a page loads on one screen in one tier, at opening and scrolled through, file by file."""

    __tablename__ = "page_weight"
    id: Mapped[int] = mapped_column(primary_key=True)
    page_screen_id: Mapped[int] = key("page_screen.id")
    measurement_id: Mapped[int] = key("measurement.id")
    screen: Mapped[str] = mapped_column(Words(32))
    tier: Mapped[str] = mapped_column(Words(16))
    opening: Mapped[int]
    scrolled: Mapped[int]
    requests: Mapped[int]
    loaded: Mapped[list[Any]]
    __table_args__ = (
        UniqueConstraint("page_screen_id", "tier"),
        Index("ix_page_weight_opening", "measurement_id", "screen", "tier", "opening", "id"),
        Index("ix_page_weight_scrolled", "measurement_id", "screen", "tier", "scrolled", "id"),
        OPTIONS,
    )


class Slot(Base):
    """A box that shows a picture, on one page and screen, in CSS px from the page's top left."""

    __tablename__ = "slot"
    id: Mapped[int] = mapped_column(primary_key=True)
    page_screen_id: Mapped[int] = key("page_screen.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(Words(16))
    x: Mapped[float]
    y: Mapped[float]
    width: Mapped[float]
    height: Mapped[float]
    first_screen: Mapped[bool]
    lazy: Mapped[bool]
    fit: Mapped[str] = mapped_column(Words(32))
    element: Mapped[str] = mapped_column(Words(255))
    alt: Mapped[str | None] = mapped_column(Text)
    around: Mapped[str] = mapped_column(Words(255), default="")
    __table_args__ = (Index(None, "page_screen_id"), Index(None, "image_id"), OPTIONS)
