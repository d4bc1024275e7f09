"""Pages and their image requests from a HAR file (HTTP Archive 1.2, http://www.softwareishard.com/blog/har-12-spec/)."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urldefrag, urlsplit

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.images.sniff import MIME, ImageFormat
from ivory_thistle.core.references.addresses import join
from ivory_thistle.intake.naming import Names

_HTML = frozenset({"text/html", "application/xhtml+xml"})
_KEPT_TYPES = _HTML | {"text/css", "application/manifest+json"}
_FORMATS: dict[str, ImageFormat] = {mime: kind for kind, mime in MIME.items()} | {"image/jpg": "jpeg"}


@dataclass(frozen=True, slots=True)
class HarRequest:
    """One image request of a page: bytes over the wire, and the file that holds its content (None: not in the HAR)."""

    address: str
    kind: ImageFormat
    bytes: int
    path: str | None
    after_load: bool


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


def sanitized(data: bytes) -> bytes:
    """The HAR without what is nobody's business: cookies, headers, post data, and query lists.

    Raises UnusableInput for what is no HAR.
    """
    log = _log(data)
    entries = [
        {
            "pageref": e.get("pageref"), "startedDateTime": e.get("startedDateTime"),
            "request": {"method": _part(e, "request").get("method"), "url": _part(e, "request").get("url")},
            "response": _bare_response(_part(e, "response")),
        }
        for e in log["entries"] if isinstance(e, dict)
    ]  # fmt: skip
    pages = [
        {k: p.get(k) for k in ("id", "title", "startedDateTime", "pageTimings")}
        for p in _pages(log)
    ]  # fmt: skip
    return json.dumps({"log": {"version": "1.2", "pages": pages, "entries": entries}}).encode()


def _log(data: bytes) -> dict[str, Any]:
    try:
        whole = json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise UnusableInput(f"This is no HAR file: {error}.") from error
    log = whole.get("log") if isinstance(whole, dict) else None
    if not isinstance(log, dict) or not isinstance(log.get("entries"), list):
        raise UnusableInput("This is no HAR file: it has no log with entries.")
    return log


def _pages(log: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    pages = log.get("pages")
    return [p for p in pages if isinstance(p, dict)] if isinstance(pages, list) else []


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


def read_har(data: bytes, into: Path) -> Har:
    """Writes the bodies of pages, style sheets and images into a folder. Raises UnusableInput without any page."""
    log = _log(data)
    entries = list(_usable(log["entries"]))
    documents = _documents(log, entries)
    if not documents:
        raise UnusableInput("The HAR file holds no page: no answer in it is HTML.")
    host = urlsplit(next(iter(documents.values())).address).netloc
    names = Names(host)
    written: dict[str, str] = {}
    for address, response, _ in entries:
        kind = _mime(response)
        if kind in _KEPT_TYPES or kind.startswith("image/"):
            body = _body(response)
            if body and address not in written:
                written[address] = _write(names, into, address, kind, body)
    seen: set[tuple[str, str]] = set()
    for address, response, entry in entries:
        page = documents.get(str(entry.get("pageref"))) or (
            next(iter(documents.values())) if len(documents) == 1 else None
        )
        kind = _mime(response)
        if page is None or not kind.startswith("image/") or (page.address, address) in seen:
            continue
        seen.add((page.address, address))
        late = _started_late(log, entry)
        request = HarRequest(
            address, _FORMATS.get(kind, "unknown"), transfer_size(response), written.get(address), late
        )
        page.requests.append(request)
    for page in documents.values():
        page.path = written.get(page.address)
    return Har(host, list(documents.values()), names.aliases)


def _usable(entries: list[Any]) -> Iterator[tuple[str, Mapping[str, Any], Mapping[str, Any]]]:
    for entry in entries:
        if not isinstance(entry, dict):
            continue
        response = _part(entry, "response")
        url = _part(entry, "request").get("url")
        address = join(url, "") if isinstance(url, str) and url.startswith(("http:", "https:")) else None
        status = response.get("status")
        if address and isinstance(status, int) and (200 <= status < 300 or status == 304):
            yield urldefrag(address).url, response, entry


def _documents(
    log: Mapping[str, Any], entries: list[tuple[str, Mapping[str, Any], Mapping[str, Any]]]
) -> dict[str, HarPage]:
    """The document of every page: the first HTML answer among its entries; without pages, every HTML answer's own."""
    titles = {str(p.get("id")): str(p.get("title") or "") for p in _pages(log)}
    found: dict[str, HarPage] = {}
    for address, response, entry in entries:
        reference = str(entry.get("pageref")) if titles else "None"
        if reference not in found and _mime(response) in _HTML:
            found[reference] = HarPage(address, titles.get(reference, "")[:200], None)
    return found


def _started_late(log: Mapping[str, Any], entry: Mapping[str, Any]) -> bool:
    """Whether a request began after its page's load event: most likely by scrolling."""
    from datetime import datetime

    page = next((p for p in _pages(log) if p.get("id") == entry.get("pageref")), {})
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
