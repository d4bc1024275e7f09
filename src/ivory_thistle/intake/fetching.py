"""One careful way to fetch from the web: addresses checked before connecting, redirects told, sizes limited."""

from __future__ import annotations

import ipaddress
import socket
import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import httpcore
import httpx

from ivory_thistle.core.references.addresses import join, server_of

AGENT = "IvoryThistle/0.1 (image audit)"
_REDIRECTS = 10
Server = tuple[str, int]
"""Host and port, as `server_of` tells them."""
_SECONDS = 20.0


class RefusedAddressError(Exception):
    """A host that leads to an address which is not public and was not allowed by name."""


class _CheckedBackend(httpcore.SyncBackend):
    """Connects to the very address that was checked, so that a name can't be turned to another meanwhile."""

    def __init__(self, allowed: frozenset[Server]) -> None:
        super().__init__()
        self._allowed = allowed

    def connect_tcp(self, host: str, port: int, *arguments: Any, **options: Any) -> httpcore.NetworkStream:
        return super().connect_tcp(checked_address(host, port, self._allowed), port, *arguments, **options)


def checked_address(host: str, port: int, allowed: frozenset[Server]) -> str:
    """The IP address that a host has now. Raises RefusedAddressError where any of them is not public.

    `allowed` are the servers that may have another.
    """
    try:
        found = {str(info[4][0]) for info in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)}
    except (OSError, UnicodeError) as error:
        # Names that no rule for host names allows are not known either.
        raise httpcore.ConnectError(f"the host {host[:100]} is not known") from error
    if (host.lower(), 443 if port == 80 else port) not in allowed:
        private = next((a for a in sorted(found) if not ipaddress.ip_address(a).is_global), None)
        if private:
            raise RefusedAddressError(f"{host} leads to {private}, which is not a public address")
    return sorted(found, key=lambda a: ":" in a)[0]


class _CheckedTransport(httpx.HTTPTransport):
    def __init__(self, allowed: frozenset[Server]) -> None:
        super().__init__()
        # The library offers no way in for a backend of one's own but this.
        self._pool._network_backend = _CheckedBackend(allowed)


@dataclass(frozen=True, slots=True)
class Fetched:
    """What came of an address: `address` is where it ended, `redirects` what led there, `problem` why nothing came.

    `unchanged`: the server says that what is known by `etag` or `modified` still holds.
    """

    asked: str
    address: str
    status: int = 0
    kind: str = ""
    data: bytes = b""
    redirects: tuple[str, ...] = ()
    problem: str = ""
    etag: str = ""
    modified: str = ""
    unchanged: bool = False


@dataclass
class Fetcher:
    """Fetches one address after the other, `seconds_between` apart; `allowed` servers may have private addresses."""

    allowed: Iterable[Server] = ()
    seconds_between: float = 0.2
    most_bytes: int = 256_000_000
    _last: float = field(default=0.0, init=False)

    def __post_init__(self) -> None:
        self._client = httpx.Client(
            transport=_CheckedTransport(frozenset(self.allowed)),
            timeout=_SECONDS,
            headers={"user-agent": AGENT},
            follow_redirects=False,
        )

    def close(self) -> None:
        """Closes all connections."""
        self._client.close()

    def fetch(
        self, address: str, etag: str = "", modified: str = "", servers: frozenset[Server] | None = None
    ) -> Fetched:
        """Fetches an address, following redirects as long as they stay on `servers` (None: anywhere)."""
        conditions = {"if-none-match": etag, "if-modified-since": modified}
        headers = {name: value for name, value in conditions.items() if value}
        redirects: list[str] = []
        at = address
        while True:
            try:
                answer = self._one(at, headers)
            except RefusedAddressError as error:
                return Fetched(address, at, redirects=tuple(redirects), problem=f"{error}; it is not read.")
            except (httpx.RemoteProtocolError, httpx.InvalidURL, httpx.DecodingError, UnicodeError) as error:
                return Fetched(address, at, redirects=tuple(redirects), problem=f"Its answer makes no sense: {error}.")
            except (httpx.HTTPError, httpcore.ConnectError, OSError) as error:
                words = str(error) or type(error).__name__
                return Fetched(address, at, redirects=tuple(redirects), problem=f"It does not answer: {words}.")
            if isinstance(answer, Fetched):
                return Fetched(
                    address, at, answer.status, answer.kind, answer.data, tuple(redirects), answer.problem,
                    answer.etag, answer.modified, answer.unchanged,
                )  # fmt: skip
            redirects.append(at)
            at = join(at, answer) or ""
            server = server_of(at)
            if at in redirects or len(redirects) > _REDIRECTS:
                return Fetched(address, at, redirects=tuple(redirects), problem="It redirects in a circle.")
            if not server[0] or (servers is not None and server not in servers):
                return Fetched(address, at, redirects=tuple(redirects), problem=f"It redirects to {at}, elsewhere.")

    def _one(self, address: str, headers: dict[str, str]) -> Fetched | str:
        """One answer; the text is the address that it redirects to."""
        wait = self._last + self.seconds_between - time.monotonic()
        if wait > 0:
            time.sleep(wait)
        self._last = time.monotonic()
        with self._client.stream("GET", address, headers=headers) as response:
            if response.status_code in (301, 302, 303, 307, 308) and "location" in response.headers:
                return response.headers["location"]
            kind = response.headers.get("content-type", "").split(";")[0].strip().lower()
            tags = response.headers.get("etag", ""), response.headers.get("last-modified", "")
            if response.status_code == 304:
                return Fetched(address, address, 304, kind, etag=tags[0], modified=tags[1], unchanged=True)
            if response.status_code >= 400:
                return Fetched(
                    address, address, response.status_code, problem=f"It answers with {response.status_code}."
                )
            parts, size = [], 0
            deadline = time.monotonic() + 6 * _SECONDS
            for part in response.iter_bytes():
                size += len(part)
                if size > self.most_bytes:
                    words = f"It is larger than {self.most_bytes / 1e6:g} MB."
                    return Fetched(address, address, response.status_code, problem=words)
                if time.monotonic() > deadline:
                    return Fetched(address, address, response.status_code, problem="It comes too slowly.")
                parts.append(part)
            return Fetched(
                address, address, response.status_code, kind, b"".join(parts), etag=tags[0], modified=tags[1]
            )
