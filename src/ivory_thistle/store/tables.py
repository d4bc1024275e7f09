"""The tables. Sizes are in bytes, times in UTC; addresses are compared byte for byte (utf8mb4_nopad_bin)."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, Double, Enum, ForeignKey, Index, MetaData, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import BINARY, DATETIME, JSON, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from ivory_thistle.core.states import State

_NAMES = {
    "ix": "ix_%(column_0_N_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}
_OPTIONS = {"mariadb_charset": "utf8mb4", "mariadb_collate": "utf8mb4_nopad_bin", "mariadb_engine": "InnoDB"}
Path = String(2048)
Digest = String(64)
When = DATETIME(fsp=3)


def now() -> datetime:
    """The time, in UTC without zone, as it is stored."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=_NAMES)
    type_annotation_map = {int: BigInteger, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012
    __table_args__: Any = _OPTIONS


def _key(target: str) -> Mapped[int]:
    return mapped_column(ForeignKey(target, ondelete="CASCADE"))


class Job:
    """What all jobs have (`store.jobs`). `tries` counts how often one was begun since anything was last kept of it.

    `error` says in words why it failed, or what the person has to do before it goes on.
    """

    state: Mapped[State] = mapped_column(
        Enum(State, native_enum=False, length=16, values_callable=lambda states: [s.value for s in states]),
        default=State.WAITING,
    )
    tries: Mapped[int] = mapped_column(default=0)
    stop_asked: Mapped[bool] = mapped_column(default=False)
    error: Mapped[str | None] = mapped_column(Text)
    created_at: Mapped[datetime] = mapped_column(When, default=now)
    started_at: Mapped[datetime | None] = mapped_column(When)
    finished_at: Mapped[datetime | None] = mapped_column(When)


class Site(Base):
    """One website under care. `removed_at`: taken off the list, can be put back.

    `page_budget` (bytes) is the widest budget; `budgets` narrows it and caps images (`Policy.as_dict`). `screens`,
    `connections` and `lazy_attributes` are None for the defaults.
    """

    __tablename__ = "site"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(190))
    page_budget: Mapped[int]
    budgets: Mapped[dict[str, Any] | None]
    screens: Mapped[list[Any] | None]
    connections: Mapped[list[Any] | None]
    lazy_attributes: Mapped[list[Any] | None]
    created_at: Mapped[datetime] = mapped_column(When, default=now)
    removed_at: Mapped[datetime | None] = mapped_column(When)


class Capture(Job, Base):
    """One dated reading of a site.

    `lazy_attributes` are those of the site when it was read (None: the defaults). `aliases` are addresses that lead to
    files of other names; `options` say how a live site was read.
    """

    __tablename__ = "capture"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = _key("site.id")
    origin: Mapped[str] = mapped_column(String(16))
    place: Mapped[str] = mapped_column(Path)
    label: Mapped[str] = mapped_column(String(255))
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
    __table_args__ = (Index(None, "site_id", "id"), _OPTIONS)


class Audit(Job, Base):
    """The audit of a capture: done where its findings are current."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    __table_args__ = (UniqueConstraint("capture_id"), Index(None, "state"), _OPTIONS)


class CaptureFile(Base):
    """One file of a capture; `path_hash` makes long paths unique."""

    __tablename__ = "capture_file"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    path: Mapped[str] = mapped_column(Path)
    path_hash: Mapped[bytes] = mapped_column(BINARY(32))
    sha256: Mapped[str] = mapped_column(Digest)
    bytes: Mapped[int]
    __table_args__ = (UniqueConstraint("capture_id", "path_hash"), Index(None, "image_id"), _OPTIONS)


class Image(Base):
    """One distinct content in a capture. `facts` and `look` are those of the core; `sort_name` starts the path.

    `folder` is the path's start up to its last `/`; `role_by_hand` says whether a person chose the role.
    """

    __tablename__ = "image"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    sha256: Mapped[str] = mapped_column(Digest)
    path: Mapped[str] = mapped_column(Path)
    sort_name: Mapped[str] = mapped_column(String(190))
    format: Mapped[str] = mapped_column(String(16))
    width: Mapped[int]
    height: Mapped[int]
    pixels: Mapped[int]
    bytes: Mapped[int]
    copies: Mapped[int]
    page_count: Mapped[int]
    unused: Mapped[bool]
    problem: Mapped[str] = mapped_column(Text)
    facts: Mapped[dict[str, Any]]
    kind: Mapped[str] = mapped_column(String(16), default="")
    look: Mapped[dict[str, Any] | None]
    folder: Mapped[str] = mapped_column(String(190), default="")
    role: Mapped[str] = mapped_column(String(16), default="")
    role_why: Mapped[str] = mapped_column(String(255), default="")
    role_by_hand: Mapped[bool] = mapped_column(default=False)
    thumbnail: Mapped[str | None] = mapped_column(Digest)
    __table_args__ = (
        UniqueConstraint("capture_id", "sha256"),
        Index("ix_image_bytes", "capture_id", "bytes", "id"),
        Index("ix_image_pixels", "capture_id", "pixels", "id"),
        Index("ix_image_page_count", "capture_id", "page_count", "id"),
        Index("ix_image_sort_name", "capture_id", "sort_name", "id"),
        Index("ix_image_folder", "capture_id", "folder"),
        Index("ix_image_copies", "capture_id", "copies"),
        Index("ix_image_facets", "capture_id", "format", "kind", "role", "folder"),
        _OPTIONS,
    )


class Page(Base):
    """One HTML document of a capture, or (kind "folder") one folder of a capture without any."""

    __tablename__ = "page"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    path: Mapped[str] = mapped_column(Path)
    title: Mapped[str] = mapped_column(String(255))
    encoding: Mapped[str] = mapped_column(String(32))
    bytes: Mapped[int]
    image_count: Mapped[int]
    image_bytes: Mapped[int]
    data_bytes: Mapped[int]
    broken: Mapped[list[Any]]
    remote: Mapped[list[Any]]
    kind: Mapped[str] = mapped_column(String(8), default="html")
    __table_args__ = (Index("ix_page_image_bytes", "capture_id", "image_bytes", "id"), _OPTIONS)


class Placement(Base):
    """One use of an image by a page."""

    __tablename__ = "placement"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    page_id: Mapped[int] = _key("page.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    file: Mapped[str | None] = mapped_column(Path)
    address: Mapped[str] = mapped_column(LONGTEXT)
    element: Mapped[str] = mapped_column(String(32))
    attribute: Mapped[str] = mapped_column(String(32))
    source: Mapped[str] = mapped_column(Path)
    start: Mapped[int]
    end: Mapped[int]
    line: Mapped[int]
    descriptor: Mapped[str] = mapped_column(String(64))
    use: Mapped[str] = mapped_column(String(16))
    __table_args__ = (Index(None, "page_id"), Index(None, "image_id"), _OPTIONS)


class Fault(Base):
    """One thing wrong in a file of a capture."""

    __tablename__ = "fault"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    kind: Mapped[str] = mapped_column(String(32))
    path: Mapped[str] = mapped_column(Path)
    message: Mapped[str] = mapped_column(Text)
    line: Mapped[int | None]
    __table_args__ = (Index(None, "capture_id"), _OPTIONS)


class Run(Job, Base):
    """One execution of treatments. While its pages are compared in a browser, it is finishing.

    `savings` holds the site's bytes before and after in each tier, `limits` what was found not to be safe in its pages,
    `report` what they load: all three once the run is done.
    """

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    rules: Mapped[dict[str, Any]]
    savings: Mapped[dict[str, Any] | None]
    limits: Mapped[dict[str, Any] | None]
    report: Mapped[dict[str, Any] | None]
    compared: Mapped[int] = mapped_column(default=0)
    to_compare: Mapped[int] = mapped_column(default=0)
    __table_args__ = (Index(None, "capture_id", "id"), Index(None, "state"), _OPTIONS)


class Task(Base):
    """One image of a run. States: waiting, done, failed, left (alone); `reason` says why in words.

    `widths` is its ladder; those in `dense` are loaded by screens of high density only; `own_size`: a fallback of the
    original's own size is made as well.
    """

    __tablename__ = "task"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = _key("run.id")
    image_id: Mapped[int] = _key("image.id")
    state: Mapped[str] = mapped_column(String(16))
    widths: Mapped[list[Any]]
    dense: Mapped[list[Any] | None]
    own_size: Mapped[bool] = mapped_column(default=False)
    role: Mapped[str] = mapped_column(String(16), default="content")
    reason: Mapped[str] = mapped_column(Text, default="")
    words: Mapped[list[Any]]
    bytes_before: Mapped[int]
    bytes_after: Mapped[int] = mapped_column(default=0)
    finished_at: Mapped[datetime | None] = mapped_column(When)
    __table_args__ = (UniqueConstraint("run_id", "image_id"), Index(None, "run_id", "state"), _OPTIONS)


class Rendition(Base):
    """One kept output of a task; its content is a blob."""

    __tablename__ = "rendition"
    id: Mapped[int] = mapped_column(primary_key=True)
    task_id: Mapped[int] = _key("task.id")
    tier: Mapped[str] = mapped_column(String(16))
    format: Mapped[str] = mapped_column(String(16))
    width: Mapped[int]
    height: Mapped[int]
    bytes: Mapped[int]
    settings: Mapped[str] = mapped_column(String(255))
    score: Mapped[float | None] = mapped_column(Double)
    sha256: Mapped[str] = mapped_column(Digest)
    __table_args__ = (Index(None, "task_id"), _OPTIONS)


class PageSaving(Base):
    """Bytes of one page before a run, and after it in one tier."""

    __tablename__ = "page_saving"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = _key("run.id")
    page_id: Mapped[int] = _key("page.id")
    tier: Mapped[str] = mapped_column(String(16))
    before: Mapped[int]
    after: Mapped[int]
    __table_args__ = (UniqueConstraint("run_id", "page_id", "tier"), Index(None, "page_id"), _OPTIONS)


class Measurement(Job, Base):
    """Pages of a capture loaded in a browser.

    `estimated`: no browser was at hand, and everything comes from markup alone.
    """

    __tablename__ = "measurement"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    screens: Mapped[list[Any]]
    estimated: Mapped[bool] = mapped_column(default=False)
    total: Mapped[int]
    __table_args__ = (Index(None, "capture_id", "id"), Index(None, "state"), _OPTIONS)


class PageScreen(Base):
    """One page measured on one screen: its vitals, and a picture of the whole page."""

    __tablename__ = "page_screen"
    id: Mapped[int] = mapped_column(primary_key=True)
    measurement_id: Mapped[int] = _key("measurement.id")
    page_id: Mapped[int] = _key("page.id")
    screen: Mapped[str] = mapped_column(String(32))
    lcp_path: Mapped[str | None] = mapped_column(Path)
    lcp_element: Mapped[str] = mapped_column(String(64))
    layout_shift: Mapped[float]
    shifting: Mapped[list[Any]]
    errors: Mapped[list[Any]]
    problem: Mapped[str] = mapped_column(Text)
    screenshot: Mapped[str | None] = mapped_column(Digest)
    __table_args__ = (UniqueConstraint("measurement_id", "page_id", "screen"), Index(None, "page_id"), _OPTIONS)


class PageWeight(Base):
    """Image bytes that a page loads on one screen in one tier, at opening and scrolled through, file by file."""

    __tablename__ = "page_weight"
    id: Mapped[int] = mapped_column(primary_key=True)
    page_screen_id: Mapped[int] = _key("page_screen.id")
    measurement_id: Mapped[int] = _key("measurement.id")
    screen: Mapped[str] = mapped_column(String(32))
    tier: Mapped[str] = mapped_column(String(16))
    opening: Mapped[int]
    scrolled: Mapped[int]
    requests: Mapped[int]
    loaded: Mapped[list[Any]]
    __table_args__ = (
        UniqueConstraint("page_screen_id", "tier"),
        Index("ix_page_weight_opening", "measurement_id", "screen", "tier", "opening", "id"),
        Index("ix_page_weight_scrolled", "measurement_id", "screen", "tier", "scrolled", "id"),
        _OPTIONS,
    )


class Slot(Base):
    """A box that shows a picture, on one page and screen, in CSS px from the page's top left."""

    __tablename__ = "slot"
    id: Mapped[int] = mapped_column(primary_key=True)
    page_screen_id: Mapped[int] = _key("page_screen.id")
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(16))
    x: Mapped[float]
    y: Mapped[float]
    width: Mapped[float]
    height: Mapped[float]
    first_screen: Mapped[bool]
    lazy: Mapped[bool]
    fit: Mapped[str] = mapped_column(String(32))
    element: Mapped[str] = mapped_column(String(255))
    alt: Mapped[str | None] = mapped_column(Text)
    around: Mapped[str] = mapped_column(String(255), default="")
    __table_args__ = (Index(None, "page_screen_id"), Index(None, "image_id"), _OPTIONS)


class RoleChoice(Base):
    """A role given by hand to the paths that match a pattern; it belongs to the site and outlives captures."""

    __tablename__ = "role_choice"
    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = _key("site.id")
    pattern: Mapped[str] = mapped_column(Path)
    pattern_hash: Mapped[bytes] = mapped_column(BINARY(32))
    role: Mapped[str] = mapped_column(String(16))
    __table_args__ = (UniqueConstraint("site_id", "pattern_hash"), _OPTIONS)


class Finding(Base):
    """One thing wrong in a capture, as its newest audit found it. `stake` in bytes."""

    __tablename__ = "finding"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = _key("capture.id")
    code: Mapped[str] = mapped_column(String(32))
    image_id: Mapped[int | None] = mapped_column(ForeignKey("image.id", ondelete="CASCADE"))
    page_id: Mapped[int | None] = mapped_column(ForeignKey("page.id", ondelete="CASCADE"))
    screen: Mapped[str] = mapped_column(String(32))
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
        _OPTIONS,
    )
