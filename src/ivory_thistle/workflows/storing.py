"""A read site stored as a capture, whole; a stored capture read again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict
from hashlib import sha256
from typing import Any, get_args

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from ivory_thistle.core.faults import Fault, FaultKind
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.core.treatment.roles import ROLES, Role
from ivory_thistle.core.words import shortened
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.archived import store_requests, stored_requests, with_requests
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.opening import Found
from ivory_thistle.workflows.page_readings import kept_reading
from ivory_thistle.workflows.reading import Reading, unreadable_pages
from ivory_thistle.workflows.settings import lazy_attributes

MOST_LISTED, _LISTED_CHARACTERS = 1_000, 2_000
"""Addresses of a page that are broken, or of other hosts; all of them stand among its placements."""
_BATCH_ROWS, _BATCH_CHARACTERS = 2_000, 2_000_000


def store_capture(session: Session, capture_id: int, reading: Reading, found: Found) -> None:
    """Stores what was read in place of what an earlier try stored; `found` is what is known besides the files."""
    for table in (t.Placement, t.Page, t.CaptureFile, t.Image, t.Fault):
        session.execute(delete(table).where(table.capture_id == capture_id))
    _store(session, capture_id, reading.site, reading.thumbnails)
    row = session.get_one(t.Capture, capture_id)
    row.aliases = dict(found.aliases) or None
    if found.own_hosts:
        row.options = {**(row.options or {}), "own_hosts": list(found.own_hosts)}
    if found.requests:
        store_requests(session, row, reading.site, found.requests)


def _store(session: Session, capture_id: int, site: SiteReading, thumbnails: Mapping[str, str]) -> None:
    image_ids: dict[str, int] = {}
    for image in site.images:
        row = t.Image(
            capture_id=capture_id,
            sha256=image.facts.sha256,
            path=image.path,
            sort_name=image.path[:190],
            format=image.facts.format,
            width=image.facts.width,
            height=image.facts.height,
            pixels=image.facts.width * image.facts.height,
            bytes=image.facts.bytes,
            copies=len(image.paths),
            page_count=len(image.pages),
            unused=image.unused,
            problem=image.facts.problem,
            facts=asdict(image.facts),
            kind=image.look.kind if image.look else "",
            folder=image.path.rpartition("/")[0][:190],
            look=asdict(image.look) if image.look else None,
            thumbnail=thumbnails.get(image.facts.sha256),
        )
        session.add(row)
        session.flush()
        image_ids.update(dict.fromkeys(image.paths, row.id))
    _store_files(session, capture_id, site, image_ids)
    page_ids = {}
    for page in site.pages:
        stored = t.Page(
            capture_id=capture_id,
            path=page.path,
            title=page.title,
            encoding=page.encoding,
            bytes=page.bytes,
            image_count=len(page.files),
            image_bytes=page.image_bytes,
            data_bytes=page.data_bytes,
            broken=_first(page.broken),
            broken_count=len(page.broken),
            remote=_first(page.remote),
            remote_count=len(page.remote),
            kind="folder" if page.is_folder else "html",
        )
        session.add(stored)
        session.flush()
        page_ids[page.path] = stored.id
    insert_rows(session, t.Placement, _placement_rows(capture_id, site, page_ids, image_ids))
    insert_rows(
        session,
        t.Fault,
        (
            {"capture_id": capture_id, "kind": f.kind, "path": f.path, "message": f.message, "line": f.line}
            for f in site.faults
        ),
    )
    capture = session.get_one(t.Capture, capture_id)
    capture.pages, capture.images = len(site.pages), len(site.images)
    capture.image_bytes, capture.used_bytes = site.image_bytes, site.used_bytes
    capture.unused_images = sum(i.unused for i in site.images)
    capture.broken_references = site.broken_count


def _store_files(session: Session, capture_id: int, site: SiteReading, image_ids: dict[str, int]) -> None:
    rows = (
        {
            "capture_id": capture_id,
            "image_id": image_ids.get(f.path),
            "path": f.path,
            "path_hash": sha256(f.path.encode()).digest(),
            "sha256": f.sha256,
            "bytes": f.bytes,
        }
        for f in site.files.values()
    )
    insert_rows(session, t.CaptureFile, rows)


def _placement_rows(
    capture_id: int, site: SiteReading, page_ids: dict[str, int], image_ids: dict[str, int]
) -> Iterable[dict[str, Any]]:
    for page in site.pages:
        for p in page.placements:
            yield {
                "capture_id": capture_id,
                "page_id": page_ids[page.path],
                "image_id": image_ids.get(p.file or ""),
                "file": p.file,
                "address": p.address,
                "element": p.element[:32],
                "attribute": p.attribute,
                "source": p.source,
                "start": p.start,
                "end": p.end,
                "line": p.line,
                "descriptor": p.descriptor[:64],
                "use": p.use,
            }


def _first(addresses: Sequence[str]) -> list[str]:
    """The addresses that are listed on a page's screen: a page may name a hundred thousand, each as long as a book."""
    return [shortened(address, _LISTED_CHARACTERS) for address in addresses[:MOST_LISTED]]


def insert_rows(session: Session, table: type[t.Base], rows: Iterable[dict[str, Any]]) -> None:
    """Inserts in batches that fit the memory of this process and a packet of the database."""
    batch: list[dict[str, Any]] = []
    size = 0
    for row in rows:
        batch.append(row)
        size += _characters(row.values())
        if len(batch) == _BATCH_ROWS or size > _BATCH_CHARACTERS:
            session.execute(insert(table), batch, execution_options={"render_nulls": True})
            batch, size = [], 0
    if batch:
        session.execute(insert(table), batch, execution_options={"render_nulls": True})


def _characters(values: Iterable[Any]) -> int:
    """About how long some values are as text."""
    count = 0
    waiting = list(values)
    while waiting:
        value = waiting.pop()
        if isinstance(value, str):
            count += len(value)
        elif isinstance(value, list | tuple):
            waiting.extend(value)
        elif isinstance(value, dict):
            waiting.extend(value)
            waiting.extend(value.values())
    return count


def stored_site(session: Session, capture_id: int, blobs: Blobs) -> tuple[SiteReading, Callable[[str], bytes]]:
    """A capture read again from what is stored, and a reader of its files by path."""
    facts, looks = {}, {}
    found = select(t.Image.sha256, t.Image.facts, t.Image.look).where(t.Image.capture_id == capture_id)
    for digest, about, look in session.execute(found):
        facts[digest] = ImageFacts(**about)
        looks[digest] = Look(**look) if look else None
    rows = session.execute(
        select(t.CaptureFile.path, t.CaptureFile.sha256, t.CaptureFile.bytes).where(
            t.CaptureFile.capture_id == capture_id
        )
    )
    files = [SiteFile(path, digest, size, facts.get(digest), looks.get(digest)) for path, digest, size in rows]
    digests = {f.path: f.sha256 for f in files}

    def read(path: str) -> bytes:
        return blobs.get(digests[path])

    capture = session.get_one(t.Capture, capture_id)
    hosts = (capture.options or {}).get("own_hosts", ())
    faults = stored_faults(session, capture_id)
    lazy = lazy_attributes(capture)
    site = read_site(
        files, read, faults, hosts, capture.aliases,
        known=lambda path: kept_reading(path, digests[path], lambda: read(path), lazy, blobs),
        within=in_time, skipped=unreadable_pages(faults),
    )  # fmt: skip
    return with_requests(site, stored_requests(session, capture)), read


def stored_faults(session: Session, capture_id: int) -> list[Fault]:
    """What was wrong in the files of a capture when it was read."""
    rows = session.scalars(select(t.Fault).where(t.Fault.capture_id == capture_id))
    return [Fault(kind, f.path, f.message, f.line) for f in rows for kind in get_args(FaultKind) if kind == f.kind]


def stored_roles(session: Session, capture_id: int) -> dict[str, Role]:
    """The roles that the audit found for a capture's images, by path."""
    rows = session.execute(select(t.Image.path, t.Image.role).where(t.Image.capture_id == capture_id))
    return {path: role_of(role) for path, role in rows}


def role_of(name: str) -> Role:
    """A role by its name; content for none."""
    return next((role for role in ROLES if role == name), "content")
