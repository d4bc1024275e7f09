"""Captures: what was read of a site, and what is wrong with it."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, UniqueConstraint
from sqlalchemy.dialects.mysql import BINARY
from sqlalchemy.orm import Mapped, mapped_column

from ivory_thistle.store.tables.base import OPTIONS, Base, Digest, Job, LongText, Path, Text, Words, key


class Capture(Job, Base):
    """One dated reading of a site.

    `lazy_attributes` are those of the site when it was read (None: the defaults). `aliases` are addresses that lead to
    files of other names; `options` say how a live site was read.
    """

    __tablename__ = "capture"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = key("site.id")
    origin: Mapped[str] = mapped_column(Words(16))
    place: Mapped[str] = mapped_column(Path)
    label: Mapped[str] = mapped_column(Words(255))
    lazy_attributes: Mapped[list[Any] | None]
    aliases: Mapped[dict[str, Any] | None]
    options: Mapped[dict[str, Any] | None]
    files_done: Mapped[int] = mapped_column(default=0)
    files_total: Mapped[int] = mapped_column(default=0)
    pages: Mapped[int] = mapped_column(default=0)
    images: Mapped[int] = mapped_column(default=0)
    image_bytes: Mapped[int] = mapped_column(default=0)
    used_bytes: Mapped[int] = mapped_column(default=0)
    unused_images: Mapped[int] = mapped_column(default=0)
    broken_references: Mapped[int] = mapped_column(default=0)
    __table_args__ = (Index(None, "site_id", "id"), OPTIONS)


class Audit(Job, Base):
    """The audit of a capture: done where its findings are current."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    __table_args__ = (UniqueConstraint("capture_id"), Index(None, "state"), OPTIONS)


class CaptureFile(Base):
    """One file of a capture; `path_hash` makes long paths unique."""

    __tablename__ = "capture_file"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    path: Mapped[str] = mapped_column(Path)
    path_hash: Mapped[bytes] = mapped_column(BINARY(32))
    sha256: Mapped[str] = mapped_column(Digest)
    bytes: Mapped[int]
    __table_args__ = (UniqueConstraint("capture_id", "path_hash"), Index(None, "image_id"), OPTIONS)


class Image(Base):
    """One distinct content in a capture. `facts` and `look` are those of the core; `sort_name` starts the path.

    `folder` is the path's start up to its last `/`; `role_by_hand` says whether a person chose the role; `probe` is
    what a closer look for a forecast found.
    """

    __tablename__ = "image"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    sha256: Mapped[str] = mapped_column(Digest)
    path: Mapped[str] = mapped_column(Path)
    sort_name: Mapped[str] = mapped_column(Words(190))
    format: Mapped[str] = mapped_column(Words(16))
    width: Mapped[int]
    height: Mapped[int]
    pixels: Mapped[int]
    bytes: Mapped[int]
    copies: Mapped[int]
    page_count: Mapped[int]
    unused: Mapped[bool]
    problem: Mapped[str] = mapped_column(Text)
    facts: Mapped[dict[str, Any]]
    kind: Mapped[str] = mapped_column(Words(16), default="")
    look: Mapped[dict[str, Any] | None]
    folder: Mapped[str] = mapped_column(Words(190), default="")
    role: Mapped[str] = mapped_column(Words(16), default="")
    role_why: Mapped[str] = mapped_column(Words(255), default="")
    role_by_hand: Mapped[bool] = mapped_column(default=False)
    thumbnail: Mapped[str | None] = mapped_column(Digest)
    probe: Mapped[dict[str, Any] | None]
    __table_args__ = (
        UniqueConstraint("capture_id", "sha256"),
        Index("ix_image_bytes", "capture_id", "bytes", "id"),
        Index("ix_image_pixels", "capture_id", "pixels", "id"),
        Index("ix_image_page_count", "capture_id", "page_count", "id"),
        Index("ix_image_sort_name", "capture_id", "sort_name", "id"),
        Index("ix_image_folder", "capture_id", "folder"),
        Index("ix_image_copies", "capture_id", "copies"),
        Index("ix_image_facets", "capture_id", "format", "kind", "role", "folder"),
        OPTIONS,
    )


class Page(Base):
    """One HTML document of a capture, or (kind "folder") one folder of a capture without any.

    `broken` and `remote` are the first of the addresses (`MOST_LISTED`); how many there are is counted beside them.
    """

    __tablename__ = "page"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    path: Mapped[str] = mapped_column(Path)
    title: Mapped[str] = mapped_column(Words(255))
    encoding: Mapped[str] = mapped_column(Words(32))
    bytes: Mapped[int]
    image_count: Mapped[int]
    image_bytes: Mapped[int]
    data_bytes: Mapped[int]
    broken: Mapped[list[Any]]
    broken_count: Mapped[int] = mapped_column(default=0)
    remote: Mapped[list[Any]]
    remote_count: Mapped[int] = mapped_column(default=0)
    kind: Mapped[str] = mapped_column(Words(8), default="html")
    __table_args__ = (Index("ix_page_image_bytes", "capture_id", "image_bytes", "id"), OPTIONS)


class Placement(Base):
    """One use of an image by a page."""

    __tablename__ = "placement"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    page_id: Mapped[int] = key("page.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    file: Mapped[str | None] = mapped_column(Path)
    address: Mapped[str] = mapped_column(LongText)
    element: Mapped[str] = mapped_column(Words(32))
    attribute: Mapped[str] = mapped_column(Words(32))
    source: Mapped[str] = mapped_column(Path)
    start: Mapped[int]
    end: Mapped[int]
    line: Mapped[int]
    descriptor: Mapped[str] = mapped_column(Words(64))
    use: Mapped[str] = mapped_column(Words(16))
    __table_args__ = (Index(None, "page_id"), Index(None, "image_id"), OPTIONS)


class Fault(Base):
    """One thing wrong in a file of a capture."""

    __tablename__ = "fault"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    kind: Mapped[str] = mapped_column(Words(32))
    path: Mapped[str] = mapped_column(Path)
    message: Mapped[str] = mapped_column(Text)
    line: Mapped[int | None]
    __table_args__ = (Index(None, "capture_id"), OPTIONS)


class Finding(Base):
    """One thing wrong in a capture, as its newest audit found it. `stake` in bytes."""

    __tablename__ = "finding"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    code: Mapped[str] = mapped_column(Words(32))
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    page_id: Mapped[int | None] = mapped_column(ForeignKey("page.id", ondelete="CASCADE"))
    screen: Mapped[str] = mapped_column(Words(32))
    source: Mapped[str] = mapped_column(Path)
    line: Mapped[int | None]
    sentence: Mapped[str] = mapped_column(Text)
    stake: Mapped[int]
    measured: Mapped[bool]
    evidence: Mapped[dict[str, Any]]
    __table_args__ = (
        Index("ix_finding_stake", "capture_id", "code", "stake", "id"),
        Index(None, "image_id", "code"),
        Index(None, "page_id"),
        OPTIONS,
    )
