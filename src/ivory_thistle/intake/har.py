"""Pages and their image requests from a HAR file (HTTP Archive 1.2, http://www.softwareishard.com/blog/har-12-spec/)."""

from __future__ import annotations

import base64
import binascii
import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any
from urllib.parse import urldefrag, urlsplit

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.table import UNKNOWN, FormatName, format_of_mime
from ivory_thistle.core.references.addresses import join
from ivory_thistle.intake.naming import Names

_HTML = frozenset({"text/html", "application/xhtml+xml"})
_KEPT_TYPES = _HTML | {"text/css", "application/manifest+json"}


@dataclass(frozen=True, slots=True)
class HarRequest:
    """One image request of a page: bytes over the wire, and the file that holds its content (None: not in the HAR)."""

    address: str
    kind: FormatName
    bytes: int
    path: str | None
    after_load: bool


MAX_HAR_BYTES = 1_000_000_000
"""A larger file is refused: its text is held in memory."""
_MOST_DIGITS = 18
_MOST_BYTES = 10**12
"""What claims to be larger is no size."""


@dataclass
class HarPage:
    """One page: its document's address, the file with its HTML (None: not in the HAR), and its image requests."""

    address: str
    title: str
    path: str | None
    requests: list[HarRequest] = field(default_factory=list)


@dataclass
class Har:
    """What a HAR file holds, with the aliases of the files written."""

    host: str
    pages: list[HarPage]
    aliases: dict[str, str]


def sanitize(source: Path, target: Path) -> None:
    """Writes the HAR without what is nobody's business: cookies, headers, post data, and query lists.

    Raises UnusableInput for what is no HAR.
    """
    log = _Log(source)
    with target.open("w", encoding="utf-8") as out:
        pages = [{k: p.get(k) for k in ("id", "title", "startedDateTime", "pageTimings")} for p in log.pages]
        out.write(f'{{"log": {{"version": "1.2", "pages": {json.dumps(pages)}, "entries": [')
        for number, e in enumerate(log.entries()):
            request = _part(e, "request")
            bare = {
                "pageref": e.get("pageref"), "startedDateTime": e.get("startedDateTime"),
                "request": {"method": request.get("method"), "url": request.get("url")},
                "response": _bare_response(_part(e, "response")),
            }  # fmt: skip
            out.write(f"{',' if number else ''}\n{json.dumps(bare)}")
        out.write("]}}\n")


class _Log:
    """The log of a HAR file: its pages, and where its entries begin. An entry is decoded when its turn comes.

    `text` is the file's; all positions count in it.
    """

    def __init__(self, place: Path) -> None:
        """Raises UnusableInput for what is no HAR."""
        if place.stat().st_size > MAX_HAR_BYTES:
            raise UnusableInput(f"A HAR file may have {MAX_HAR_BYTES // 1_000_000} MB at most; record fewer pages.")
        self.pages: list[Mapping[str, Any]] = []
        self._entries: list[int] | None = None
        try:
            self._text = place.read_text(encoding="utf-8-sig")
            self._members(self._after_blanks(0), self._at_top)
        except (ValueError, RecursionError) as error:
            raise UnusableInput(f"This is no HAR file: {error}.") from error
        if self._entries is None:
            raise UnusableInput("This is no HAR file: it has no log with entries.")

    def entries(self) -> Iterator[Mapping[str, Any]]:
        """The entries that are objects, in their order."""
        for at in self._entries or ():
            entry, _ = _JSON.raw_decode(self._text, at)
            if isinstance(entry, dict):
                yield entry

    def _at_top(self, name: str, at: int) -> int:
        return self._members(at, self._in_log) if name == "log" and self._text[at] == "{" else self._end(at)

    def _in_log(self, name: str, at: int) -> int:
        if name == "entries" and self._text[at] == "[":
            self._entries = []
            return self._list(at, "[", "]", self._entry)
        if name == "pages":
            pages, _ = _JSON.raw_decode(self._text, at)
            self.pages = [p for p in pages if isinstance(p, dict)] if isinstance(pages, list) else []
        return self._end(at)

    def _entry(self, at: int) -> int:
        assert self._entries is not None
        self._entries.append(at)
        return self._end(at)

    def _members(self, at: int, take: Callable[[str, int], int]) -> int:
        """Gives each member's name and the place of its value to `take`, which tells where that ends."""

        def member(at: int) -> int:
            name, at = _JSON.raw_decode(self._text, at)
            at = self._past(":", self._after_blanks(at))
            if at >= len(self._text):
                raise ValueError("it ends within an object")
            return take(str(name), at)

        return self._list(at, "{", "}", member)

    def _list(self, at: int, opens: str, closes: str, take: Callable[[int], int]) -> int:
        """What stands between two brackets, with commas in between; where it ends."""
        at = self._past(opens, at)
        while not self._text.startswith(closes, at):
            at = self._after_blanks(take(at))
            if not self._text.startswith(closes, at):
                at = self._past(",", at)
        return at + 1

    def _past(self, sign: str, at: int) -> int:
        if not self._text.startswith(sign, at):
            raise json.JSONDecodeError(f"Expecting '{sign}'", self._text, at)
        return self._after_blanks(at + 1)

    def _end(self, at: int) -> int:
        return _JSON.raw_decode(self._text, at)[1]

    def _after_blanks(self, at: int) -> int:
        found = _BLANKS.match(self._text, at)
        return found.end() if found else at


def _whole(digits: str) -> int:
    """A number of a sane length; others are none."""
    return int(digits) if len(digits) <= _MOST_DIGITS else -1


_JSON = json.JSONDecoder(parse_int=_whole)
_BLANKS = re.compile(r"[ \t\r\n]*+")


def _part(entry: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    found = entry.get(name)
    return found if isinstance(found, dict) else {}


def _bare_response(response: Mapping[str, Any]) -> dict[str, Any]:
    content = _part(response, "content")
    bare = {k: response.get(k) for k in ("status", "bodySize", "headersSize", "_transferSize")}
    bare["content"] = {k: content[k] for k in ("size", "compression", "mimeType", "text", "encoding") if k in content}
    return bare


def transfer_size(response: Mapping[str, Any]) -> int:
    """Body bytes over the wire: `bodySize` where it is known, else the content's size less what compression saved.

    A browser that knows no body's size writes -1, and the whole answer's size as `_transferSize`.
    """
    body, content = response.get("bodySize"), _part(response, "content")
    if isinstance(body, int) and 0 < body < _MOST_BYTES:
        return body
    whole = response.get("_transferSize")
    headers = response.get("headersSize")
    if isinstance(whole, int) and 0 < whole < _MOST_BYTES:
        return whole - headers if isinstance(headers, int) and 0 < headers < whole else whole
    if body == 0 and response.get("status") == 304:
        return 0
    size, saved = content.get("size"), content.get("compression")
    plain = (size if isinstance(size, int) else 0) - (saved if isinstance(saved, int) else 0)
    return plain if 0 <= plain < _MOST_BYTES else 0


def read_har(place: Path, into: Path) -> Har:
    """Writes the bodies of pages, style sheets and images into a folder. Raises UnusableInput without any page."""
    log = _Log(place)
    documents = _documents(log)
    if not documents:
        raise UnusableInput("The HAR file holds no page: no answer in it is HTML.")
    only = next(iter(documents.values()))
    names = Names(urlsplit(only.address).netloc)
    written: dict[str, str] = {}
    for address, response, _ in _usable(log.entries()):
        kind = _mime(response)
        if address not in written and (kind in _KEPT_TYPES or kind.startswith("image/")) and (body := _body(response)):
            written[address] = _write(names, into, address, kind, body)
    seen: set[tuple[str, str]] = set()
    for address, response, entry in _usable(log.entries()):
        page = documents.get(str(entry.get("pageref"))) or (only if len(documents) == 1 else None)
        kind = _mime(response)
        if page is None or not kind.startswith("image/") or (page.address, address) in seen:
            continue
        seen.add((page.address, address))
        late = _started_late(log.pages, entry)
        request = HarRequest(
            address, format_of_mime(kind) or UNKNOWN, transfer_size(response), written.get(address), late
        )
        page.requests.append(request)
    for document in documents.values():
        document.path = written.get(document.address)
    return Har(urlsplit(only.address).netloc, list(documents.values()), names.aliases)


def _usable(
    entries: Iterable[Mapping[str, Any]],
) -> Iterator[tuple[str, Mapping[str, Any], Mapping[str, Any]]]:
    for entry in entries:
        response = _part(entry, "response")
        url = _part(entry, "request").get("url")
        address = join(url, "") if isinstance(url, str) and url.startswith(("http:", "https:")) else None
        status = response.get("status")
        if address and isinstance(status, int) and (200 <= status < 300 or status == 304):
            yield urldefrag(address).url, response, entry


def _documents(log: _Log) -> dict[str, HarPage]:
    """The document of every page: the first HTML answer among its entries; without pages, every HTML answer's own."""
    titles = {str(p.get("id")): str(p.get("title") or "") for p in log.pages}
    found: dict[str, HarPage] = {}
    for address, response, entry in _usable(log.entries()):
        reference = str(entry.get("pageref")) if titles else "None"
        if reference not in found and _mime(response) in _HTML:
            found[reference] = HarPage(address, titles.get(reference, "")[:200], None)
    return found


def _started_late(pages: Iterable[Mapping[str, Any]], entry: Mapping[str, Any]) -> bool:
    """Whether a request began after its page's load event: most likely by scrolling."""
    page = next((p for p in pages if p.get("id") == entry.get("pageref")), {})
    loaded = _part(page, "pageTimings").get("onLoad")
    try:
        began = datetime.fromisoformat(str(entry.get("startedDateTime")))
        opened = datetime.fromisoformat(str(page.get("startedDateTime")))
        return isinstance(loaded, int | float) and loaded > 0 and (began - opened).total_seconds() * 1000 > loaded
    except (ValueError, TypeError):
        return False


def _mime(response: Mapping[str, Any]) -> str:
    kind = _part(response, "content").get("mimeType")
    return str(kind or "").split(";")[0].strip().lower()


def _body(response: Mapping[str, Any]) -> bytes:
    content = _part(response, "content")
    text = content.get("text")
    if not isinstance(text, str) or not text:
        return b""
    if content.get("encoding") == "base64":
        try:
            return base64.b64decode(text, validate=False)
        except (binascii.Error, ValueError):
            return b""
    return text.encode("utf-8", "replace")


def _write(names: Names, into: Path, address: str, kind: str, body: bytes) -> str:
    path = names.give(address, kind, body)
    target = into / path
    target.parent.mkdir(parents=True, exist_ok=True)
    if kind in _HTML and "charset" not in body[:1024].decode("latin-1").lower():
        body = b"\xef\xbb\xbf" + body  # A HAR holds text as UTF-8, whatever the server's encoding was.
    target.write_bytes(body)
    return path
