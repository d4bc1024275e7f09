"""A whole site read: pages, images, and every placement of an image by a page."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.page import Use

FOLDER = "folder"
"""The element of pictures that lie in a folder without pages."""
_PAGE = re.compile(r"\.(?:html?|xhtml)$", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class SiteFile:
    """One file of a capture, by its path within the site; a picture has facts and, where it decodes, a look."""

    path: str
    sha256: str
    bytes: int
    image: ImageFacts | None = None
    look: Look | None = None


@dataclass(frozen=True, slots=True)
class Placement:
    """One use of a picture by a page.

    `file` is the path it leads to (None: missing); `source` the HTML or CSS file that names it, and
    `start:end`, `line` the place there. `steady`: a style rule names it that holds at any time, not while something is
    pointed at or open.
    """

    page: str
    file: str | None
    address: str
    element: str
    attribute: str
    source: str
    start: int
    end: int
    line: int
    descriptor: str = ""
    use: Use = "kept"
    declared_width: int = 0
    tag_start: int = 0
    choice_start: int = 0
    steady: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """One HTML document. `files` are the distinct local picture files it references, in first-use order.

    `has_script`: a script might show pictures that no markup names.
    """

    path: str
    title: str
    encoding: str
    bytes: int
    files: tuple[str, ...]
    image_bytes: int
    broken: tuple[str, ...]
    remote: tuple[str, ...]
    placements: tuple[Placement, ...]
    stylesheets: tuple[str, ...] = ()
    data_bytes: int = 0
    has_script: bool = False
    base: str | None = None

    @property
    def is_folder(self) -> bool:
        """True for a folder of pictures that stands in a page's place."""
        return self.path.endswith("/")


@dataclass(frozen=True, slots=True)
class Image:
    """One distinct content with all its paths; `pages` are the pages that reference any of them."""

    facts: ImageFacts
    paths: tuple[str, ...]
    pages: tuple[str, ...]
    linked: bool = False
    look: Look | None = None

    @property
    def path(self) -> str:
        """The path it is listed under: the first in use, else the first."""
        return self.paths[0]

    @property
    def unused(self) -> bool:
        """True when no page references or links it."""
        return not self.pages and not self.linked


@dataclass(frozen=True)
class SiteReading:
    """A site as read: everything that audit, treatment and handover start from."""

    files: Mapping[str, SiteFile]
    pages: tuple[Page, ...]
    images: tuple[Image, ...]
    faults: tuple[Fault, ...]
    own_hosts: tuple[str, ...] = ()
    aliases: Mapping[str, str] = field(default_factory=dict)
    by_path: Mapping[str, Image] = field(default_factory=dict)

    @cached_property
    def index(self) -> FileIndex:
        """Finds the site's files by address."""
        return FileIndex(self.files, self.own_hosts, self.aliases)

    @property
    def is_pictures_alone(self) -> bool:
        """Whether no page shows its images: folders stand in the pages' place."""
        return all(page.is_folder for page in self.pages)

    @property
    def image_bytes(self) -> int:
        """Bytes of all image files, copies included."""
        return sum(i.facts.bytes * len(i.paths) for i in self.images)

    @property
    def used_bytes(self) -> int:
        """Bytes of the distinct image files that pages reference."""
        return sum(self.files[p].bytes for p in {p for page in self.pages for p in page.files})

    @property
    def broken_count(self) -> int:
        """Broken references, counted per page that has them."""
        return sum(len(p.broken) for p in self.pages)


def is_page(path: str) -> bool:
    """True for the paths that are read as HTML documents."""
    return bool(_PAGE.search(path))
