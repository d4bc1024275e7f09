"""The ways in: a site from a folder, a ZIP, a HAR file or an address, opened as a folder."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from urllib.parse import urlsplit

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import is_named_as_image
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES
from ivory_thistle.core.references.site import SiteFile, is_page
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.intake.archive import unpack
from ivory_thistle.intake.crawl import Crawler
from ivory_thistle.intake.crawling import Crawl, CrawlOptions, Seen, start_address
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.har import Har, read_har, sanitize
from ivory_thistle.workflows.archived import requests_of
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.workers import Call, CallFailedError, Workers

_HEAD = 64
_SECONDS = 60.0
_MEMORY, _MEMORY_A_BYTE = 500_000_000, 8


@dataclass(frozen=True, slots=True)
class Source:
    """Where a site comes from; `origin` is "folder", "zip", "har" or "crawl".

    `place` is the folder or file; `crawl` says where a crawl starts and how far it goes.
    """

    origin: str
    place: Path = Path()
    crawl: CrawlOptions | None = None


@dataclass(frozen=True, slots=True)
class Found:
    """What is known of a site besides its files: aliases, own hosts, faults of addresses, and requests seen in a HAR.

    `files` are images known by their requests only.
    """

    aliases: Mapping[str, str] = field(default_factory=dict)
    own_hosts: tuple[str, ...] = ()
    faults: tuple[Fault, ...] = ()
    files: tuple[SiteFile, ...] = ()
    requests: Mapping[str, tuple[Loaded, ...]] = field(default_factory=dict)


NOTHING_FOUND = Found()


@dataclass(frozen=True, slots=True)
class Opened:
    """A source opened: its files in one folder. `crawl` tells how an address was read."""

    folder: Folder
    found: Found = NOTHING_FOUND
    crawl: Crawl | None = None


@dataclass(frozen=True, slots=True)
class Earlier:
    """What an earlier crawl of a site saw, and how its contents are got: what did not change is not fetched again."""

    seen: Mapping[str, Seen] = field(default_factory=dict)
    content_of: Callable[[str], bytes] | None = None


NO_EARLIER = Earlier()


def named_source(text: str, options: CrawlOptions) -> Source:
    """The source that a command line names. Raises UnusableInput for what is none."""
    if re.match(r"https?://", text, re.IGNORECASE):
        return Source("crawl", crawl=replace(options, start=start_address(text)))
    path = Path(text)
    if not path.is_file():
        return Source("folder", path)
    with path.open("rb") as opened:
        head = opened.read(_HEAD).lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith(b"PK"):
        return Source("zip", path)
    if head.startswith(b"{"):
        return Source("har", path)
    raise UnusableInput(f"{text} is neither a folder, a ZIP archive, a HAR file nor an address.")


def open_source(
    source: Source,
    staging: Path,
    on_file: Progress = nothing,
    stop: Callable[[], bool] = lambda: False,
    earlier: Earlier = NO_EARLIER,
    lazy: tuple[str, ...] = LAZY_ATTRIBUTES,
) -> Opened:
    """Opens a source; `staging` takes what is unpacked or fetched. Raises UnusableInput.

    An address is crawled; a crawl that was stopped says so, and goes on in the same `staging`. `lazy` are the
    attributes from which the site's scripts load images.
    """
    if source.origin == "folder":
        return Opened(Folder(source.place))
    if source.crawl:
        crawl = Crawler(source.crawl, staging, on_file, stop, earlier.seen, earlier.content_of, lazy).run()
        return Opened(Folder(staging), _found_by_crawl(crawl, source.crawl.start), crawl)
    shutil.rmtree(staging, ignore_errors=True)
    if not source.place.exists():
        raise UnusableInput("The file that was sent is not kept any more; add it as a site again.")
    if source.origin == "zip":
        found = Found(faults=tuple(unpack(source.place, staging)))
    else:
        staging.mkdir(parents=True)
        found = found_in_har(read_har(source.place, staging))
    return Opened(Folder(staging), found)


def found_in_har(har: Har) -> Found:
    """What a HAR file tells besides the contents in it."""
    requests, files = requests_of(har)
    hosts = (urlsplit(har.pages[0].address).hostname or "",)
    asked = {page: tuple(found) for page, found in requests.items()}
    return Found(har.aliases, hosts, files=tuple(files), requests=asked)


def _found_by_crawl(crawl: Crawl, start: str) -> Found:
    notes = tuple(Fault("unreadable-address", start, words) for words in crawl.limits)
    return Found(dict(crawl.aliases), (urlsplit(start).hostname or "",), (*crawl.faults, *notes))


def usable_folder(place: Path) -> Folder:
    """A folder that holds a page or a picture. Raises UnusableInput for another."""
    folder = Folder(place)
    paths, _ = folder.paths()
    if not any(is_page(p) or is_named_as_image(p) for p in paths):
        raise UnusableInput(f"The folder {place} holds no web page (.html) and no picture.")
    return folder


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
