"""A capture: opened from where it comes, read, and stored."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.states import State
from ivory_thistle.intake.crawling import Crawl, CrawlOptions, Seen
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.opening import Earlier, Opened, Source, open_source
from ivory_thistle.workflows.progress import Progress, StoppedError, nothing
from ivory_thistle.workflows.reading import read_site_of
from ivory_thistle.workflows.settings import lazy_attributes
from ivory_thistle.workflows.storing import store_capture


def capture_from(
    capture_id: int,
    sessions: sessionmaker[Session],
    blobs: Blobs,
    staging: Path,
    on_file: Progress,
    stop: Callable[[], bool],
) -> bool:
    """Reads a capture from where it comes; False where it was stopped. Raises UnusableInput with the reason.

    `staging` holds what is unpacked or fetched; a stopped crawl goes on from there.
    """
    with sessions() as session:
        source = _source_of(session.get_one(t.Capture, capture_id))
    try:
        whole = _capture(capture_id, source, sessions, blobs, staging, on_file, stop)
    except UnusableInput:
        # Going on would end here again: what was sent or unpacked is of no use.
        shutil.rmtree(staging, ignore_errors=True)
        _forget_upload(source)
        raise
    except StoppedError:
        whole = False
    if whole or source.origin != "crawl":
        # A stopped crawl alone goes on from what it has.
        shutil.rmtree(staging, ignore_errors=True)
    if whole:
        _forget_upload(source)
    return whole


def _source_of(capture: t.Capture) -> Source:
    if capture.origin == "crawl":
        return Source("crawl", crawl=CrawlOptions.from_dict(dict(capture.options or {})))
    return Source(capture.origin, Path(capture.place))


def _forget_upload(source: Source) -> None:
    if source.origin in ("zip", "har"):
        source.place.unlink(missing_ok=True)


def _capture(
    capture_id: int,
    source: Source,
    sessions: sessionmaker[Session],
    blobs: Blobs,
    staging: Path,
    on_file: Progress,
    stop: Callable[[], bool],
) -> bool:
    """Captures; False for a crawl that was stopped. Raises UnusableInput, StoppedError and StorageError."""
    with sessions() as session:
        capture = session.get_one(t.Capture, capture_id)
        lazy = lazy_attributes(session.get_one(t.Site, capture.site_id))
        earlier = Earlier(_seen_before(session, capture, blobs), blobs.get)
    opened = open_source(source, staging, on_file, stop, earlier, lazy)
    if opened.crawl:
        if opened.crawl.stopped:
            return False
        _remember(capture_id, opened.crawl, sessions, blobs)
    capture_opened(capture_id, opened, sessions, blobs, on_file, stop)
    return True


def capture_opened(
    capture_id: int,
    opened: Opened,
    sessions: sessionmaker[Session],
    blobs: Blobs,
    on_file: Progress = nothing,
    stop: Callable[[], bool] = lambda: False,
) -> None:
    """Reads what was opened into a capture that exists; what a half-made earlier try stored is cleared first.

    Raises StoppedError, StorageError and UnusableInput.
    """
    with sessions.begin() as session:
        capture = session.get_one(t.Capture, capture_id)
        capture.lazy_attributes = session.get_one(t.Site, capture.site_id).lazy_attributes
        lazy = lazy_attributes(capture)
    reading = read_site_of(opened, on_file, blobs, stop, lazy)
    with sessions.begin() as session:
        store_capture(session, capture_id, reading, opened.found)


def _seen_before(session: Session, capture: t.Capture, blobs: Blobs) -> dict[str, Seen]:
    """What the site's last whole crawl saw, so that only what changed is fetched again."""
    last = session.scalar(
        select(t.Capture.options)
        .where(t.Capture.site_id == capture.site_id, t.Capture.id < capture.id, t.Capture.state == State.DONE)
        .order_by(t.Capture.id.desc())
        .limit(1)
    )
    digest = (last or {}).get("seen")
    return {s["address"]: Seen(**s) for s in json.loads(blobs.get(digest))} if digest else {}


def _remember(capture_id: int, crawl: Crawl, sessions: sessionmaker[Session], blobs: Blobs) -> None:
    digest = blobs.put(json.dumps([asdict(s) for s in crawl.seen.values()]).encode())
    with sessions.begin() as session:
        row = session.get_one(t.Capture, capture_id)
        row.options = {**(row.options or {}), "seen": digest}
