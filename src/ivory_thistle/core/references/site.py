"""A whole site read: pages, images, and every placement of an image by a page."""

from __future__ import annotations

import json
import re
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property

from ivory_thistle.core.errors import ThistleError
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.limits import Within, unlimited
from ivory_thistle.core.references.addresses import FileIndex, Resolved, join, page_address
from ivory_thistle.core.references.css import CssReading, read_css
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES, PageReading, Reference, Use, read_page, use_in_css
from ivory_thistle.core.references.source import Source, read_css_source, read_html_source

_PAGE = re.compile(r"\.(?:html?|xhtml)$", re.IGNORECASE)
_MAX_IMPORT_DEPTH = 12


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
    `start:end`, `line` the place there.
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


class Sheets:
    """Style sheets of a site, each read once, with their imports followed."""

    def __init__(self, index: FileIndex, read: Callable[[str], bytes]) -> None:
        self._index, self._read = index, read
        self._cache: dict[str, tuple[CssReading, Source]] = {}

    def reading(self, path: str, encoding: str = "utf-8") -> tuple[CssReading, Source]:
        """The reading of a style sheet file and its source (positions count in its text)."""
        if path not in self._cache:
            source = read_css_source(self._read(path), encoding)
            self._cache[path] = (read_css(source.text, source.decode), source)
        return self._cache[path]

    def reached(self, base: str, address: str, encoding: str) -> tuple[list[str], list[str]]:
        """Paths of the sheet at `address` and all it imports, each once; and the addresses not found."""
        found: dict[str, None] = {}
        missing: list[str] = []

        def follow(base: str, address: str, depth: int) -> None:
            target = self._index.resolve(base, address)
            if target.kind == "missing":
                missing.append(address)
            if target.kind != "local" or target.path in found or depth > _MAX_IMPORT_DEPTH:
                return
            found[target.path] = None
            reading, _ = self.reading(target.path, encoding)
            for imported in reading.imports:
                follow(page_address(target.path), imported.address, depth + 1)

        follow(base, address, 0)
        return list(found), missing


def is_page(path: str) -> bool:
    """True for the paths that are read as HTML documents."""
    return bool(_PAGE.search(path))


def read_site(
    files: Iterable[SiteFile],
    read: Callable[[str], bytes],
    faults: Iterable[Fault] = (),
    own_hosts: Iterable[str] = (),
    aliases: Mapping[str, str] | None = None,
    on_page: Callable[[str], None] = lambda path: None,
    lazy_attributes: tuple[str, ...] = LAZY_ATTRIBUTES,
    judge: Callable[[str, Source], Iterable[Fault]] = lambda path, source: (),
    on_failure: Callable[[str, Exception], None] = lambda path, error: None,
    within: Within = unlimited,
    skipped: Collection[str] = (),
) -> SiteReading:
    """Reads every page of a site and joins pages with images.

    `read` gives a file's bytes by path; `on_page` is told each page as it is read; `judge` gives the faults of a
    page's markup. A page that can't be read (`within` its time) is a fault, is listed without images, and is told to
    `on_failure`; one of `skipped` is known to be such a page.
    """
    by_path = {f.path: f for f in files}
    hosts = tuple(own_hosts)
    index = FileIndex(by_path, hosts, aliases)
    sheets = Sheets(index, read)
    collected = list(faults)
    pages, linked = [], set[str]()
    for path in sorted(p for p in by_path if is_page(p)):
        page, links = Page(path, "", "", by_path[path].bytes, (), 0, (), (), ()), set[str]()
        try:
            if path not in skipped:
                with within(by_path[path].bytes):
                    source = read_html_source(read(path))
                    page, links = _read_one(path, source, by_path, index, sheets, read, collected, lazy_attributes)
                    collected += judge(path, source)
        except Exception as error:
            # Whatever one page holds, the others are read.
            on_failure(path, error)
            collected.append(_unreadable(path, error))
        pages.append(page)
        linked |= links
        on_page(path)
    if not pages:
        pages = _folders(by_path)
    images = _group_images(by_path, pages, linked)
    joined = {p: i for i in images for p in i.paths}
    return SiteReading(by_path, tuple(pages), images, tuple(dict.fromkeys(collected)), hosts, aliases or {}, joined)


def _unreadable(path: str, error: Exception) -> Fault:
    why = f"its markup can't be followed; {type(error).__name__}"
    if isinstance(error, OSError):
        why = f"it can't be read here ({error.strerror})"
    elif isinstance(error, ThistleError):
        why = str(error).rstrip(".")
    return Fault("unreadable-page", path, f"{path} is not audited: {why}.")


def _read_one(
    path: str,
    source: Source,
    files: Mapping[str, SiteFile],
    index: FileIndex,
    sheets: Sheets,
    read: Callable[[str], bytes],
    faults: list[Fault],
    lazy_attributes: tuple[str, ...],
) -> tuple[Page, set[str]]:
    reading = read_page(source, lazy_attributes)
    base = base_address(path, reading)
    found = [(path, base, reference) for reference in reading.references]
    broken: dict[str, None] = {}
    reached: dict[str, None] = {}
    for address in reading.stylesheets:
        local, missing = sheets.reached(base, address, source.encoding)
        reached.update(dict.fromkeys(local))
        broken.update(dict.fromkeys(missing))
    for sheet in reached:
        css, sheet_source = sheets.reading(sheet, source.encoding)
        for named in css.references:
            line = sheet_source.line_of(named.start)
            use = use_in_css(css, named)
            reference = Reference(named.address, "css", "url", named.start, named.end, line, use=use)
            found.append((sheet, page_address(sheet), reference))
    for address in reading.manifests:
        found += _manifest_icons(index.resolve(base, address), read)
    placements, used, remote = [], dict[str, None](), dict[str, None]()
    for origin, at, r in found:
        target = index.resolve(at, r.address)
        if target.kind == "remote":
            remote[target.path] = None
        if target.kind not in ("local", "missing"):
            continue
        if target.kind == "missing":
            broken[r.address] = None
            if target.hint:
                message = f"{r.address} is not found; {target.hint}."
                faults.append(Fault("wrong-case", origin, message, r.line))
        elif files[target.path].image:
            used[target.path] = None
        file = target.path if target.kind == "local" else None
        placements.append(
            Placement(
                path, file, r.address, r.element, r.attribute, origin, r.start, r.end, r.line,
                r.descriptor, r.use, r.declared_width, r.tag_start, r.choice_start,
            )
        )  # fmt: skip
    links = {t.path for link in reading.links if (t := index.resolve(base, link.address)).kind == "local"}
    page = Page(
        path=path,
        title=reading.title,
        encoding=source.encoding,
        bytes=files[path].bytes,
        files=tuple(used),
        image_bytes=sum(files[p].bytes for p in used),
        broken=tuple(broken),
        remote=tuple(remote),
        placements=tuple(placements),
        stylesheets=tuple(reached),
        data_bytes=reading.data_bytes,
        base=reading.base,
        has_script=reading.has_script,
    )
    return page, links


_MANIFEST_SOURCE = re.compile(r'"src"\s*:\s*("(?:[^"\\]|\\.)*")')


def _manifest_icons(manifest: Resolved, read: Callable[[str], bytes]) -> Iterator[tuple[str, str, Reference]]:
    """The icons and screenshots of a web manifest: https://www.w3.org/TR/appmanifest/#manifest-image-resources"""
    if manifest.kind != "local":
        return
    text = read(manifest.path).decode("utf-8", "replace")
    for found in _MANIFEST_SOURCE.finditer(text):
        with suppress(ValueError):
            address = str(json.loads(found.group(1)))
            line = text.count("\n", 0, found.start()) + 1
            start, end = found.start(1) + 1, found.end(1) - 1
            yield manifest.path, page_address(manifest.path), Reference(address, "manifest", "src", start, end, line)


def base_address(path: str, reading: PageReading) -> str:
    """The address against which a page's references resolve (its own, or that of `base href`)."""
    own = page_address(path)
    return (join(own, reading.base) or own) if reading.base else own


def _folders(files: Mapping[str, SiteFile]) -> list[Page]:
    """The folders of a capture without pages, each in a page's place: it shows every picture in it once."""
    members: dict[str, list[SiteFile]] = defaultdict(list)
    for path in sorted(files):
        if files[path].image:
            members[f"{path.rpartition('/')[0] or '.'}/"].append(files[path])
    return [
        Page(
            path=folder, title="", encoding="", bytes=0, files=tuple(f.path for f in inside),
            image_bytes=sum(f.bytes for f in inside), broken=(), remote=(),
            placements=tuple(
                Placement(folder, f.path, f.path, "folder", "", f.path, 0, 0, 0, use="single") for f in inside
            ),
        )
        for folder, inside in members.items()
    ]  # fmt: skip


def _group_images(files: Mapping[str, SiteFile], pages: Iterable[Page], linked: set[str]) -> tuple[Image, ...]:
    """Images by content; within one, paths in use come first, then by name."""
    users: dict[str, list[str]] = defaultdict(list)
    for page in pages:
        for path in page.files:
            users[path].append(page.path)
    groups: dict[str, list[SiteFile]] = defaultdict(list)
    for file in files.values():
        if file.image:
            groups[file.sha256].append(file)
    images = []
    for group in groups.values():
        group.sort(key=lambda f: (f.path not in users, f.path))
        facts = group[0].image
        assert facts is not None
        on = dict.fromkeys(p for f in group for p in users.get(f.path, ()))
        is_linked = any(f.path in linked for f in group)
        images.append(Image(facts, tuple(f.path for f in group), tuple(on), is_linked, group[0].look))
    return tuple(sorted(images, key=lambda i: i.path))
