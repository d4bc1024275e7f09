"""Stop answers long before what hangs would be given up; what comes afterwards is done. `./thistle bench busy` times it."""

from __future__ import annotations

import http.server
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import pytest

from application import Application
from waiting import until

pytestmark = pytest.mark.database
SECONDS = 15.0
"""A request is given up after 20 s and more, a page after 40."""


@contextmanager
def silent_server() -> Iterator[tuple[str, threading.Event]]:
    """A web server that takes requests and never answers; the event says that one has come."""
    ended, asked = threading.Event(), threading.Event()

    class Handler(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.set()
            ended.wait(60)

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield f"http://127.0.0.1:{server.server_port}/", asked
        finally:
            ended.set()
            server.shutdown()


def stopped_after(application: Application, path: str, seen: str = "") -> float:
    """Asks for a stop and waits until it is seen at a path (the same, where none is given); seconds."""
    begun = time.monotonic()
    application.client.post(f"{path}/stop").raise_for_status()
    application.wait(seen or path, ("stopped",), 30)
    return time.monotonic() - begun


def test_a_server_that_never_answers(application: Application) -> None:
    """A crawl in the middle of its first request."""
    with silent_server() as (address, asked_for):
        asked = {"address": address, "allow_private": True}
        site = application.client.post("/api/v1/sites/from-address", json=asked).json()
        path = f"/api/v1/captures/{site['capture']['id']}"
        application.wait(path, ("running",))
        assert asked_for.wait(60)
        assert stopped_after(application, path) < SECONDS
    application.client.delete(f"/api/v1/sites/{site['id']}")


@pytest.mark.whole
@pytest.mark.browser
def test_a_page_whose_script_never_ends(application: Application, tmp_path: Path) -> None:
    """A measurement with a browser that answers nothing; no browser is left, and the next job is done."""
    (tmp_path / "index.html").write_text("<!doctype html><title>x</title><script>for (;;) {}</script>")
    site = application.client.post("/api/v1/sites/from-folder", json={"folder": str(tmp_path)}).json()
    capture = f"/api/v1/captures/{site['capture']['id']}"
    application.wait(capture, ("done",))
    measurement = application.client.post(f"{capture}/measurements").json()
    path = f"/api/v1/measurements/{measurement['id']}"
    application.wait(f"{capture}/measurement", ("running",))
    until(lambda: busy_renderers(), 60)
    assert stopped_after(application, path, f"{capture}/measurement") < SECONDS
    again = application.client.post(f"/api/v1/sites/{site['id']}/captures").json()
    application.wait(f"/api/v1/captures/{again['id']}", ("done",), 60)
    until(lambda: not browsers(), 20)
    application.client.delete(f"/api/v1/sites/{site['id']}")


def busy_renderers() -> list[int]:
    """Processes of Chromium that show pages and have worked for more than two seconds: the script goes on and on."""
    found = []
    for place in Path("/proc").glob("[0-9]*"):
        with suppress(OSError, IndexError, ValueError):
            times = (place / "stat").read_text().rpartition(")")[2].split()[11:13]
            if b"--type=renderer" in (place / "cmdline").read_bytes() and sum(map(int, times)) > 200:
                found.append(int(place.name))
    return found


def browsers() -> list[str]:
    """Headless browsers that have no parent any more."""
    found = []
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            text = status.read_text()
            line = (status.parent / "cmdline").read_bytes()
        except OSError:
            continue
        if "\nPPid:\t1\n" in text and b"--headless" in line and b"--type=" not in line:
            found.append(str(status.parent))
    return found


def test_what_only_waits_stops_at_once(application: Application, site_folder: Path) -> None:
    """Behind another job, it never begins."""
    with silent_server() as (address, _):
        first = application.client.post(
            "/api/v1/sites/from-address", json={"address": address, "allow_private": True}
        ).json()
        second = application.client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
        path = f"/api/v1/captures/{second['capture']['id']}"
        assert application.client.post(f"{path}/stop").json()["state"] == "stopped"
        assert stopped_after(application, f"/api/v1/captures/{first['capture']['id']}") < SECONDS
    assert application.client.post(f"{path}/continue").json()["state"] == "waiting"
    application.wait(path, ("done",), 60)
    for site in (first, second):
        application.client.delete(f"/api/v1/sites/{site['id']}")
