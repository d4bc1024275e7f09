"""What was opened, read as a site: every file inspected, every page joined with the images that it names."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

import structlog

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES, PageReading
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.workflows.archived import with_requests
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.inspecting import Inspected, inspection, undecoded
from ivory_thistle.workflows.opening import Opened
from ivory_thistle.workflows.progress import Progress, StoppedError, nothing
from ivory_thistle.workflows.workers import CallFailedError, Outcome, Workers

log = structlog.get_logger()
_AHEAD = 3


@dataclass(frozen=True, slots=True)
class Inspection:
    """The files of a folder with their faults, and thumbnails (SHA-256) by the SHA-256 of their pictures.

    `pages`: what HTML pages name, by path; those that could not be read are missing.
    """

    files: list[SiteFile]
    faults: list[Fault]
    thumbnails: dict[str, str]
    pages: dict[str, PageReading]


def inspect_folder(
    folder: Folder,
    on_file: Progress = nothing,
    blobs: Blobs | None = None,
    stop: Callable[[], bool] = lambda: False,
    lazy: tuple[str, ...] = LAZY_ATTRIBUTES,
) -> Inspection:
    """Inspects every file in worker processes; contents and thumbnails are kept in `blobs` where given.

    Whatever one file does, the others are read. Raises StorageError where nothing can be kept, UnusableInput where the
    folder is gone, and StoppedError. `lazy` are the attributes from which the site's scripts load images.
    """
    paths, faults = folder.paths()
    found: dict[str, Inspected] = {}
    with Workers(ahead=_AHEAD) as workers:
        for outcome in workers.run((inspection(folder, path, blobs, lazy) for path in paths), stop):
            path = str(outcome.key)
            found[path] = _inspected(folder, path, blobs, outcome)
            on_file(len(found), len(paths))
    if stop():
        raise StoppedError
    if paths and not folder.root.is_dir():
        raise UnusableInput(f"The folder {folder.root} went away while it was read; bring it back and go on.")
    every = [found[path] for path in paths]
    faults += [fault for one in every for fault in one.faults]
    thumbnails = {one.file.sha256: one.thumbnail for one in every if one.file and one.thumbnail}
    pages = {one.file.path: one.page for one in every if one.file and one.page}
    return Inspection([one.file for one in every if one.file], faults, thumbnails, pages)


def thumbnails_of(folder: Folder, paths: Sequence[str], blobs: Blobs) -> Callable[[str], bytes | None]:
    """Small pictures of some of a folder's images, by path; what can't be inspected has none. `blobs` is scratch."""
    found: dict[str, str] = {}
    with Workers(ahead=_AHEAD) as workers:
        for outcome in workers.run(inspection(folder, path, blobs) for path in paths):
            if outcome.error is None and outcome.value.thumbnail:
                found[str(outcome.key)] = outcome.value.thumbnail
    return lambda path: blobs.get(found[path]) if path in found else None


def _inspected(folder: Folder, path: str, blobs: Blobs | None, outcome: Outcome) -> Inspected:
    error = outcome.error
    if error is None:
        inspected: Inspected = outcome.value
        return inspected
    if isinstance(error, StorageError):
        raise error
    log.warning("file not understood", path=path, error=repr(error))
    why = str(error) if isinstance(error, CallFailedError) else f"It can't be understood ({type(error).__name__})."
    try:
        return undecoded(folder, path, blobs, why)
    except OSError as gone:
        return Inspected(None, (Fault("unreadable-file", path, f"{path} can't be read: {gone.strerror}."),))


@dataclass(frozen=True, slots=True)
class Reading:
    """A site as it was read; `thumbnails` (SHA-256) by the SHA-256 of their pictures."""

    site: SiteReading
    thumbnails: Mapping[str, str]


def read_site_of(
    opened: Opened,
    on_file: Progress = nothing,
    blobs: Blobs | None = None,
    stop: Callable[[], bool] = lambda: False,
    lazy: tuple[str, ...] = LAZY_ATTRIBUTES,
) -> Reading:
    """Reads what was opened as a site. Raises StoppedError, StorageError and UnusableInput.

    `lazy` are the attributes from which the site's scripts load images; `blobs` keeps contents where it is given.
    """
    folder, found = opened.folder, opened.found
    inspection = inspect_folder(folder, on_file, blobs, stop, lazy)
    files = [f for f in inspection.files if not f.path.startswith(".crawl")]
    site = read_site(
        [*files, *found.files], folder.read, [*found.faults, *inspection.faults], found.own_hosts, found.aliases,
        lazy_attributes=lazy, known=inspection.pages.get, on_failure=page_failed, within=in_time,
        skipped=unreadable_pages(inspection.faults),
    )  # fmt: skip
    return Reading(with_requests(site, found.requests), inspection.thumbnails)


def read_folder(folder: Folder, on_file: Progress = nothing) -> SiteReading:
    """A folder read as a site."""
    return read_site_of(Opened(folder), on_file).site


def unreadable_pages(faults: Iterable[Fault]) -> set[str]:
    """The pages that could not be read: they are not tried again."""
    return {fault.path for fault in faults if fault.kind == "unreadable-page"}


def page_failed(path: str, error: Exception) -> None:
    """Keeps in the log which page or image could not be read or audited, and how."""
    log.warning("page not understood", path=path, error=repr(error))
