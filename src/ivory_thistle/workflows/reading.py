"""Reads a folder as a site, with nothing stored: what the command line and a capture both start from."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor

import structlog

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.site import SiteFile, SiteReading, read_site
from ivory_thistle.core.selection.markup_faults import markup_faults
from ivory_thistle.intake.folder import Folder

log = structlog.get_logger()
Progress = Callable[[int, int], None]
_THREADS = 2


def nothing(done: int, total: int) -> None:
    """A progress that is not shown."""


def inspect_folder(
    folder: Folder,
    on_file: Progress = nothing,
    keep: Callable[[SiteFile, bytes | None], None] = lambda file, data: None,
) -> tuple[list[SiteFile], list[Fault]]:
    """Facts of every file, two at a time; `keep` is given each with its content where that was read."""
    paths, faults = folder.paths()
    files: list[SiteFile] = []

    def one(path: str) -> tuple[SiteFile | None, tuple[Fault, ...]]:
        try:
            file, found, data = folder.inspect(path)
        except Exception as error:
            # Whatever one file holds, the others are read.
            log.warning("file not understood", path=path, error=repr(error))
            file, data = folder.plain(path), None
            message = f"{path} can't be understood ({type(error).__name__}); it is kept as it is."
            found = (Fault("unreadable-file", path, message),)
        if file:
            keep(file, data)
        return file, found

    with ThreadPoolExecutor(_THREADS) as pool:
        for number, (file, found) in enumerate(pool.map(one, paths), 1):
            faults.extend(found)
            if file:
                files.append(file)
            on_file(number, len(paths))
    return files, faults


def read_folder(folder: Folder, on_file: Progress = nothing, known: Iterable[Fault] = ()) -> SiteReading:
    """A folder read as a site; `known` are faults that are known already."""
    files, faults = inspect_folder(folder, on_file)
    return read_site(files, folder.read, [*known, *faults], judge=markup_faults, on_failure=page_failed)


def page_failed(path: str, error: Exception) -> None:
    """Keeps in the log which page could not be read, and how."""
    log.warning("page not understood", path=path, error=repr(error))
