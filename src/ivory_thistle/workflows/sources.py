"""A site from whatever names it on a command line: a folder, a ZIP, a HAR file or an address."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path
from urllib.parse import urlsplit

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.site import SiteReading, read_site
from ivory_thistle.core.selection.markup_faults import markup_faults
from ivory_thistle.intake.archive import unpack
from ivory_thistle.intake.crawl import Crawler, CrawlOptions, start_address
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.har import read_har
from ivory_thistle.workflows.archived import requests_of, with_requests
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.reading import Progress, inspect_folder, nothing, page_failed, read_folder


def is_address(source: str) -> bool:
    """True for what begins like an address of the web."""
    return re.match(r"https?://", source, re.IGNORECASE) is not None


def read_source(
    source: str, staging: Path, options: CrawlOptions, on_file: Progress = nothing
) -> tuple[Folder, SiteReading]:
    """Reads a site; `staging` is an empty folder for what is unpacked or fetched. Raises UnusableInput.

    `options` say how an address is read; its start is taken from `source`.
    """
    if is_address(source):
        start = start_address(source)
        crawl = Crawler(replace(options, start=start), staging / "site", on_file).run()
        folder = Folder(staging / "site")
        read = inspect_folder(folder)
        host = (urlsplit(start).hostname or "",)
        faults = [*read.faults, *crawl.faults]
        return folder, read_site(
            read.files,
            folder.read,
            faults,
            host,
            crawl.aliases,
            judge=markup_faults,
            on_failure=page_failed,
            within=in_time,
        )
    path = Path(source)
    if not path.is_file():
        folder = Folder(path)
        return folder, read_folder(folder, on_file)
    with path.open("rb") as opened:
        head = opened.read(64).lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith(b"PK"):
        broken = unpack(path, staging / "site")
        folder = Folder(staging / "site")
        return folder, read_folder(folder, on_file, broken)
    if head.startswith(b"{"):
        return _read_har(path, staging / "site", on_file)
    raise UnusableInput(f"{source} is neither a folder, a ZIP archive, a HAR file nor an address.")


def _read_har(path: Path, into: Path, on_file: Progress) -> tuple[Folder, SiteReading]:
    into.mkdir()
    har = read_har(path, into)
    requests, bare = requests_of(har)
    folder = Folder(into)
    read = inspect_folder(folder, on_file)
    host = (urlsplit(har.pages[0].address).hostname or "",)
    site = read_site(
        [*read.files, *bare],
        folder.read,
        read.faults,
        host,
        har.aliases,
        judge=markup_faults,
        on_failure=page_failed,
        within=in_time,
    )
    return folder, with_requests(site, requests)
