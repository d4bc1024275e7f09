"""A small static server for the site under measurement: on loopback, for a folder or any reader of files."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import unquote

from ivory_thistle.core.images.sniff import EXTENSIONS, MIME, extension_of

_TYPES = {
    "html": "text/html", "htm": "text/html", "xhtml": "application/xhtml+xml", "css": "text/css",
    "js": "text/javascript", "mjs": "text/javascript", "json": "application/json", "txt": "text/plain",
    "xml": "application/xml", "webmanifest": "application/manifest+json", "woff2": "font/woff2", "woff": "font/woff",
    "ttf": "font/ttf", "otf": "font/otf", "mp4": "video/mp4", "webm": "video/webm", "mp3": "audio/mpeg",
    **{extension: MIME[kind] for kind, extensions in EXTENSIONS.items() for extension in extensions},
}  # fmt: skip


def media_type(path: str) -> str:
    """The type that a plain web server sends for a file name; text without a charset, so that pages tell theirs."""
    return _TYPES.get(extension_of(path), "application/octet-stream")


@contextmanager
def serve_site(paths: Iterable[str], read: Callable[[str], bytes]) -> Iterator[str]:
    """Serves the files for as long as the block runs, and gives the site's address (no slash at its end)."""
    known = frozenset(paths)

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            path = unquote(self.path.split("?", 1)[0].split("#", 1)[0]).lstrip("/")
            found = next((p for p in (path, f"{path.rstrip('/')}/index.html".lstrip("/")) if p in known), None)
            try:
                body = read(found) if found is not None else b"Not found"
            except OSError:
                found, body = None, b"Not readable"
            self.send_response(200 if found is not None else 404)
            self.send_header("content-type", media_type(found) if found is not None else "text/plain")
            self.send_header("content-length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        do_HEAD = do_GET  # noqa: N815 - the library's own naming

        def log_message(self, format: str, *arguments: object) -> None:
            """Silent: every request is recorded by the measurer."""

    class Server(ThreadingHTTPServer):
        daemon_threads = True
        request_queue_size = 128

        def handle_error(self, request: object, client_address: object) -> None:
            """A browser that hangs up is no event."""

    with Server(("127.0.0.1", 0), Handler) as server:
        thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.server_address[1]}"
        finally:
            server.shutdown()
            thread.join(5)
