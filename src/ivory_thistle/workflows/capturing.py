"""Every way in: a folder, a ZIP, a live address or a HAR file, each made into the same kind of capture."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import is_named_as_image
from ivory_thistle.core.references.site import is_page
from ivory_thistle.core.states import State
from ivory_thistle.intake.archive import unpack
from ivory_thistle.intake.crawl import Crawl, Crawler, CrawlOptions, Seen
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.har import Har, read_har, sanitize
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.archived import requests_of
from ivory_thistle.workflows.capture import Found, capture_folder, lazy_attributes
from ivory_thistle.workflows.reading import Progress, StoppedError
from ivory_thistle.workflows.workers import Call, CallFailedError, Workers

_SECONDS = 60.0
_MEMORY, _MEMORY_A_BYTE = 500_000_000, 8


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
        capture = session.get_one(t.Capture, capture_id)
        origin, place, options = capture.origin, Path(capture.place), dict(capture.options or {})
        lazy = lazy_attributes(session.get_one(t.Site, capture.site_id))
    try:
        whole = _read(capture_id, origin, place, options, lazy, sessions, blobs, staging, on_file, stop)
    except UnusableInput:
        # Going on would end here again: what was sent or unpacked is of no use.
        shutil.rmtree(staging, ignore_errors=True)
        _forget_upload(origin, place)
        raise
    except StoppedError:
        whole = False
    if whole or origin != "crawl":
        # A stopped crawl alone goes on from what it has.
        shutil.rmtree(staging, ignore_errors=True)
    if whole:
        _forget_upload(origin, place)
    return whole


def _forget_upload(origin: str, place: Path) -> None:
    if origin in ("zip", "har"):
        place.unlink(missing_ok=True)


def _read(
    capture_id: int,
    origin: str,
    place: Path,
    options: dict[str, Any],
    lazy: tuple[str, ...],
    sessions: sessionmaker[Session],
    blobs: Blobs,
    staging: Path,
    on_file: Progress,
    stop: Callable[[], bool],
) -> bool:
    """Reads a capture; False for a crawl that was stopped. Raises UnusableInput, StoppedError and StorageError."""
    found, folder = Found(), place
    if origin == "crawl":
        crawl = _crawl(capture_id, CrawlOptions.from_dict(options), sessions, blobs, staging, on_file, stop, lazy)
        if crawl.stopped:
            return False
        found, folder = _found_by_crawl(crawl, options["start"]), staging
        _remember(capture_id, crawl, sessions, blobs)
    elif origin != "folder":
        shutil.rmtree(staging, ignore_errors=True)
        folder = staging
        if not place.exists():
            raise UnusableInput("The file that was sent is not kept any more; add it as a site again.")
        if origin == "zip":
            found = Found(faults=tuple(unpack(place, staging)))
        else:
            staging.mkdir(parents=True)
            found = found_in_har(read_har(place, staging))
    capture_folder(capture_id, Folder(folder), sessions, blobs, on_file, found, stop)
    return True


def without_private_parts(place: Path) -> None:
    """Rewrites an uploaded HAR file without what is nobody's business, in a process of its own. Raises UnusableInput.

    The file is gone where that fails.
    """
    fresh = place.with_suffix(".tmp")
    size = place.stat().st_size
    call = Call("har", sanitize, (place, fresh), _SECONDS + size / 1e6, _MEMORY + _MEMORY_A_BYTE * size)
    try:
        with Workers(1) as workers:
            (outcome,) = workers.run([call])
        if isinstance(outcome.error, CallFailedError):
            raise UnusableInput(f"The HAR file can't be read. {outcome.error}")
        if outcome.error:
            raise outcome.error
        fresh.replace(place)
    except BaseException:
        fresh.unlink(missing_ok=True)
        place.unlink(missing_ok=True)
        raise


def found_in_har(har: Har) -> Found:
    """What a HAR file tells besides the contents in it."""
    requests, files = requests_of(har)
    return Found(har.aliases, (urlsplit(har.pages[0].address).hostname or "",), (), tuple(files), requests)


def _found_by_crawl(crawl: Crawl, start: str) -> Found:
    notes = tuple(Fault("unreadable-address", start, words) for words in crawl.limits)
    return Found(dict(crawl.aliases), (urlsplit(start).hostname or "",), (*crawl.faults, *notes))


def _crawl(
    capture_id: int,
    options: CrawlOptions,
    sessions: sessionmaker[Session],
    blobs: Blobs,
    staging: Path,
    on_file: Progress,
    stop: Callable[[], bool],
    lazy: tuple[str, ...],
) -> Crawl:
    with sessions() as session:
        earlier = _seen_before(session, capture_id, blobs)
    return Crawler(options, staging, on_file, stop, earlier, blobs.get, lazy).run()


def _seen_before(session: Session, capture_id: int, blobs: Blobs) -> dict[str, Seen]:
    """What the site's last whole crawl saw, so that only what changed is fetched again."""
    site_id = session.get_one(t.Capture, capture_id).site_id
    last = session.scalar(
        select(t.Capture.options)
        .where(t.Capture.site_id == site_id, t.Capture.id < capture_id, t.Capture.state == State.DONE)
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


def usable_folder(place: Path) -> Folder:
    """A folder that holds a page or a picture. Raises UnusableInput for another."""
    folder = Folder(place)
    paths, _ = folder.paths()
    if not any(is_page(p) or is_named_as_image(p) for p in paths):
        raise UnusableInput(f"The folder {place} holds no web page (.html) and no picture.")
    return folder
