"""Keeps other pages out: own Host and Origin only, security headers on every answer. Pure ASGI."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:;"
    " font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
PICTURE_POLICY = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
"""For pictures from captures: an SVG opened by itself runs no script and loads nothing."""

MOST_ADDRESS_BYTES = 16_000
"""Of a request's path and query."""
_HEADERS = {
    "x-content-type-options": "nosniff",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
    "x-frame-options": "DENY",
}


ADDRESS_TOO_LONG = {
    "type": "urn:ivory-thistle:bad-request", "title": "Bad Request", "status": 400,
    "detail": f"This request can't be understood, or its address has more than {MOST_ADDRESS_BYTES:,} bytes.",
}  # fmt: skip


class Guard:
    """Refuses requests by other names than our own (DNS rebinding) and from other origins."""

    def __init__(self, app: ASGIApp, port: int) -> None:
        self._app = app
        hosts = ("127.0.0.1", "localhost")
        self._hosts = {f"{h}:{port}" for h in hosts}
        self._origins = {f"http://{h}" for h in self._hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refused = self._refusal(scope["method"], headers)
        too_long = len(scope.get("raw_path") or b"") + len(scope["query_string"]) > MOST_ADDRESS_BYTES

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    out.setdefault(name, value)
                out.setdefault("content-security-policy", _POLICY)
                if "/api/" in scope["path"]:
                    out.setdefault("cache-control", "no-store")
            await send(message)

        if refused or too_long:
            foreign = {"type": "urn:ivory-thistle:foreign", "title": "Refused", "status": 403, "detail": refused}
            problem, status = (foreign, 403) if refused else (ADDRESS_TOO_LONG, 400)
            await JSONResponse(problem, status, media_type="application/problem+json")(scope, receive, guarded)
            return
        await self._app(scope, receive, guarded)

    def _refusal(self, method: str, headers: Headers) -> str:
        if any(len(headers.getlist(name)) > 1 for name in ("host", "origin")):
            return "A request names one host and one origin."
        if headers.get("host", "").lower() not in self._hosts:
            return "This application answers under its own address only."
        origin = headers.get("origin")
        if origin is not None and origin.lower() not in self._origins:
            return "Requests from other pages are refused."
        # A link to the application may stand anywhere; following it sends nothing and is shown in a window of its own.
        followed = (
            method in ("GET", "HEAD")
            and headers.get("sec-fetch-mode") == "navigate"
            and headers.get("sec-fetch-dest", "document") == "document"
        )
        if headers.get("sec-fetch-site") in ("cross-site", "same-site") and not followed:
            return "Requests from other pages are refused."
        return ""
