"""The web server of the application, on loopback."""

from __future__ import annotations

import json

import h11
import uvicorn
from starlette.types import ASGIApp
from uvicorn.protocols.http.h11_impl import H11Protocol

from ivory_thistle.api.guard import ADDRESS_TOO_LONG

_MOST_HEAD_BYTES = 64 * 1024
"""Of a request's address and headers together."""


_LEFT_SECONDS = 2.0
"""For a client to send the rest of what was refused: closed sooner, the connection would take the answer with it."""


class _Protocol(H11Protocol):
    """HTTP/1.1 whose every error is a problem, also where a request never reaches the application."""

    _refused = False

    def data_received(self, data: bytes) -> None:
        if not self._refused:
            super().data_received(data)

    def send_400_response(self, msg: str) -> None:
        self._refused = True
        headers = [
            (b"content-type", b"application/problem+json"), (b"cache-control", b"no-store"), (b"connection", b"close"),
        ]  # fmt: skip
        for event in (
            h11.Response(status_code=400, headers=headers, reason=b"Bad Request"),
            h11.Data(data=json.dumps(ADDRESS_TOO_LONG).encode()),
            h11.EndOfMessage(),
        ):
            self.transport.write(self.conn.send(event))
        self.transport.write_eof()
        self.loop.call_later(_LEFT_SECONDS, self.transport.close)


def server_of(app: ASGIApp, port: int) -> uvicorn.Server:
    """A server of the application on a port of 127.0.0.1."""
    return uvicorn.Server(
        uvicorn.Config(
            app, host="127.0.0.1", port=port, log_level="warning", access_log=False, server_header=False,
            timeout_graceful_shutdown=2, http=_Protocol, h11_max_incomplete_event_size=_MOST_HEAD_BYTES,
        )
    )  # fmt: skip
