"""Who may use the application: the cookie of a one-time address, or the secret; all others get 401."""

from __future__ import annotations

import http.client
import stat
import subprocess
import sys
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import urlsplit

import httpx
import pytest
from playwright.sync_api import Page
from starlette.datastructures import Headers

from application import Application
from ivory_thistle.api.access import Access

pytestmark = pytest.mark.database


def test_without_cookie_or_secret_nothing_is_given_out(application: Application) -> None:
    """Every address of the interface, its own description included; the front end holds nothing of any site."""
    described = application.client.get("/api/v1/openapi.json").json()
    with httpx.Client(base_url=application.address) as stranger:
        for path, operations in described["paths"].items():
            for method in operations:
                filled = path.replace("{", "").replace("}", "")
                answer = stranger.request(method, filled)
                expected = 200 if path == "/api/v1/health" else 401
                assert answer.status_code == expected, (method, path)
        door = application.access.door
        for path in ("/api/v1/openapi.json", "/api/", "/api", f"/{door}/api/v1/sites", f"/{door}/", f"/{door}/sites/1"):
            assert stranger.get(path).status_code == 401, path
        assert stranger.get("/").text == stranger.get("/sites/1/audit").text
        problem = stranger.get("/api/v1/sites")
        assert problem.headers["content-type"] == "application/problem+json"
        assert "./thistle link" in problem.json()["detail"]
        assert "./thistle link" in stranger.get("/login").text


def test_an_address_lets_one_browser_in_once(application: Application) -> None:
    """The cookie is out of reach of scripts, of other pages, and of every path but the door's."""
    link, door = application.client.post("/api/v1/login-links").json()["address"], application.access.door
    with httpx.Client() as browser:
        first = browser.get(link)
        assert first.status_code == 303 and first.headers["location"] == f"/#door={door}"
        cookie = first.headers["set-cookie"]
        assert "HttpOnly" in cookie and "SameSite=strict" in cookie and f"Path=/{door}/" in cookie
        assert browser.get(f"{application.address}/{door}/api/v1/sites").status_code == 200
        assert browser.get(f"{application.address}/api/v1/sites").status_code == 401
    assert httpx.get(link).status_code == 401
    assert "set-cookie" not in httpx.get(link).headers


def test_the_cookie_alone_opens_nothing(application: Application) -> None:
    """Whoever came by it without the door, or by the door without it, gets 401 wherever it is tried."""
    access = application.access
    cookie = {"cookie": f"{access.cookie_name}={access.cookie}"}
    for path in (
        "/api/v1/sites",
        "/d-0/api/v1/sites",
        f"/{access.door[:-1]}/api/v1/sites",
        f"//{access.door}/api/v1/sites",
    ):
        assert httpx.get(f"{application.address}{path}", headers=cookie).status_code in (200, 401), path
        assert "items" not in httpx.get(f"{application.address}{path}", headers=cookie).text, path
    assert httpx.get(f"{application.address}/api/v1/sites", headers=cookie).status_code == 401
    assert httpx.get(f"{application.address}/{access.door}/api/v1/sites").status_code == 401
    assert httpx.get(f"{application.address}/{access.door}/api/v1/sites", headers=cookie).status_code == 200


def test_a_browser_that_is_known_spends_the_address_too(application: Application) -> None:
    """An address that was opened is worth nothing afterwards, whoever opened it; one that was only asked for by HEAD is."""
    known, link = httpx.Client(), application.access.link()
    assert known.get(application.access.link()).status_code == 303
    assert known.head(link).status_code == 401
    assert known.get(link).status_code == 303
    assert httpx.get(link).status_code == 401
    known.close()


@pytest.mark.browser
def test_another_server_of_this_machine_gets_nothing(application: Application, page: Page) -> None:
    """On another port of 127.0.0.1, asked by the same browser for whichever path that can be guessed."""
    heard: list[str] = []

    class Listening(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            heard.append(f"{self.path} {self.headers.get('cookie')}")
            self.send_response(200)
            self.send_header("content-type", "text/html")
            self.end_headers()
            self.wfile.write(b"<script>for (const p of ['/api/v1/sites', '/d-0/api/', '/login']) fetch(p)</script>")

        def log_message(self, *_: object) -> None:
            """Says nothing."""

    page.goto(application.access.link())
    page.get_by_role("heading", name="Sites").wait_for()
    assert page.url == f"{application.address}/"
    with ThreadingHTTPServer(("127.0.0.1", 0), Listening) as other:
        threading.Thread(target=other.serve_forever, daemon=True).start()
        page.goto(f"http://127.0.0.1:{other.server_port}/")
        page.wait_for_load_state("networkidle")
        kept = page.evaluate("[localStorage.length, document.cookie]")
        other.shutdown()
    assert len(heard) >= 4 and all(line.endswith(" None") for line in heard), heard
    assert kept == [0, ""]
    page.goto(f"{application.address}/new")
    page.get_by_role("heading", name="Add a site").wait_for()


@pytest.mark.parametrize(
    ("method", "headers", "status"),
    [
        ("GET", {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}, 200),
        ("POST", {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}, 403),
        ("DELETE", {"sec-fetch-site": "same-site", "sec-fetch-mode": "navigate"}, 403),
        ("GET", {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "iframe"}, 403),
        ("GET", {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"}, 403),
        ("GET", {"sec-fetch-site": "same-origin", "sec-fetch-mode": "cors"}, 200),
    ],
)
def test_only_links_lead_here_from_other_pages(
    application: Application, method: str, headers: dict[str, str], status: int
) -> None:
    """Fetch metadata (https://www.w3.org/TR/fetch-metadata/): a form or a frame of another page is refused."""
    assert application.client.request(method, "/", headers=headers).status_code in (
        (status,) if status == 403 else (200, 405)
    )
    if method != "GET":
        assert application.client.request(method, "/api/v1/sites/0", headers=headers).status_code == status


@pytest.mark.parametrize(
    "headers",
    [
        {"authorization": "Bearer"},
        {"authorization": "Bearer wrong"},
        {"authorization": "Basic Og=="},
        {"cookie": "thistle-1=x"},
        {"cookie": ";;;=,\x01"},
        {"authorization": "Bearer \xe9"},
    ],
)
def test_a_wrong_proof_is_none(tmp_path: Path, headers: dict[str, str]) -> None:
    """Nothing half right is taken."""
    access = Access(tmp_path, 1)
    raw = [(name.encode(), value.encode("latin-1")) for name, value in headers.items()]
    assert not access.has_cookie(Headers(raw=raw)) and not access.has_secret(Headers(raw=raw))
    assert access.has_cookie(Headers({"cookie": f"thistle-1={access.cookie}"}))
    assert not access.spend("")


def test_the_secret_is_its_owners_alone_and_stays(tmp_path: Path) -> None:
    """Also one that was made readable by mistake; a new start knows the browsers of the last."""
    first = Access(tmp_path, 1)
    (tmp_path / "secret").chmod(0o644)
    second = Access(tmp_path, 1)
    assert stat.S_IMODE((tmp_path / "secret").stat().st_mode) == 0o600
    assert (first.cookie, first.door) == (second.cookie, second.door)
    assert first.door != Access(tmp_path, 2).door


def test_a_request_of_another_user_on_this_machine(application: Application, data_folder: Path) -> None:
    """What the wire carries without the secret: 401, and no byte of any folder."""
    host, port = urlsplit(application.address).netloc.split(":")
    connection = http.client.HTTPConnection(host, int(port))
    connection.request("POST", "/api/v1/sites", body=b'{"name": "x", "folder": "/root"}')
    answer = connection.getresponse()
    assert answer.status == 401 and b"root" not in answer.read()
    connection.close()


def test_link_without_an_application_says_so(tmp_path: Path) -> None:
    """One line and exit code 2."""
    call = [sys.executable, "-m", "ivory_thistle.api.link", "--data", str(tmp_path)]
    done = subprocess.run(call, capture_output=True, text=True, check=False, timeout=60)
    assert done.returncode == 2
    assert done.stderr == f"No application runs on {tmp_path}; start it with ./thistle start.\n"
