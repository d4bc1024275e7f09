"""Who may use the application: the person who started it, and nobody else on the machine.

A secret stands in the data folder, for its owner alone. A browser gets a cookie made from it in exchange for a one-time
token, which stands in the address that is printed at the start; a script sends the secret itself (RFC 6750).
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
        # Cookies know no ports: two applications on one machine each have a name of their own.
        self.cookie_name = f"thistle-{port}"

    @property
    def cookie(self) -> str:
        """The cookie's value: it proves that the secret was known, and does not tell it."""
        return hmac.new(self._secret.encode(), b"cookie", sha256).hexdigest()

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

    def knows(self, headers: Headers) -> bool:
        """Whether a request comes with the secret or the cookie."""
        scheme, _, said = headers.get("authorization", "").partition(" ")
        if scheme.lower() == "bearer" and hmac.compare_digest(said.strip().encode(), self._secret.encode()):
            return True
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
    """Lets in who has the cookie or the secret; all others get 401, but for the health and the login page. ASGI."""

    def __init__(self, app: ASGIApp, access: Access) -> None:
        self._app, self._access = app, access

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"] == HEALTH:
            await self._app(scope, receive, send)
        elif scope["path"] == LOGIN:
            await self._login(scope)(scope, receive, send)
        elif not self._access.knows(Headers(scope=scope)):
            await _refused(scope)(scope, receive, send)
        elif scope["path"] == LINKS and scope["method"] == "POST":
            await JSONResponse({"address": self._access.link()}, 201)(scope, receive, send)
        else:
            await self._app(scope, receive, send)

    def _login(self, scope: Scope) -> Response:
        token = parse_qs(scope["query_string"].decode("latin-1")).get("token", [""])[0]
        if self._access.knows(Headers(scope=scope)):
            return RedirectResponse("/", 303)
        if not token:
            return _page("This application belongs to the person who started it.")
        if scope["method"] != "GET" or not self._access.spend(token):
            return _page("This address was used already, or is not from this start of the application.")
        answer = RedirectResponse("/", 303)
        answer.set_cookie(
            self._access.cookie_name, self._access.cookie, max_age=_YEAR_SECONDS, httponly=True, samesite="strict"
        )
        return answer


def _refused(scope: Scope) -> Response:
    words = "Open the application by the address that it printed when it was started, or that ./thistle link prints."
    if not scope["path"].startswith("/api/"):
        return _page("This application belongs to the person who started it.")
    problem = {"type": "urn:ivory-thistle:who", "title": "Not let in", "status": 401, "detail": words}
    headers = {"www-authenticate": "Bearer"}
    return JSONResponse(problem, 401, headers=headers, media_type="application/problem+json")


_STYLE = (
    "body{font:16px/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;"
    "color:#26242b;background:#fbfaf6}h1{font-size:1.25rem}code{font-size:.95em}"
    "@media(prefers-color-scheme:dark){body{color:#eceae4;background:#1c1b20}}"
)


def _page(why: str) -> Response:
    """The login page, in itself whole: without the cookie nothing else is given out."""
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
