"""Which pictures and styles a content security policy in a page lets it have.

https://www.w3.org/TR/CSP3/#match-url-to-source-list , for `img-src` and `style-src` and, in their absence,
`default-src`.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from urllib.parse import urlsplit

_SOURCE = re.compile(
    r"(?:(?P<scheme>[a-z][a-z0-9+.-]*)://)?(?P<host>\*|(?:\*\.)?[a-z0-9-]+(?:\.[a-z0-9-]+)*\.?)"
    r"(?::(?P<port>\d{1,5}|\*))?(?P<path>/[^?#]*)?",
    re.IGNORECASE,
)
_SCHEME = re.compile(r"[a-z][a-z0-9+.-]*:", re.IGNORECASE)
_PORTS = {"http": 80, "https": 443}
_UPGRADES = {("http", "https"), ("ws", "wss")}


def sources_of(directive: str, policy: str) -> tuple[str, ...] | None:
    """The sources that a policy lists for `img-src` or `style-src`; None where it says nothing of them."""
    directives: dict[str, tuple[str, ...]] = {}
    for part in policy.split(";"):
        name, *sources = part.split()[:1000] or [""]
        directives.setdefault(name.lower(), tuple(sources))
    return directives.get(directive, directives.get("default-src"))


def allows_inline(sources: Iterable[str], nonce: str = "") -> bool:
    """Whether a list of sources lets a page use its own `style` elements (by their nonce) and attributes.

    Elements that a hash allows count as forbidden: the hash is not computed.
    """
    listed = list(sources)
    if nonce and f"'nonce-{nonce}'" in listed:
        return True
    said = [s.lower() for s in listed]
    return "'unsafe-inline'" in said and not any(s.startswith(("'nonce-", "'sha")) for s in said)


def allows(sources: Iterable[str], address: str, own: str) -> bool:
    """Whether a list of sources lets a page at the address `own` load a picture from an absolute address."""
    return any(_matches(source, address, own) for source in sources)


def _matches(source: str, address: str, own: str) -> bool:
    said = source.lower()
    if said == "'self'":
        return _origin(address) == _origin(own)
    scheme = urlsplit(address).scheme
    if said == "*":
        return scheme in ("http", "https", "ws", "wss") or scheme == urlsplit(own).scheme
    if _SCHEME.fullmatch(said):
        return scheme == said[:-1] or (said[:-1], scheme) in _UPGRADES
    found = _SOURCE.fullmatch(source)
    return bool(found) and _host_matches(found, address, own)  # type: ignore[arg-type]


def _origin(address: str) -> tuple[str, str, int | None]:
    parts = urlsplit(address)
    return parts.scheme, (parts.hostname or "").lower(), parts.port or _PORTS.get(parts.scheme)


def _host_matches(source: re.Match[str], address: str, own: str) -> bool:
    scheme, host, port = _origin(address)
    wanted = (source["scheme"] or urlsplit(own).scheme).lower()
    if scheme != wanted and (wanted, scheme) not in _UPGRADES:
        return False
    name = source["host"].lower()
    if name.startswith("*"):
        if not host.endswith(name[1:]):
            return False
    elif name != host:
        return False
    if source["port"] not in (None, "*") and int(source["port"]) != port:
        return False
    if source["port"] is None and port != _PORTS.get(scheme):
        return False
    path = source["path"]
    if not path or path == "/":
        return True
    asked = urlsplit(address).path
    return asked.startswith(path) if path.endswith("/") else asked == path
