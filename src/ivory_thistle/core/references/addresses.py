"""Addresses: from what markup says to a file of the site.

Resolution is that of https://url.spec.whatwg.org/, by the library ada.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from string import ascii_letters, digits
from typing import Literal
from urllib.parse import SplitResult, quote, unquote, urlsplit

import ada_url

SITE_ORIGIN = "http://site.invalid"
"""Stands for the site's own origin where none is known (RFC 6761 keeps `.invalid` free)."""

AddressKind = Literal["local", "missing", "remote", "data", "other"]


@dataclass(frozen=True, slots=True)
class Resolved:
    """Where an address leads. `path` is the file within the site for "local", else what was looked for."""

    kind: AddressKind
    path: str
    hint: str = ""


def page_address(path: str) -> str:
    """The address of a file of the site, e.g. `news/a b.html` -> `http://site.invalid/news/a%20b.html`."""
    return f"{SITE_ORIGIN}/{quote(path)}"


def join(base: str, address: str) -> str | None:
    """The absolute address (https://url.spec.whatwg.org/#concept-url-parser), or None for a failure."""
    try:
        return str(ada_url.join_url(base, address))
    except ValueError:
        return None


def origin_form(parts: SplitResult) -> str:
    """The path of an address with its query, as its server is asked for it (RFC 9112, section 3.2.1)."""
    return (parts.path or "/") + (f"?{parts.query}" if parts.query else "")


def host_of(address: str) -> str:
    """The host of an address in lower case; empty for what is no address."""
    try:
        return (urlsplit(address).hostname or "").lower()
    except ValueError:
        return ""


NO_SERVER = ("", 0)
"""What stands for no server of the web."""


def server_of(address: str) -> tuple[str, int]:
    """Host in lower case and port of an address; NO_SERVER for what is no address of the web.

    The default ports of HTTP and HTTPS count as one, 443: a site may answer on both, and be the same.
    """
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        return NO_SERVER
    if not parts.hostname or parts.scheme.lower() not in ("http", "https"):
        return NO_SERVER
    return parts.hostname.lower(), 443 if port in (None, 80, 443) else port


_MOST_KNOWN, _LONGEST_KNOWN = 50_000, 300
"""Resolved addresses that are remembered, and the characters of the longest."""
_RELATIVE_STARTS = frozenset(f"{ascii_letters}{digits}./_-")
"""An address that starts otherwise may hang on the name of the document too, like `#top` or `?page=2`."""
_ODD = re.compile(r"[?#\\\s]")
"""What keeps the folder of a document from being plain to see."""


class FileIndex:
    """Finds a site's files by address path: exactly, then with Unicode composed (NFC) on both sides."""

    def __init__(
        self, paths: Iterable[str], own_hosts: Iterable[str] = (), aliases: Mapping[str, str] | None = None
    ) -> None:
        """`aliases` lead from addresses to files of other names: `/path?query`, or `//host/path?query` of any host."""
        self._aliases = aliases or {}
        self._paths = set(paths)
        self._composed = {unicodedata.normalize("NFC", p): p for p in self._paths}
        self._folded: Mapping[str, str] = {p.casefold(): p for p in self._paths}
        self._hosts = {urlsplit(SITE_ORIGIN).hostname, *(h.lower() for h in own_hosts)}
        self._known: dict[tuple[str, str], Resolved] = {}

    def __contains__(self, path: str) -> bool:
        return path in self._paths

    def taken(self, path: str) -> bool:
        """True where a new file of that path would clash, also on a file system blind to case."""
        return path.casefold() in self._folded

    def resolve(self, base: str, address: str) -> Resolved:
        """Resolves `address` as written in the document at the absolute address `base`."""
        folder = _folder(base)
        if not folder or address[:1] not in _RELATIVE_STARTS or len(address) > _LONGEST_KNOWN:
            return self._resolve(base, address)
        # The pages of a folder name the same files again and again.
        known = self._known.get((folder, address))
        if known is None:
            if len(self._known) >= _MOST_KNOWN:
                self._known.clear()
            known = self._known[folder, address] = self._resolve(folder, address)
        return known

    def _resolve(self, base: str, address: str) -> Resolved:
        if address.lstrip()[:5].lower() == "data:":
            return Resolved("data", "")
        absolute = join(base, address)
        if absolute is None:
            return Resolved("other", address)
        try:
            parts = urlsplit(absolute)
            host = (parts.hostname or "").lower()
        except ValueError:
            return Resolved("other", address)
        if parts.scheme not in ("http", "https"):
            return Resolved("other", absolute)
        own = host in self._hosts
        if self._aliases:
            key = origin_form(parts) if own else f"//{parts.netloc}{origin_form(parts)}"
            if key in self._aliases:
                return Resolved("local", self._aliases[key])
        if not own:
            return Resolved("remote", absolute)
        return self._find(unquote(parts.path).lstrip("/"))

    def _find(self, path: str) -> Resolved:
        found = next((p for p in spellings(path) if p in self._paths), None)
        if found is not None:
            return Resolved("local", found)
        composed = self._composed.get(unicodedata.normalize("NFC", path))
        if composed:
            return Resolved("local", composed)
        other = self._folded.get(path.casefold())
        return Resolved("missing", path, f"the file is called {other}" if other else "")


@lru_cache(maxsize=1000)
def _folder(base: str) -> str:
    """What a relative path in the document at `base` starts from; empty where that is not plain to see."""
    end = base.rfind("/") + 1
    is_plain = base.startswith(("http://", "https://")) and end > len("https://") and not _ODD.search(base)
    return base[:end] if is_plain else ""


def spellings(path: str) -> tuple[str, str, str]:
    """The files that a web server looks for where a path is asked for, in its order."""
    return path, f"{path}.html", f"{path.rstrip('/')}/index.html".lstrip("/")


def files_at(address: str, names: Mapping[str, str], known: Collection[str]) -> list[str]:
    """The files that a static server gives at `/path?query`, the first before others; none where nothing is there.

    `names` lead from addresses to files. A file that a server chooses for a path is given whatever query comes behind.
    What one system wrote composed, another may have written in parts: that is found too, as sites are read.
    """
    path = unquote(address.partition("#")[0].partition("?")[0]).lstrip("/")
    for spelt in (path, unicodedata.normalize("NFC", path), unicodedata.normalize("NFD", path)):
        chosen = names.get(address) or (names.get(f"/{spelt}", spelt) if spelt in known else spelt)
        found = [file for file in (chosen, *spellings(spelt)) if file in known]
        if found:
            return found
    return []


def base_of(own: str, said: str | None) -> str:
    """The address that a document's relative ones start from: its own, or what its `base` element says.

    https://html.spec.whatwg.org/multipage/urls-and-fetching.html#document-base-url
    """
    return (join(own, said) or own) if said is not None else own
