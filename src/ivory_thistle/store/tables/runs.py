"""Runs: what was made of a capture, and what it saves."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import Double, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from ivory_thistle.store.tables.base import OPTIONS, Base, Digest, Job, Text, When, Words, key


class Run(Job, Base):
    """One execution of treatments. While its pages are compared in a browser, it is finishing.

    `savings` holds the site's bytes before and after in each tier, `limits` what was found not to be safe in its pages,
    `report` what they load: all three once the run is done. `taken_back` are the images that a person gave a safer form
    on a page afterwards, `settled` the limits without these. `forecast` is what was foretold when it was started,
    and (`sketched`) at `sketched_at`, when its images had been sketched.
    """

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    rules: Mapped[dict[str, Any]]
    savings: Mapped[dict[str, Any] | None]
    limits: Mapped[dict[str, Any] | None]
    report: Mapped[dict[str, Any] | None]
    settled: Mapped[dict[str, Any] | None]
    forecast: Mapped[dict[str, Any] | None]
    taken_back: Mapped[list[Any] | None]
    compared: Mapped[int] = mapped_column(default=0)
    to_compare: Mapped[int] = mapped_column(default=0)
    sketched_at: Mapped[datetime | None] = mapped_column(When)
    __table_args__ = (Index(None, "capture_id", "id"), Index(None, "state"), OPTIONS)


class Sample(Job, Base):
    """Some images of a capture treated in advance, so that a forecast by these rules rests on more than a model.

    What comes of them is kept (`store.kept`): a run by the same rules takes it from there. `stays` are the files that
    pages go on loading, by page.
    """

    __tablename__ = "sample"
    id: Mapped[int] = mapped_column(primary_key=True)
    capture_id: Mapped[int] = key("capture.id")
    rules: Mapped[dict[str, Any]]
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    stays: Mapped[dict[str, Any] | None]
    __table_args__ = (Index(None, "capture_id", "id"), Index(None, "state"), OPTIONS)


class Task(Base):
    """One image of a run. States: waiting, done, failed, left (alone); `reason` says why in words.

    `widths` is its ladder; those in `dense` are loaded by screens of high density only; `apart` are widths
    of fallbacks that are made besides. `rules` are its own where narrower ones hold for it (None: the run's); `decided`
    says which. `cost` are the seconds of a worker that it was expected to take; what is `asked_first` goes before all
    else. While it waits, its renditions are `sketched`: not confirmed; that is done where it `pays_to_sketch`. `proof`
    is how one of its files looks beside the original (None: not judged yet).
    """

    __tablename__ = "task"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = key("run.id")
    image_id: Mapped[int] = key("image.id")
    state: Mapped[str] = mapped_column(Words(16))
    widths: Mapped[list[Any]]
    dense: Mapped[list[Any] | None]
    apart: Mapped[list[Any] | None]
    rules: Mapped[dict[str, Any] | None]
    decided: Mapped[list[Any] | None]
    role: Mapped[str] = mapped_column(Words(16), default="content")
    reason: Mapped[str] = mapped_column(Text, default="")
    words: Mapped[list[Any]]
    bytes_before: Mapped[int]
    bytes_after: Mapped[int] = mapped_column(default=0)
    cost: Mapped[float] = mapped_column(Double, default=0.0)
    asked_first: Mapped[bool] = mapped_column(default=False)
    sketched: Mapped[bool] = mapped_column(default=False)
    pays_to_sketch: Mapped[bool] = mapped_column(default=False)
    proof: Mapped[dict[str, Any] | None]
    finished_at: Mapped[datetime | None] = mapped_column(When)
    __table_args__ = (UniqueConstraint("run_id", "image_id"), Index(None, "run_id", "state"), OPTIONS)


class Rendition(Base):
    """One kept output of a task; its content is a blob."""

    __tablename__ = "rendition"
    id: Mapped[int] = mapped_column(primary_key=True)
    task_id: Mapped[int] = key("task.id")
    tier: Mapped[str] = mapped_column(Words(16))
    format: Mapped[str] = mapped_column(Words(16))
    width: Mapped[int]
    height: Mapped[int]
    bytes: Mapped[int]
    settings: Mapped[str] = mapped_column(Words(255))
    score: Mapped[float | None] = mapped_column(Double)
    sha256: Mapped[str] = mapped_column(Digest)
    how: Mapped[dict[str, Any] | None]
    points: Mapped[list[Any] | None]
    __table_args__ = (Index(None, "task_id"), OPTIONS)


class PageSaving(Base):
    """Bytes of one page before a run, and after it in one tier."""

    __tablename__ = "page_saving"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = key("run.id")
    page_id: Mapped[int] = key("page.id")
    tier: Mapped[str] = mapped_column(Words(16))
    before: Mapped[int]
    after: Mapped[int]
    __table_args__ = (UniqueConstraint("run_id", "page_id", "tier"), Index(None, "page_id"), OPTIONS)


class PageLoad(Base):
    """What one page loads on one screen in one tier, before a run and after it: bytes and requests, picture by picture.

    `before_*` are measured where the capture was, else foretold from markup; `after_*` are foretold.
    Each of the `changes` has the file before and the one after, or nothing on one side.
    """

    __tablename__ = "page_load"
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = key("run.id")
    page_id: Mapped[int] = key("page.id")
    screen: Mapped[str] = mapped_column(Words(32))
    tier: Mapped[str] = mapped_column(Words(16))
    before_opening: Mapped[int]
    before_scrolled: Mapped[int]
    before_requests_at_opening: Mapped[int]
    before_requests: Mapped[int]
    after_opening: Mapped[int]
    after_scrolled: Mapped[int]
    after_requests_at_opening: Mapped[int]
    after_requests: Mapped[int]
    changes: Mapped[list[Any]]
    __table_args__ = (
        UniqueConstraint("run_id", "page_id", "screen", "tier"),
        Index(None, "run_id", "screen", "tier"),
        Index(None, "page_id"),
        OPTIONS,
    )
