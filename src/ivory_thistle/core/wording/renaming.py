"""Files of a site renamed in every text that names them; where that is not sure, a file keeps its name."""

from __future__ import annotations

import html
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from urllib.parse import quote, unquote

from ivory_thistle.core.cells import csv_of
from ivory_thistle.core.formats.table import is_named_as_image
from ivory_thistle.core.references.addresses import FileIndex, base_of, page_address
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.site import is_page
from ivory_thistle.core.references.source import Edit, Source, read_css_source, read_html_source

_TEXTS = frozenset(
    {"js", "mjs", "cjs", "ts", "jsx", "tsx", "json", "webmanifest", "xml", "txt", "md", "mdx", "php", "phtml", "vue",
     "svelte", "astro", "erb", "twig", "liquid", "hbs", "ejs", "njk", "j2", "jsp", "asp", "aspx", "cshtml", "svg",
     "csv", "yml", "yaml", "toml", "htaccess", "conf"}
)  # fmt: skip
"""Extensions of files that may name an image without our knowing how they are read."""
_MOST_BYTES = 4_000_000
_OURS = frozenset({"manifest.json", "handover-manifest.json", "savings.csv", "handover-savings.csv"})


@dataclass(frozen=True, slots=True)
class Renamed:
    """New texts by path, the files that got other paths, and why others kept theirs."""

    texts: Mapping[str, bytes]
    moved: Mapping[str, str]
    kept: Mapping[str, str] = field(default_factory=dict)


def rename_files(
    paths: Iterable[str],
    read: Callable[[str], bytes],
    wanted: Mapping[str, str],
    size: Callable[[str], int],
    original_of: Callable[[str], str] = lambda path: path,
) -> Renamed:
    """Renames files of a site (`paths`); `wanted` leads from old paths to new ones in the same folder.

    Every page and style sheet is read. A file that anything else names, or a page in a way that can't be followed,
    keeps its name, and so do all files of the same original (`original_of`).
    """
    every = sorted(paths)
    names = _Names(FileIndex(every), wanted)
    for path in every:
        if path not in _OURS and size(path) <= _MOST_BYTES and _is_text(path):
            names.look_at(path, read(path))
    together = {original_of(path): why for path, why in names.kept.items()}
    kept = {path: together[original_of(path)] for path in wanted if original_of(path) in together}
    moved = {old: new for old, new in wanted.items() if old not in kept}
    texts = {}
    for path, edits in names.edits.items():
        chosen = list(dict.fromkeys(edit for old, edit in edits if old in moved))
        if chosen:
            texts[path] = names.sources[path].apply(chosen)
    return Renamed(texts, moved, kept)


def _is_text(path: str) -> bool:
    extension = path.rsplit(".", 1)[-1].lower()
    return is_page(path) or extension == "css" or extension in _TEXTS


class _Names:
    """Where the texts of a site name the files that are to be renamed."""

    def __init__(self, index: FileIndex, wanted: Mapping[str, str]) -> None:
        self._index, self._wanted = index, wanted
        self._by_name: dict[str, list[str]] = defaultdict(list)
        for old in wanted:
            self._by_name[_name(old)].append(old)
        self.sources: dict[str, Source] = {}
        self.edits: dict[str, list[tuple[str, Edit]]] = defaultdict(list)
        self.kept: dict[str, str] = {}

    def look_at(self, path: str, data: bytes) -> None:
        """Notes what one text names, and what of it can't be changed."""
        source = read_html_source(data) if is_page(path) else read_css_source(data)
        followed = is_page(path) or path.lower().endswith(".css")
        self.sources[path] = source
        spans: list[tuple[int, int]] = []
        for old, start, end in _named(path, source, self._index, self._wanted) if followed else ():
            edit = _edit(source, start, end, _name(old), _name(self._wanted[old]))
            if edit is None:
                self.kept[old] = f"{path} names it in a way that can't be changed by position."
            else:
                self.edits[path].append((old, edit))
                spans.append((edit.start, edit.end))
        for name, at in _left(source.text, spans):
            for old in self._by_name.get(name, ()):
                line = source.line_of(at)
                self.kept.setdefault(old, f"{path} names it in line {line}, where it is not sure how that is read.")


def _name(path: str) -> str:
    return path.rsplit("/", 1)[-1]


def _named(path: str, source: Source, index: FileIndex, wanted: Mapping[str, str]) -> Iterator[tuple[str, int, int]]:
    """The places of a page or style sheet that name one of the wanted files."""
    if is_page(path):
        reading = read_page(source)
        base = base_of(page_address(path), reading.base)
        places = [(r.address, r.start, r.end) for r in reading.references]
        places += [(link.address, link.start, link.end) for link in reading.links]
    else:
        base = page_address(path)
        places = [(r.address, r.start, r.end) for r in read_css(source.text, source.decode).references]
    for address, start, end in places:
        target = index.resolve(base, address)
        if target.kind == "local" and target.path in wanted:
            yield target.path, start, end


def _edit(source: Source, start: int, end: int, old: str, new: str) -> Edit | None:
    """The file's name within a place changed; None where it is not written there plainly."""
    raw = source.text[start:end]
    for written in dict.fromkeys((old, quote(old), html.escape(old), quote(old, safe=""), source.encode(old))):
        at = raw.rfind(written)
        if at >= 0:
            return Edit(start + at, start + at + len(written), new)
    return None


_TOKEN = re.compile(r"[^\s\"'()<>/\\?#=,;:{}\[\]|]++")


def _left(text: str, spans: Iterable[tuple[int, int]]) -> Iterator[tuple[str, int]]:
    """The names of image files that stand in a text outside the spans, with their places."""
    inside = sorted(spans)
    at = 0
    for found in _TOKEN.finditer(text):
        while at < len(inside) and inside[at][1] <= found.start():
            at += 1
        outside = at == len(inside) or found.end() <= inside[at][0]
        if outside and is_named_as_image(found.group()):
            yield unquote(html.unescape(found.group())), found.start()


def redirects(moved: Mapping[str, str]) -> dict[str, bytes]:
    """Old addresses led to the new ones: as CSV, for nginx, and for Apache, by the path of each text."""
    pairs = sorted((f"/{quote(old)}", f"/{quote(new)}") for old, new in moved.items())
    nginx = "".join(f"location = {_nginx(old)} {{ return 301 {new}; }}\n" for old, new in pairs)
    apache = "".join(
        f"RedirectMatch 301 ^{re.escape(unquote(old)).replace(' ', chr(92) + 's')}$ {new}\n" for old, new in pairs
    )
    return {
        "redirects.csv": csv_of([("from", "to"), *pairs]),
        "server-snippets/redirects.nginx.conf": f"# In server {{ }}:\n{nginx}".encode(),
        "server-snippets/redirects.apache.conf": f"# In .htaccess or <Directory>; needs mod_alias:\n{apache}".encode(),
    }


def _nginx(address: str) -> str:
    """An address as nginx compares it: decoded, in quotes."""
    return '"' + unquote(address).replace("\\", "\\\\").replace('"', '\\"') + '"'


def _apache(address: str) -> str:
    """An expression for an address as Apache compares it: decoded, in quotes."""
    return '"^' + re.escape(unquote(address)).replace('"', '\\"') + '$"'
