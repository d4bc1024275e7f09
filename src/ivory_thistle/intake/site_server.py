"""A small static server for the site under measurement: on loopback, for a folder or any reader of files."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from time import monotonic, sleep
from typing import cast
from zlib import crc32

from ivory_thistle.core.formats.table import FORMATS, extension_of
from ivory_thistle.core.references.addresses import files_at
from ivory_thistle.core.references.source import is_undeclared_utf8

_TYPES = {
    "html": "text/html", "htm": "text/html", "xhtml": "application/xhtml+xml", "css": "text/css",
    "js": "text/javascript", "mjs": "text/javascript", "json": "application/json", "txt": "text/plain",
    "xml": "application/xml", "webmanifest": "application/manifest+json", "woff2": "font/woff2", "woff": "font/woff",
    "ttf": "font/ttf", "otf": "font/otf", "mp4": "video/mp4", "webm": "video/webm", "mp3": "audio/mpeg",
}  # fmt: skip


_PICTURE_SECONDS = 0.2
"""From a page to its pictures, where they are slow."""
_ROOM = re.compile(r"^/~[^/]*(?=/)")


def _is_read_as_utf8(kind: str, body: bytes) -> bool:
    return kind == "text/html" and is_undeclared_utf8(body)


def media_type(path: str) -> str:
    """The type that a plain web server sends for a file name; text without a charset, so that pages tell theirs."""
    extension = extension_of(path)
    picture = next((row.mime for row in FORMATS.values() if extension in row.extensions), None)
    return picture or _TYPES.get(extension, "application/octet-stream")


@contextmanager
def serve_site(
    paths: Iterable[str],
    read: Callable[[str], bytes],
    aliases: Mapping[str, str] | None = None,
    port: int = 0,
    redirects: Mapping[str, str] | None = None,
    slow_pictures: bool = False,
) -> Iterator[str]:
    """Serves the files for as long as the block runs, and gives the site's address (no slash at its end).

    `aliases` lead from `/path?query` to files; `redirects` from one address to another. Port 0 is a free one. The whole
    site also stands below `/~NAME/`, for any name: the same files where a browser has cached nothing yet.

    The address is that of an HTTP proxy too, which knows this one site: a browser that has no other way out reaches
    nothing else on this machine or beyond (RFC 9112, section 3.2.2).

    With `slow_pictures`, pictures come a moment after their page, as they do over a network: scripts run before.
    """
    known = frozenset(paths)
    last_page = 0.0
    named, moved = aliases or {}, redirects or {}

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"
        # Head and body go out together: apart, the second would wait for the first to be acknowledged.
        wbufsize = -1
        disable_nagle_algorithm = True

        def do_GET(self) -> None:
            own = f"http://127.0.0.1:{cast(Server, self.server).server_port}"
            if not self.path.startswith("/"):
                if not self.path.startswith(f"{own}/"):
                    self.close_connection = True
                    return
                self.path = self.path.removeprefix(own)
            if self.path in moved:
                self.send_response(301)
                self.send_header("location", moved[self.path])
                self.send_header("content-length", "0")
                self.end_headers()
                return
            found = next(iter(files_at(_ROOM.sub("", self.path), named, known)), None)
            try:
                body = read(found) if found is not None else b"Not found"
            except OSError:
                found, body = None, b"Not readable"
            # Ten times as fast as a cryptographic hash, which would be most of what a request costs.
            tag = f'"{len(body):x}-{crc32(body):08x}"'
            if found is not None and self.headers.get("if-none-match") == tag:
                self.send_response(304)
                self.send_header("etag", tag)
                self.end_headers()
                return
            self.send_response(200 if found is not None else 404)
            if found is not None:
                self.send_header("etag", tag)
            kind = media_type(found) if found is not None else "text/plain"
            if slow_pictures:
                self._wait(kind)
            # Many hosts say so of all their pages; and what is read so must be shown so.
            self.send_header("content-type", f"{kind}; charset=utf-8" if _is_read_as_utf8(kind, body) else kind)
            self.send_header("content-length", str(len(body)))
            self.end_headers()
            if self.command != "HEAD":
                self.wfile.write(body)

        def _wait(self, kind: str) -> None:
            nonlocal last_page
            if kind == "text/html":
                last_page = monotonic()
            elif kind.startswith("image/"):
                sleep(min(max(0.0, last_page + _PICTURE_SECONDS - monotonic()), _PICTURE_SECONDS))

        def do_CONNECT(self) -> None:
            """Tunnels, as for HTTPS and WebSockets, lead elsewhere: there is no such place."""
            self.send_error(403)
            self.close_connection = True

        do_HEAD = do_GET  # noqa: N815 - the library's own naming

        def log_message(self, format: str, *arguments: object) -> None:
            """Silent: every request is recorded by the measurer."""

    class Server(ThreadingHTTPServer):
        daemon_threads = True
        request_queue_size = 128

        def handle_error(self, request: object, client_address: object) -> None:
            """A browser that hangs up is no event."""

    with Server(("127.0.0.1", port), Handler) as server:
        thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.server_address[1]}"
        finally:
            server.shutdown()
            thread.join(5)
