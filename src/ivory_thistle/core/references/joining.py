"""A site's pages read, and joined with the images that they name."""

from __future__ import annotations

import json
import re
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from ivory_thistle.core.errors import ThistleError
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.limits import Within, unlimited
from ivory_thistle.core.references.addresses import FileIndex, Resolved, base_of, page_address
from ivory_thistle.core.references.css import CssReading, read_css
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES, PageReading, Reference, read_page, use_in_css
from ivory_thistle.core.references.site import FOLDER, Image, Page, Placement, SiteFile, SiteReading, is_page
from ivory_thistle.core.references.source import Source, read_css_source, read_html_source
from ivory_thistle.core.references.templates import MOST_TEMPLATE_BYTES, is_template, named_in_template

_MAX_IMPORT_DEPTH = 12


def read_site(
    files: Iterable[SiteFile],
    read: Callable[[str], bytes],
    faults: Iterable[Fault] = (),
    own_hosts: Iterable[str] = (),
    aliases: Mapping[str, str] | None = None,
    on_page: Callable[[str], None] = lambda path: None,
    lazy_attributes: tuple[str, ...] = LAZY_ATTRIBUTES,
    known: Callable[[str], PageReading | None] = lambda path: None,
    on_failure: Callable[[str, Exception], None] = lambda path, error: None,
    within: Within = unlimited,
    skipped: Collection[str] = (),
) -> SiteReading:
    """Reads every page of a site and joins pages with images.

    `read` gives a file's bytes by path; `on_page` is told each page as it is read; `known` gives the reading of a page
    where there is one already. A page that can't be read (`within` its time) is a fault, is listed without images, and
    is told to `on_failure`; one of `skipped` is known to be such a page.
    """
    by_path = {f.path: f for f in files}
    hosts = tuple(own_hosts)
    joiner = _Joiner(by_path, FileIndex(by_path, hosts, aliases), read)
    collected = list(faults)
    pages, linked = [], set[str]()
    for path in sorted(p for p in by_path if is_page(p)):
        joined = _Joined(Page(path, "", "", by_path[path].bytes, (), 0, (), (), ()))
        try:
            if path not in skipped:
                with within(by_path[path].bytes):
                    reading = known(path) or read_page(read_html_source(read(path)), lazy_attributes)
                    joined = joiner.join(path, reading)
                    collected += [*joined.faults, *reading.faults]
        except Exception as error:
            # Whatever one page holds, the others are read.
            on_failure(path, error)
            collected.append(unreadable_page(path, error))
        pages.append(joined.page)
        linked |= joined.links
        on_page(path)
    linked |= _named_in_templates(by_path, read, joiner.index)
    if not pages:
        pages = _folders(by_path)
    images = _group_images(by_path, pages, linked)
    image_of = {p: i for i in images for p in i.paths}
    return SiteReading(by_path, tuple(pages), images, tuple(dict.fromkeys(collected)), hosts, aliases or {}, image_of)


def _named_in_templates(files: Mapping[str, SiteFile], read: Callable[[str], bytes], index: FileIndex) -> set[str]:
    """The files that templates, components and Markdown name: they are in use, though no page loads them."""
    found: set[str] = set()
    for path, file in files.items():
        if is_template(path) and file.bytes <= MOST_TEMPLATE_BYTES:
            with suppress(OSError, ValueError):
                found |= {named.path for named in named_in_template(path, read(path), index)[1]}
    return found


def unreadable_page(path: str, error: Exception) -> Fault:
    """What is said of a page whose reading ended in an error."""
    why = f"its markup can't be followed; {type(error).__name__}"
    if isinstance(error, OSError):
        why = f"it can't be read here ({error.strerror})"
    elif isinstance(error, ThistleError):
        why = str(error).rstrip(".")
    return Fault("unreadable-page", path, f"{path} is not audited: {why}.")


@dataclass(slots=True)
class _Joined:
    """A page, the files that it links to, and what is wrong with its references."""

    page: Page
    links: set[str] = field(default_factory=set)
    faults: list[Fault] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Named:
    """An address that a file names: the file, the address that relative ones start from, and where it stands."""

    source: str
    base: str
    reference: Reference


@dataclass(slots=True)
class _Resolved:
    """What a page's references lead to, each once and in their order."""

    placements: list[Placement] = field(default_factory=list)
    used: dict[str, None] = field(default_factory=dict)
    broken: dict[str, None] = field(default_factory=dict)
    remote: dict[str, None] = field(default_factory=dict)


class _Joiner:
    """Joins the pages of one site."""

    def __init__(self, files: Mapping[str, SiteFile], index: FileIndex, read: Callable[[str], bytes]) -> None:
        self._files, self.index, self._read = files, index, read
        self._sheets = Sheets(index, read)
        self._named_in: dict[str, list[_Named]] = {}

    def join(self, path: str, reading: PageReading) -> _Joined:
        """Follows what one page names."""
        base = base_of(page_address(path), reading.base)
        sheets, missing = self._sheets_of(reading, base)
        named = [_Named(path, base, reference) for reference in reading.references]
        for sheet in sheets:
            named += self._named_in_sheet(sheet, reading.encoding)
        for address in reading.manifests:
            named += _manifest_icons(self.index.resolve(base, address), self._read)
        resolved, faults = self._resolve(path, named, missing)
        page = Page(
            path=path,
            title=reading.title,
            encoding=reading.encoding,
            bytes=self._files[path].bytes,
            files=tuple(resolved.used),
            image_bytes=sum(self._files[p].bytes for p in resolved.used),
            broken=tuple(resolved.broken),
            remote=tuple(resolved.remote),
            placements=tuple(resolved.placements),
            stylesheets=tuple(sheets),
            data_bytes=reading.data_bytes,
            base=reading.base,
            has_script=reading.has_script,
        )
        # Many links lead to places of the same page.
        pages = {link.address.partition("#")[0] for link in reading.links}
        targets = (self.index.resolve(base, address) for address in pages)
        return _Joined(page, {t.path for t in targets if t.kind == "local"}, faults)

    def _sheets_of(self, reading: PageReading, base: str) -> tuple[list[str], list[str]]:
        """The style sheets that a page reaches, each once, and the addresses of those not found."""
        reached: dict[str, None] = {}
        broken: dict[str, None] = {}
        for address in reading.stylesheets:
            local, missing = self._sheets.reached(base, address, reading.encoding)
            reached.update(dict.fromkeys(local))
            broken.update(dict.fromkeys(missing))
        return list(reached), list(broken)

    def _named_in_sheet(self, sheet: str, encoding: str) -> list[_Named]:
        known = self._named_in.get(sheet)
        if known is None:
            known = []
            css, source = self._sheets.reading(sheet, encoding)
            base = page_address(sheet)
            for found in css.references:
                line, use = source.line_of(found.start), use_in_css(css, found)
                steady = css.is_steady(found)
                reference = Reference(found.address, "css", "url", found.start, found.end, line, use=use, steady=steady)
                known.append(_Named(sheet, base, reference))
            self._named_in[sheet] = known
        return known

    def _resolve(self, path: str, named: Iterable[_Named], missing: Iterable[str]) -> tuple[_Resolved, list[Fault]]:
        resolved, faults = _Resolved(broken=dict.fromkeys(missing)), list[Fault]()
        for one in named:
            r = one.reference
            target = self.index.resolve(one.base, r.address)
            if target.kind == "remote":
                resolved.remote[target.path] = None
            if target.kind not in ("local", "missing"):
                continue
            if target.kind == "missing":
                resolved.broken[r.address] = None
            elif self._files[target.path].image:
                resolved.used[target.path] = None
            if target.kind == "missing" and target.hint:
                message = f"{r.address} is not found; {target.hint}."
                faults.append(Fault("wrong-case", one.source, message, r.line))
            file = target.path if target.kind == "local" else None
            resolved.placements.append(_placement(path, file, one.source, r))
        return resolved, faults


def _placement(page: str, file: str | None, source: str, r: Reference) -> Placement:
    return Placement(
        page=page, file=file, address=r.address, element=r.element, attribute=r.attribute, source=source,
        start=r.start, end=r.end, line=r.line, descriptor=r.descriptor, use=r.use, declared_width=r.declared_width,
        tag_start=r.tag_start, choice_start=r.choice_start, steady=r.steady,
    )  # fmt: skip


class Sheets:
    """Style sheets of a site, each read once, with their imports followed."""

    def __init__(self, index: FileIndex, read: Callable[[str], bytes]) -> None:
        self.index, self._read = index, read
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
            target = self.index.resolve(base, address)
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


_MANIFEST_SOURCE = re.compile(r'"src"\s*:\s*("(?:[^"\\]|\\.)*")')


def _manifest_icons(manifest: Resolved, read: Callable[[str], bytes]) -> Iterator[_Named]:
    """The icons and screenshots of a web manifest: https://www.w3.org/TR/appmanifest/#manifest-image-resources"""
    if manifest.kind != "local":
        return
    text = read(manifest.path).decode("utf-8", "replace")
    for found in _MANIFEST_SOURCE.finditer(text):
        with suppress(ValueError):
            address = str(json.loads(found.group(1)))
            line = text.count("\n", 0, found.start()) + 1
            start, end = found.start(1) + 1, found.end(1) - 1
            reference = Reference(address, "manifest", "src", start, end, line)
            yield _Named(manifest.path, page_address(manifest.path), reference)


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
                Placement(folder, f.path, f.path, FOLDER, "", f.path, 0, 0, 0, use="single") for f in inside
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
