"""A measured page reaches its own site and nothing else, in a browser without rights on this machine."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.browser import PageMeasurement, measure_pages
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from waiting import until

pytestmark = pytest.mark.browser
SMALL = Screen("small", 400, 300, 1)


class Neighbour:
    """Another program on this machine: it counts who knocks, by TCP and by UDP."""

    def __init__(self) -> None:
        self.knocks: list[bytes] = []
        self.tcp = socket.create_server(("127.0.0.1", 0))
        self.port = self.tcp.getsockname()[1]
        self.udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.udp.bind(("127.0.0.1", self.port))
        for listen in (self._tcp, self._udp):
            threading.Thread(target=listen, daemon=True).start()

    def _tcp(self) -> None:
        while True:
            try:
                connection, _ = self.tcp.accept()
            except OSError:
                return
            connection.settimeout(2)
            try:
                self.knocks.append(connection.recv(200))
                connection.sendall(b"HTTP/1.1 200 OK\r\naccess-control-allow-origin: *\r\ncontent-length: 0\r\n\r\n")
            except OSError:
                self.knocks.append(b"connected")
            connection.close()

    def _udp(self) -> None:
        while True:
            try:
                self.knocks.append(self.udp.recv(200))
            except OSError:
                return


@contextmanager
def neighbour() -> Iterator[Neighbour]:
    """One that listens for as long as the block runs."""
    one = Neighbour()
    try:
        yield one
    finally:
        one.tcp.close()
        one.udp.close()


# Every way in which a page can speak to an address: https://fetch.spec.whatwg.org/#concept-request-destination
ATTEMPTS = {
    "fetch": "fetch(`${there}/fetch`, {mode: 'no-cors'})",
    "image": "new Image().src = `${there}/image`",
    "by name": "new Image().src = `http://localhost:${port}/name`",
    "by address of version 6": "new Image().src = `http://[::1]:${port}/six`; new Image().src = `http://[::ffff:127.0.0.1]:${port}/six`",
    "by all addresses": "new Image().src = `http://0.0.0.0:${port}/zero`; new Image().src = `http://127.1:${port}/short`",
    "frame": "document.body.append(Object.assign(document.createElement('iframe'), {src: `${there}/frame`}))",
    "object": "document.body.append(Object.assign(document.createElement('object'), {data: `${there}/object`}))",
    "script": "document.body.append(Object.assign(document.createElement('script'), {src: `${there}/script`}))",
    "sheet": "document.head.append(Object.assign(document.createElement('link'), {rel: 'stylesheet', href: `${there}/css`}))",
    "hints": "for (const rel of ['prefetch', 'preconnect', 'dns-prefetch', 'preload', 'prerender', 'modulepreload', 'manifest'])"
    " document.head.append(Object.assign(document.createElement('link'), {rel, as: 'image', href: `${there}/hint`}))",
    "window": "window.open(`${there}/window`)",
    "form": "const f = Object.assign(document.createElement('form'), {action: `${there}/form`, target: '_blank', method: 'post'});"
    " document.body.append(f); f.submit()",
    "beacon": "navigator.sendBeacon(`${there}/beacon`, 'x')",
    "events": "new EventSource(`${there}/events`)",
    "socket": "new WebSocket(`ws://127.0.0.1:${port}/socket`); new WebSocket(`wss://127.0.0.1:${port}/socket`)",
    "worker": "new Worker(URL.createObjectURL(new Blob([`fetch('${there}/worker', {mode: 'no-cors'})`])))",
    "shared worker": "new SharedWorker(URL.createObjectURL(new Blob([`fetch('${there}/shared', {mode: 'no-cors'})`])))",
    "service worker": "navigator.serviceWorker && navigator.serviceWorker.register('sw.js')",
    "download": "const a = Object.assign(document.createElement('a'), {href: `${there}/file`, download: 'x'});"
    " document.body.append(a); a.click()",
    "calls": "const c = new RTCPeerConnection({iceServers: [{urls: [`stun:127.0.0.1:${port}`,"
    " `turn:127.0.0.1:${port}?transport=tcp`], username: 'x', credential: 'x'}]}); c.createDataChannel('x');"
    " c.createOffer().then((o) => c.setLocalDescription(o))",
    "transport": "new WebTransport(`https://127.0.0.1:${port}/transport`)",
    "secure": "fetch(`https://127.0.0.1:${port}/secure`, {mode: 'no-cors'})",
    "elsewhere": "location.href = `${there}/elsewhere`",
}


def measured(root: Path) -> PageMeasurement:
    """The page of a folder."""
    folder, found = Folder(root), []
    with serve_site(folder.paths()[0], folder.read) as address:
        measure_pages(address, ["index.html"], [SMALL], found.append)
    (only,) = found
    return only


@pytest.mark.daily(6)
@pytest.mark.parametrize("attempt", ATTEMPTS)
def test_no_way_leads_to_another_program(tmp_path: Path, attempt: str) -> None:
    """Whatever a page tries, nobody on this machine hears of it."""
    with neighbour() as other:
        script = f"const port = {other.port}, there = `http://127.0.0.1:${{port}}`;"
        script += f"addEventListener('load', () => {{ {ATTEMPTS[attempt]} }}); setTimeout(() => 0, 500);"
        worker = f"fetch('http://127.0.0.1:{other.port}/service', {{mode: 'no-cors'}})"
        (tmp_path / "sw.js").write_text(worker)
        (tmp_path / "index.html").write_text(f"<!doctype html><title>x</title><body><script>{script}</script>")
        measured(tmp_path)
        # Ours comes after whatever the page has sent; until it is heard, so is that.
        socket.create_connection(("127.0.0.1", other.port)).sendall(b"ours")
        other.udp.sendto(b"ours", ("127.0.0.1", other.port))
        until(lambda: other.knocks.count(b"ours") == 2, 10)
        assert other.knocks == [b"ours", b"ours"]


def test_no_rights_on_this_machine(tmp_path: Path) -> None:
    """The browser of an application that root started is nobody's, and it has its sandbox here."""
    if os.geteuid() != 0:
        pytest.skip("the browser of anybody else has that one's rights")
    (tmp_path / "index.html").write_text(
        "<!doctype html><title>x</title><script>setTimeout(() => 0, 3000)</script><p>x"
    )
    seen: set[tuple[bool, bool]] = set()
    ended = threading.Event()

    def look() -> None:
        while not ended.wait(0.05):
            for place in Path("/proc").glob("[0-9]*"):
                try:
                    line = (place / "cmdline").read_bytes()
                    if b"--headless" in line and b"chromium" in line.split(b"\0")[0]:
                        seen.add((place.stat().st_uid == 0, b"--no-sandbox" in line))
                except OSError:
                    continue

    watching = threading.Thread(target=look)
    watching.start()
    measured(tmp_path)
    ended.set()
    watching.join()
    assert seen == {(False, False)}
