"""The web server of the application, on loopback."""

from __future__ import annotations

import json
from http import HTTPStatus

import h11
import uvicorn
from starlette.types import ASGIApp
from uvicorn.protocols.http.h11_impl import H11Protocol

_MOST_HEAD_BYTES = 64 * 1024
"""Of a request's address and headers together."""


class _Protocol(H11Protocol):
    """HTTP/1.1 whose every error is a problem, also where a request never reaches the application."""

    def send_400_response(self, msg: str) -> None:
        words = (
            f"This request can't be understood; its address and headers may have {_MOST_HEAD_BYTES:,} bytes in all."
        )
        title = HTTPStatus.BAD_REQUEST.phrase
        problem = {"type": "urn:ivory-thistle:bad-request", "title": title, "status": 400, "detail": words}
        headers = [
            (b"content-type", b"application/problem+json"), (b"cache-control", b"no-store"), (b"connection", b"close"),
        ]  # fmt: skip
        for event in (
            h11.Response(status_code=400, headers=headers, reason=title.encode()),
            h11.Data(data=json.dumps(problem).encode()),
            h11.EndOfMessage(),
        ):
            self.transport.write(self.conn.send(event))
        self.transport.close()


def server_of(app: ASGIApp, port: int) -> uvicorn.Server:
    """A server of the application on a port of 127.0.0.1."""
    return uvicorn.Server(
        uvicorn.Config(
            app, host="127.0.0.1", port=port, log_level="warning", access_log=False, server_header=False,
            timeout_graceful_shutdown=2, http=_Protocol, h11_max_incomplete_event_size=_MOST_HEAD_BYTES,
        )
    )  # fmt: skip
