"""File names for what was fetched by address, so that a capture of a live site reads like a folder."""

from __future__ import annotations

import re
from hashlib import sha256
from urllib.parse import unquote, urlsplit

from ivory_thistle.core.formats.table import FORMATS, extension_of, image_extensions, sniff_format
from ivory_thistle.core.references.addresses import origin_form

HOSTS_FOLDER = "_hosts"
_HTML = frozenset({"text/html", "application/xhtml+xml"})
_UNSAFE = re.compile(r"[\x00-\x1f\x7f<>:\"|?*\\]")


_LONGEST_PATH = 1_000
"""In bytes of UTF-8; file systems and the database take more."""


class Names:
    """Gives each address a path of its own; `aliases` leads from addresses that are not spelt like their path.

    A key is the address without its origin, `/path?query`, or `//host/path?query` on a host that is not the site's own.
    """

    def __init__(self, host: str, aliases: dict[str, str] | None = None) -> None:
        self._host = host
        self.aliases: dict[str, str] = dict(aliases or {})
        self._taken: dict[str, str] = {}

    def key(self, address: str) -> str:
        """The alias key of an address."""
        parts = urlsplit(address)
        return origin_form(parts) if parts.netloc == self._host else f"//{parts.netloc}{origin_form(parts)}"

    def give(self, address: str, kind: str, data: bytes) -> str:
        """The path for what came from an address."""
        parts = urlsplit(address)
        wanted = unquote(parts.path).lstrip("/")
        if not wanted or wanted.endswith("/"):
            wanted += "index.html" if kind in _HTML else "index"
        if parts.query:
            stem, dot, extension = wanted.rpartition(".")
            query = re.sub(r"[^\w=&.,+-]", "_", unquote(parts.query))[:80]
            wanted = f"{stem}__{query}.{extension}" if dot and "/" not in extension else f"{wanted}__{query}"
        wanted = _with_extension(wanted, kind, data)
        if parts.netloc != self._host:
            wanted = f"{HOSTS_FOLDER}/{parts.netloc.replace(':', '_')}/{wanted}"
        path = self._free(_shortened("/".join(map(_safe, wanted.split("/")))), address)
        if unquote(self.key(address)) != f"/{path}":
            self.aliases[self.key(address)] = path
        return path

    def also(self, address: str, path: str) -> None:
        """Another address that leads to the same file."""
        if unquote(self.key(address)) != f"/{path}":
            self.aliases[self.key(address)] = path

    def _free(self, wanted: str, address: str) -> str:
        """The path itself, or with a number where it or a folder of that name is taken, whatever its case."""
        number, path = 1, wanted
        while self._clashes(path, address):
            number += 1
            stem, dot, extension = wanted.rpartition(".")
            path = f"{stem}~{number}.{extension}" if dot and "/" not in extension else f"{wanted}~{number}"
        folded = path.casefold()
        self._taken[folded] = address
        for end in (n for n, letter in enumerate(folded) if letter == "/"):
            self._taken.setdefault(folded[:end], "/")
        return path

    def _clashes(self, path: str, address: str) -> bool:
        folded = path.casefold()
        if self._taken.get(folded, address) != address:
            return True
        return any(
            self._taken.get(folded[:end], "/") != "/" for end in (n for n, letter in enumerate(folded) if letter == "/")
        )


def _safe(part: str) -> str:
    """One step of a path that leads nowhere else: an encoded slash may have brought `..`, or a hidden name, into it."""
    clean = _UNSAFE.sub("_", part).encode("utf-8", "replace")[-180:].decode("utf-8", "ignore")
    return f"_{clean}" if clean.startswith(".") or not clean else clean


def _shortened(path: str) -> str:
    """A path that is too long for a file system, led by a hash in the place of its folders."""
    if len(path.encode()) <= _LONGEST_PATH:
        return path
    return f"{sha256(path.encode()).hexdigest()[:16]}/{path.rpartition('/')[2]}"


def _with_extension(path: str, kind: str, data: bytes) -> str:
    """The path with an extension that tells what the content is, so that it is read as such."""
    extension = extension_of(path)
    if kind in _HTML:
        return path if extension in ("html", "htm", "xhtml") else f"{path}.html"
    if kind == "text/css":
        return path if extension == "css" else f"{path}.css"
    found = sniff_format(data[:4096])
    if found and extension not in image_extensions():
        return f"{path}.{FORMATS[found].extensions[0]}"
    # An image address that ends in .html would be read as a page.
    return f"{path}.bin" if extension in ("html", "htm", "xhtml", "css") else path
