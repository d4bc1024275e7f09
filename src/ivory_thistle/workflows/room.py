"""What takes room on the disk, and what of it nothing needs any more."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.states import State
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.store.kept import Kept

RoomKind = Literal["contents", "kept", "database", "uploads", "staging"]


@dataclass(frozen=True, slots=True)
class Room:
    """What one part of the data folder holds, in bytes and files; `spare` is what nothing needs any more."""

    kind: RoomKind
    bytes: int
    files: int
    spare: int


@dataclass(frozen=True, slots=True)
class Places:
    """Where things are kept: uploads, what is unpacked or fetched, and the database (None: elsewhere).

    `kept`: renditions for later, which nothing needs but a treatment that would make them again.
    """

    uploads: Path
    staging: Path
    database: Path | None
    kept: Path | None = None


def room_taken(session: Session, blobs: Blobs, places: Places) -> list[Room]:
    """Every part with what it takes; sites that were removed need nothing."""
    needed = set(_needed(session))
    contents = [(size, digest not in needed) for digest, size in blobs.every()]
    uploads = [(size, place) for place, size in _files(places.uploads)]
    left = {str(p) for p in _spare_uploads(session, places)}
    staged = [(size, place) for place, size in _files(places.staging)]
    spare_staging = tuple(_spare_staging(session, places))
    database = [size for _, size in _files(places.database)] if places.database else []
    kept = [size for _, size in _files(places.kept)] if places.kept else []
    return [
        Room("contents", sum(s for s, _ in contents), len(contents), sum(s for s, spare in contents if spare)),
        Room("kept", sum(kept), len(kept), sum(kept)),
        Room("database", sum(database), len(database), 0),
        Room("uploads", sum(s for s, _ in uploads), len(uploads), sum(s for s, p in uploads if str(p) in left)),
        Room(
            "staging", sum(s for s, _ in staged), len(staged),
            sum(s for s, p in staged if any(p.is_relative_to(folder) for folder in spare_staging)),
        ),
    ]  # fmt: skip


def clear_spare(sessions: sessionmaker[Session], blobs: Blobs, places: Places) -> int:
    """Removes what nothing needs, removed sites for good among it; the bytes freed. For when no job is going."""
    freed = 0
    in_transaction(sessions, lambda s: s.execute(delete(t.Site).where(t.Site.removed_at.is_not(None))))
    with sessions() as session:
        needed = set(_needed(session))
        uploads, staging = list(_spare_uploads(session, places)), list(_spare_staging(session, places))
    for digest, size in list(blobs.every()):
        if digest not in needed:
            blobs.remove(digest)
            freed += size
    # Notes of what was seen of contents; those that are still there are looked at again when they are read again.
    for key, _ in list(blobs.notes()):
        blobs.remove_note(key)
    if places.kept:
        before = sum(size for _, size in _files(places.kept))
        Kept(str(places.kept)).hold_to(0)
        freed += before - sum(size for _, size in _files(places.kept))
    for place in uploads:
        freed += place.stat().st_size
        place.unlink(missing_ok=True)
    for folder in staging:
        freed += sum(size for _, size in _files(folder))
        shutil.rmtree(folder, ignore_errors=True)
    return freed


def _needed(session: Session) -> Iterator[str]:
    """The contents that sites which are not removed refer to, by SHA-256."""
    kept = select(t.Capture.id).join(t.Site, t.Site.id == t.Capture.site_id).where(t.Site.removed_at.is_(None))
    images = select(t.Image.id).where(t.Image.capture_id.in_(kept))
    queries = (
        select(t.CaptureFile.sha256).where(t.CaptureFile.capture_id.in_(kept)),
        select(t.Image.thumbnail).where(t.Image.capture_id.in_(kept)),
        select(t.Rendition.sha256).join(t.Task).where(t.Task.image_id.in_(images)),
        select(t.PageScreen.screenshot).join(t.Measurement).where(t.Measurement.capture_id.in_(kept)),
        select(t.CheckedLoad.picture_before).join(t.Check).join(t.Run).where(t.Run.capture_id.in_(kept)),
        select(t.CheckedLoad.picture_after).join(t.Check).join(t.Run).where(t.Run.capture_id.in_(kept)),
    )
    for query in queries:
        yield from (digest for digest in session.scalars(query) if digest)
    for options in session.scalars(select(t.Capture.options).where(t.Capture.id.in_(kept))):
        if options and options.get("seen"):
            yield options["seen"]


def _spare_uploads(session: Session, places: Places) -> Iterator[Path]:
    """Uploads of captures that are gone or whole: those of failed and stopped ones may be gone on with."""
    wanted = set(session.scalars(select(t.Capture.place).where(t.Capture.state != State.DONE)))
    yield from (place for place, _ in _files(places.uploads) if str(place) not in wanted)


def _spare_staging(session: Session, places: Places) -> Iterator[Path]:
    wanted = {f"capture-{i}" for i in session.scalars(select(t.Capture.id).where(t.Capture.state != State.DONE))}
    if places.staging.is_dir():
        yield from (folder for folder in places.staging.iterdir() if folder.name not in wanted)


def _files(folder: Path) -> Iterator[tuple[Path, int]]:
    """The files below a folder with their sizes; those that go away meanwhile are passed by."""
    for place in folder.rglob("*") if folder.is_dir() else ():
        try:
            if place.is_file() and not place.is_symlink():
                yield place, place.stat().st_size
        except OSError:
            continue
