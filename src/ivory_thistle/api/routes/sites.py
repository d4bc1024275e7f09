"""Sites: list, add from a folder or a ZIP, change budgets, remove and put back."""

from __future__ import annotations

import asyncio
import re
import uuid
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import httpcore
from fastapi import APIRouter, Request
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import ProblemError, not_found
from ivory_thistle.api.figures import newest_capture, site_out
from ivory_thistle.api.services import ServicesDep, SessionDep, audit_again
from ivory_thistle.core.budgets.policy import DEFAULT_PAGE_BYTES
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.addresses import server_of
from ivory_thistle.intake.crawling import CrawlOptions, start_address
from ivory_thistle.intake.fetching import RefusedAddressError, checked_address
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.opening import usable_folder, without_private_parts

router = APIRouter(prefix="/sites", tags=["sites"])
MAX_UPLOAD_BYTES = 4_000_000_000


def site_of(session: Session, site_id: int) -> t.Site:
    """The site, or a 404."""
    site = session.get(t.Site, site_id)
    if not site:
        raise not_found("site")
    return site


@router.get("")
def list_sites(session: SessionDep) -> list[schemas.Site]:
    """Every site that is not removed, the newest first."""
    rows = session.scalars(select(t.Site).where(t.Site.removed_at.is_(None)).order_by(t.Site.id.desc()))
    return [site_out(session, site) for site in rows]


@router.get("/{site_id}")
def get_site(site_id: int, session: SessionDep) -> schemas.Site:
    """One site."""
    return site_out(session, site_of(session, site_id))


def _add(
    session: Session, name: str, origin: str, place: str, label: str, options: dict[str, Any] | None = None
) -> t.Site:
    site = t.Site(name=name[:190], page_budget=DEFAULT_PAGE_BYTES)
    session.add(site)
    session.flush()
    session.add(t.Capture(site_id=site.id, origin=origin, place=place, label=label[:255], options=options))
    session.flush()
    return site


@router.post("/from-folder", status_code=201)
def add_from_folder(asked: schemas.SiteFromFolder, session: SessionDep, services: ServicesDep) -> schemas.Site:
    """Adds a site from a folder on this machine and starts reading it."""
    try:
        place = Path(asked.folder.strip()).expanduser()
    except RuntimeError as error:
        raise UnusableInput(f"{asked.folder.strip()[:200]} names a user that this machine does not know.") from error
    if not place.is_absolute():
        raise UnusableInput(f"Give the whole path of the folder, beginning with /; {place} does not.")
    folder = usable_folder(place)
    site = _add(session, asked.name.strip() or folder.root.name, "folder", str(folder.root), folder.root.name)
    out = site_out(session, site)
    session.commit()
    services.jobs.wake()
    return out


@router.post("/from-address", status_code=201)
def add_from_address(asked: schemas.SiteFromAddress, session: SessionDep, services: ServicesDep) -> schemas.Site:
    """Adds a site by its address and starts reading it page by page."""
    start = start_address(asked.address)
    host = urlsplit(start).hostname or ""
    given = asked.model_dump(exclude={"name", "address"})
    options = CrawlOptions.from_dict({**given, "start": start})
    try:
        checked_address(host, server_of(start)[1], frozenset({server_of(start)} if asked.allow_private else ()))
    except RefusedAddressError as error:
        words = f"{error}. If that is your own server, allow {host} by name."
        raise ProblemError(422, "private-address", "Not a public address", words) from error
    except httpcore.ConnectError as error:
        raise UnusableInput(f"{str(error).capitalize()}; check the address.") from error
    site = _add(session, asked.name.strip() or host, "crawl", start[:2048], start, options.as_dict())
    out = site_out(session, site)
    session.commit()
    services.jobs.wake()
    return out


@router.put("/from-archive", status_code=201)
async def add_from_archive(request: Request, services: ServicesDep, file_name: str, name: str = "") -> schemas.Site:
    """Adds a site from a ZIP or HAR file sent as the request's body, and starts reading it."""
    services.places.uploads.mkdir(parents=True, exist_ok=True)
    target = services.places.uploads / f"{uuid.uuid4().hex}.zip"
    received = 0
    try:
        with target.open("wb") as out:
            async for part in request.stream():
                received += len(part)
                if received > MAX_UPLOAD_BYTES:
                    limit = f"{MAX_UPLOAD_BYTES / 1e9:g} GB"
                    raise ProblemError(413, "too-large", "Too large", f"An archive may be {limit} at most.")
                out.write(part)
        with target.open("rb") as kept:
            head = kept.read(64).lstrip(b"\xef\xbb\xbf \t\r\n")
        is_har = head.startswith(b"{")
        if is_har:
            await asyncio.to_thread(without_private_parts, target)
        elif not head.startswith(b"PK"):
            raise UnusableInput(
                f"{file_name} is neither a ZIP archive nor a HAR file. Pack the site's folder as ZIP and send that."
            )
    except BaseException:
        target.unlink(missing_ok=True)
        raise
    label = re.sub(r"\.(?:zip|har)$", "", file_name, flags=re.IGNORECASE)
    with services.sessions.begin() as session:
        site = _add(session, name.strip() or label, "har" if is_har else "zip", str(target), file_name)
        out_ = site_out(session, site)
    services.jobs.wake()
    return out_


@router.patch("/{site_id}")
def change_site(site_id: int, change: schemas.SiteChange, session: SessionDep, services: ServicesDep) -> schemas.Site:
    """Changes name, the page budget, screens or connections; findings are then found anew."""
    site = site_of(session, site_id)
    for field, value in change.model_dump(exclude_none=True).items():
        setattr(site, field, value)
    session.flush()
    out = site_out(session, site)
    audit_again(session, services, site_id)
    return out


@router.delete("/{site_id}", status_code=204)
def remove_site(site_id: int, session: SessionDep) -> None:
    """Takes a site off the list; `restore` puts it back with everything."""
    site_of(session, site_id).removed_at = t.now()


@router.post("/{site_id}/restore")
def restore_site(site_id: int, session: SessionDep) -> schemas.Site:
    """Puts a removed site back."""
    site = site_of(session, site_id)
    site.removed_at = None
    session.flush()
    return site_out(session, site)


@router.post("/{site_id}/captures", status_code=201)
def capture_again(site_id: int, session: SessionDep, services: ServicesDep) -> schemas.Capture:
    """Reads the site's folder or address anew; earlier captures stay."""
    site = site_of(session, site_id)
    last = newest_capture(session, site.id)
    if not last or last.origin in ("zip", "har"):
        raise UnusableInput("This site came as a file; add the new file as a site.")
    if last.origin == "folder":
        Folder(Path(last.place))
    options = {k: v for k, v in (last.options or {}).items() if k != "seen"} or None
    new = t.Capture(site_id=site.id, origin=last.origin, place=last.place, label=last.label, options=options)
    session.add(new)
    session.flush()
    out = schemas.Capture.model_validate(new)
    session.commit()
    services.jobs.wake()
    return out
