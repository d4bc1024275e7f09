"""Alternative texts and names of a site's images: what is suggested, and what of that is written where it leaves."""

from __future__ import annotations

import csv
import io
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import Literal

from ivory_thistle.core.cells import as_it_was, csv_of
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.addresses import base_of, page_address
from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.rewriting.surroundings import Surroundings
from ivory_thistle.core.selection.loads import sheet_reader
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.wording.alternatives import suggested_alternative
from ivory_thistle.core.wording.context import ImageContext, image_contexts
from ivory_thistle.core.wording.names import apart, suggested_name
from ivory_thistle.core.wording.renaming import Renamed, rename_files
from ivory_thistle.core.wording.writing import Written, write_alternatives
from ivory_thistle.workflows.clock import in_time

Kind = Literal["alternative", "name"]
_COLUMNS = ("kind", "page", "path", "line", "text", "suggestion", "why")
_MOST_ROWS, _LONGEST = 100_000, 1_000
_NOT_FOLLOWED = "its alternative texts are not written, since the page can't be followed."
_SELECTED_BY = "no alternative text is written, since a style rule would hold no more, or anew."


@dataclass(frozen=True, slots=True)
class Wording:
    """What was decided: alternative texts by page and image path, and new names without extension by image path."""

    alternatives: Mapping[tuple[str, str], str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)


NO_WORDING = Wording()


@dataclass(frozen=True, slots=True)
class WordingRow:
    """One line of work: an image without alternative text on a page, or a file's name.

    `text` is what was decided (None: nothing yet), `suggestion` what is proposed (None: nothing is), `why` its source.
    """

    kind: Kind
    page: str
    path: str
    line: int
    text: str | None = None
    suggestion: str | None = None
    why: str = ""
    heading: str = ""
    before: str = ""
    after: str = ""


def without_alternative(site: SiteReading, read: Callable[[str], bytes], roles: Mapping[str, Role]) -> list[WordingRow]:
    """Every image of a page that has no alternative text, each file once a page."""
    found = []
    every = list(_images(site, read))
    below = Counter((page.path, image.heading) for page, _, image in every)
    for page, path, image in every:
        if image.alt is not None:
            continue
        # What would be said of several images alike says nothing of any.
        alone = image if below[page.path, image.heading] == 1 else replace(image, heading="")
        suggestion = suggested_alternative(alone, roles.get(path, "content"), path)
        found.append(
            WordingRow(
                "alternative", page.path, path, image.line,
                suggestion=suggestion.text if suggestion else None, why=suggestion.why if suggestion else "",
                heading=image.heading, before=image.before, after=image.after,
            )
        )  # fmt: skip
    once = {(row.page, row.path): row for row in reversed(found)}
    return sorted(once.values(), key=lambda row: (row.page, row.line))


def _images(site: SiteReading, read: Callable[[str], bytes]) -> Iterator[tuple[Page, str, ImageContext]]:
    """The images of all pages with what stands around them; a page that can't be followed is passed by."""
    for page in site.pages:
        if page.is_folder or page.path not in site.files:
            continue
        contexts: list[ImageContext] = []
        with suppress(Exception), in_time(page.bytes):
            contexts = image_contexts(read_html_source(read(page.path)))
        for context, path in zip(contexts, _paths(site, page, contexts), strict=True):
            if path:
                yield page, path, context


def _paths(site: SiteReading, page: Page, contexts: Iterable[ImageContext]) -> Iterator[str]:
    """The files of these `img`s by their address, else by the first of their candidates; empty for none of the site."""
    base = base_of(page_address(page.path), page.base)
    first: dict[int, str] = {}
    for p in page.placements:
        if p.file and p.element == "img" and p.source == page.path:
            first.setdefault(p.tag_start, p.file)
    for context in contexts:
        target = site.index.resolve(base, context.address) if context.address else None
        direct = target.path if target and target.kind == "local" else ""
        path = direct or first.get(context.at, "")
        yield path if path in site.by_path else ""


def file_names(site: SiteReading, read: Callable[[str], bytes]) -> list[WordingRow]:
    """Every image file that pages show, with a better name where its own says little."""
    texts: dict[str, list[str]] = defaultdict(list)
    for page, path, image in _images(site, read):
        texts[path] += [image.alt or "", image.caption, image.heading, page.title]
    for page in site.pages:
        for p in page.placements:
            if p.file and p.file in site.by_path and p.use != "social":
                texts[p.file].append(page.title)
    taken = {path.casefold() for path in site.files}
    rows = []
    for path in sorted(texts):
        folder, _, own = path.rpartition("/")
        extension = own.rsplit(".", 1)[-1] if "." in own[1:] else ""
        wanted = suggested_name(path, sorted(texts[path], key=lambda text: not text)) if extension else ""
        name = None
        if wanted:
            better = apart(wanted, folder, extension, taken)
            taken.add(better.casefold())
            name = better.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        rows.append(WordingRow("name", "", path, 0, suggestion=name, why="What stands around it." if name else ""))
    return rows


def decided(rows: Iterable[WordingRow], wording: Wording) -> list[WordingRow]:
    """The rows with what was decided."""
    return [
        replace(row, text=wording.names.get(row.path))
        if row.kind == "name"
        else replace(row, text=wording.alternatives.get((row.page, row.path)))
        for row in rows
    ]


def with_alternatives(
    site: SiteReading, read: Callable[[str], bytes], texts: Mapping[str, bytes], wording: Wording
) -> tuple[dict[str, bytes], list[Fault]]:
    """The rewritten texts with the alternative texts that were decided, and what was not written.

    Other pages join the rewritten ones where they have some.
    """
    by_page: dict[str, dict[str, str]] = defaultdict(dict)
    for (named, path), text in wording.alternatives.items():
        by_page[named][path] = text
    found, faults = dict(texts), list[Fault]()

    def now(path: str) -> bytes:
        return found[path] if path in found else read(path)

    for page in site.pages:
        if page.path not in by_page or page.path not in site.files:
            continue
        try:
            with in_time(page.bytes):
                written = _with_alternatives_of(site, page, read(page.path), now, by_page[page.path])
        # Whatever goes wrong with one page is that page's fault.
        except Exception:
            faults.append(Fault("alternative-left", page.path, f"{page.path}: {_NOT_FOLLOWED}"))
            continue
        if written.data != now(page.path):
            found[page.path] = written.data
        faults += [
            Fault("alternative-left", page.path, f"{page.path}, line {line}: {_SELECTED_BY}", line)
            for line in written.left
        ]
    return found, faults


def _with_alternatives_of(
    site: SiteReading, page: Page, before: bytes, now: Callable[[str], bytes], chosen: Mapping[str, str]
) -> Written:
    """One page, whose rewriting added no `img` and took none away: their order is that of the original."""
    contexts = image_contexts(read_html_source(before))
    paths = _paths(site, page, contexts)
    numbered = {n: chosen[path] for n, path in enumerate(paths) if path in chosen and contexts[n].alt is None}
    source = read_html_source(now(page.path))
    sheet = sheet_reader(site.index, now, source.encoding)
    around = Surroundings(source, page_address(page.path), sheet, page.has_script)
    return write_alternatives(source, numbered, around.keeps_rules)


def renamed(
    site: SiteReading,
    read: Callable[[str], bytes],
    texts: Mapping[str, bytes],
    new_files: Sequence[NewFile],
    deliveries: Mapping[str, Delivery],
    wording: Wording,
) -> Renamed:
    """The handed-over site's files renamed: originals as decided, and what was made of them alike."""
    new = {f.path: f for f in new_files}
    origin = {f.path: d.path for d in deliveries.values() for f in d.files}
    wanted: dict[str, str] = {}
    taken = {path.casefold() for path in (*site.files, *new)}
    for old, name in sorted(wording.names.items()):
        if old not in site.files:
            continue
        folder, _, own = old.rpartition("/")
        stem, _, extension = own.rpartition(".")
        target = apart(name, folder, extension, taken)
        taken.add(target.casefold())
        wanted[old] = target
        better = target.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        for file in deliveries[old].files if old in deliveries else ():
            made = file.path.rsplit("/", 1)[-1]
            if file.path in new and made.startswith(stem):
                rest, _, kind = (better + made[len(stem) :]).rpartition(".")
                wanted[file.path] = apart(rest, folder, kind, taken)
                taken.add(wanted[file.path].casefold())

    def content(path: str) -> bytes:
        return texts[path] if path in texts else read(path)

    def size(path: str) -> int:
        return len(texts[path]) if path in texts else site.files[path].bytes if path in site.files else new[path].bytes

    paths = {*site.files, *texts, *new}
    return rename_files(paths, content, wanted, size, lambda path: origin.get(path, path))


def wording_csv(rows: Iterable[WordingRow]) -> bytes:
    """RFC 4180 CSV: a row for each line of work, with columns for the decision and the suggestion."""
    return csv_of([_COLUMNS, *([getattr(row, name) for name in _COLUMNS] for row in rows)])


def read_wording(data: bytes, site: SiteReading | None = None) -> Wording:
    """Decisions from such a CSV: its rows with a text, or "decorative" for an empty one. Raises UnusableInput."""
    alternatives: dict[tuple[str, str], str] = {}
    names: dict[str, str] = {}
    try:
        text = data.decode("utf-8-sig")
        for number, written in enumerate(csv.DictReader(io.StringIO(text, newline="")), 2):
            if number > _MOST_ROWS:
                raise UnusableInput(f"Of words, no more than {_MOST_ROWS:,} rows are read.")
            row = {name: as_it_was(written.get(name) or "") for name in _COLUMNS}
            kind, said, path = row["kind"], row["text"].strip(), row["path"]
            if not said or kind not in ("alternative", "name"):
                continue
            if kind == "name":
                names[path] = checked_name(said, f"line {number}: ")
            else:
                alternatives[row["page"], path] = "" if said == "decorative" else said[:_LONGEST]
    except (UnicodeDecodeError, csv.Error) as error:
        raise UnusableInput(f"The words can't be read as CSV in UTF-8: {error}.") from error
    return Wording(alternatives, names)


def checked_name(name: str, where: str = "") -> str:
    """A name for a file without its extension. Raises UnusableInput for one with other letters than a-z, 0-9 and -."""
    plain = name.strip().lower()
    allowed = set("abcdefghijklmnopqrstuvwxyz0123456789-_")
    if not plain or len(plain) > 100 or not set(plain) <= allowed or plain.strip("-_") != plain:
        raise UnusableInput(
            f"{where}{name[:100]!r} is no name for a file; write lower-case letters, digits and hyphens."
        )
    return plain
