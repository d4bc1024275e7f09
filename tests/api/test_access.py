"""Who may use the application: the cookie of a one-time address, or the secret; all others get 401."""

from __future__ import annotations

import http.client
import stat
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

import httpx
import pytest
from starlette.datastructures import Headers

from application import Application
from ivory_thistle.api.access import Access

pytestmark = pytest.mark.database


def test_without_cookie_or_secret_nothing_is_given_out(application: Application) -> None:
    """Every address of the interface, its own description included, and every file of the front end."""
    described = application.client.get("/api/v1/openapi.json").json()
    with httpx.Client(base_url=application.address) as stranger:
        for path, operations in described["paths"].items():
            for method in operations:
                filled = path.replace("{", "").replace("}", "")
                answer = stranger.request(method, filled)
                expected = 200 if path == "/api/v1/health" else 401
                assert answer.status_code == expected, (method, path)
        for path in ("/", "/assets/index.js", "/favicon.svg", "/sites/1", "/api/v1/openapi.json", "/docs", "//", "/x"):
            assert stranger.get(path).status_code == 401, path
        problem = stranger.get("/api/v1/sites")
        assert problem.headers["content-type"] == "application/problem+json"
        assert "./thistle link" in problem.json()["detail"]
        assert "./thistle link" in stranger.get("/login").text


def test_an_address_lets_one_browser_in_once(application: Application) -> None:
    """The cookie is out of reach of scripts and other pages; the address is worth nothing afterwards."""
    link = application.client.post("/api/v1/login-links").json()["address"]
    with httpx.Client() as browser:
        first = browser.get(link)
        assert first.status_code == 303 and first.headers["location"] == "/"
        cookie = first.headers["set-cookie"]
        assert "HttpOnly" in cookie and "SameSite=strict" in cookie and "Path=/" in cookie
        assert browser.get(f"{application.address}/api/v1/sites").status_code == 200
        assert browser.get(application.address).status_code == 200
    assert httpx.get(link).status_code == 401
    assert "set-cookie" not in httpx.get(link).headers


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
    assert not access.knows(Headers(raw=raw))
    assert access.knows(Headers({"cookie": f"thistle-1={access.cookie}"}))
    assert not access.spend("")


def test_the_secret_is_its_owners_alone_and_stays(tmp_path: Path) -> None:
    """Also one that was made readable by mistake; a new start knows the browsers of the last."""
    first = Access(tmp_path, 1)
    (tmp_path / "secret").chmod(0o644)
    second = Access(tmp_path, 1)
    assert stat.S_IMODE((tmp_path / "secret").stat().st_mode) == 0o600
    assert first.cookie == second.cookie


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
