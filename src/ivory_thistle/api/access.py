"""Who may use the application: the person who started it, and nobody else on the machine.

A secret stands in the data folder, for its owner alone. A script sends it (RFC 6750). A browser gets two things made
from it in exchange for a one-time token, which stands in the address that is printed at the start:

- the door, a part of the path that nobody can guess. The page keeps it in its own storage, which belongs to scheme,
  host and port together, and asks for everything below it;
- a cookie for the door's path alone. Cookies know no ports (RFC 6265, 8.5): another server on 127.0.0.1 would get a
  cookie for every path with each request, and could use it here. It never sees a request for this path.

The front end itself is given to anybody: it is the same for all, and holds nothing of any site.
"""

from __future__ import annotations

import hmac
import html
import secrets
from collections import deque
from hashlib import sha256
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from urllib.parse import parse_qs

from starlette.datastructures import Headers
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from ivory_thistle.system.files import replace_file

LOGIN, LINKS, HEALTH = "/login", "/api/v1/login-links", "/api/v1/health"
_MOST_TOKENS = 20
_YEAR_SECONDS = 365 * 24 * 3600


class Access:
    """The secret of a data folder, and the one-time tokens that were given out since the start."""

    def __init__(self, data: Path, port: int) -> None:
        self._secret = _secret_in(data)
        self._tokens: deque[str] = deque(maxlen=_MOST_TOKENS)
        self.port = port
        self.cookie_name = f"thistle-{port}"

    @property
    def cookie(self) -> str:
        """The cookie's value: it proves that the secret was known, and does not tell it."""
        return self._made_of_secret("cookie")

    @property
    def door(self) -> str:
        """The first part of the path under which browsers ask: `/door/api/...`. Each port has its own."""
        return f"d-{self._made_of_secret(f'door of {self.port}')[:40]}"

    def _made_of_secret(self, what: str) -> str:
        return hmac.new(self._secret.encode(), what.encode(), sha256).hexdigest()

    def link(self) -> str:
        """An address that lets one browser in, once."""
        token = secrets.token_urlsafe(24)
        self._tokens.append(token)
        return f"http://127.0.0.1:{self.port}{LOGIN}?token={token}"

    def spend(self, token: str) -> bool:
        """Whether a token was given out and not used yet; it is used by this."""
        found = next((t for t in self._tokens if hmac.compare_digest(t.encode(), token.encode())), None)
        if found:
            self._tokens.remove(found)
        return found is not None

    def has_secret(self, headers: Headers) -> bool:
        """Whether a request comes with the secret itself."""
        scheme, _, said = headers.get("authorization", "").partition(" ")
        return scheme.lower() == "bearer" and hmac.compare_digest(said.strip().encode(), self._secret.encode())

    def has_cookie(self, headers: Headers) -> bool:
        """Whether a request comes with the cookie; it counts behind the door alone."""
        try:
            found = SimpleCookie(headers.get("cookie", "")).get(self.cookie_name)
        except CookieError:
            return False
        return found is not None and hmac.compare_digest(found.value.encode(), self.cookie.encode())


def _secret_in(data: Path) -> str:
    """The secret of a data folder, made where there is none; readable by its owner alone."""
    place = data / "secret"
    if not place.exists():
        replace_file(place, secrets.token_urlsafe(32).encode(), 0o600)
    place.chmod(0o600)
    return place.read_text().strip()


class Login:
    """Lets in who comes through the door with the cookie, or has the secret; all others get 401. ASGI."""

    def __init__(self, app: ASGIApp, access: Access) -> None:
        self._app, self._access = app, access

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers, behind = Headers(scope=scope), self._behind_the_door(scope)
        if behind is not None:
            allowed, scope = self._access.has_cookie(headers) or self._access.has_secret(headers), behind
        else:
            allowed = self._access.has_secret(headers)
        path = scope["path"]
        if path == LOGIN:
            await self._login(scope)(scope, receive, send)
        elif path == HEALTH or not (path.startswith("/api/") or path == "/api" or behind is not None):
            await self._app(scope, receive, send)
        elif not allowed:
            await _refused()(scope, receive, send)
        elif path == LINKS and scope["method"] == "POST":
            await JSONResponse({"address": self._access.link()}, 201)(scope, receive, send)
        else:
            await self._app(scope, receive, send)

    def _behind_the_door(self, scope: Scope) -> Scope | None:
        """The same request without the door in its path; None for one that does not come through it."""
        first, _, rest = scope["path"].removeprefix("/").partition("/")
        if not hmac.compare_digest(first.encode("utf-8", "replace"), self._access.door.encode()):
            return None
        raw = scope.get("raw_path") or scope["path"].encode()
        return {**scope, "path": f"/{rest}", "raw_path": raw[len(self._access.door) + 1 :] or b"/"}

    def _login(self, scope: Scope) -> Response:
        token = parse_qs(scope["query_string"].decode("latin-1")).get("token", [""])[0]
        if not token:
            return _page("This application belongs to the person who started it.")
        # Also a browser that is known already spends it: an address that was shown is worth nothing afterwards.
        if scope["method"] != "GET" or not self._access.spend(token):
            return _page("This address was used already, or is not from this start of the application.")
        # What stands behind the # is not sent to any server; the page keeps it and takes it out of the address.
        answer = RedirectResponse(f"/#door={self._access.door}", 303, headers={"cache-control": "no-store"})
        answer.set_cookie(
            self._access.cookie_name, self._access.cookie, max_age=_YEAR_SECONDS, path=f"/{self._access.door}/",
            httponly=True, samesite="strict",
        )  # fmt: skip
        return answer


def _refused() -> Response:
    words = "Open the application by the address that it printed when it was started, or that ./thistle link prints."
    problem = {"type": "urn:ivory-thistle:who", "title": "Not let in", "status": 401, "detail": words}
    headers = {"www-authenticate": "Bearer"}
    return JSONResponse(problem, 401, headers=headers, media_type="application/problem+json")


_STYLE = (
    "body{font:16px/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;"
    "color:#26242b;background:#fbfaf6}h1{font-size:1.25rem}code{font-size:.95em}"
    "@media(prefers-color-scheme:dark){body{color:#eceae4;background:#1c1b20}}"
)


def _page(why: str) -> Response:
    """What the login address says where it lets nobody in."""
    body = (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>Ivory Thistle: not let in</title>'
        f"<style>{_STYLE}</style><h1>Ivory Thistle is running, but does not know this browser</h1>"
        f"<p>{html.escape(why)}</p><p>Run <code>./thistle link</code> as that person and open the address it prints;"
        " it lets one browser in, once.</p></html>"
    )
    policy = (
        "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    )
    return HTMLResponse(body, 401, headers={"content-security-policy": policy, "cache-control": "no-store"})
