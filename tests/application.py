"""The running application as tests see it."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import httpx

from ivory_thistle.api.__main__ import opened
from ivory_thistle.api.access import Access
from ivory_thistle.api.app import create_app
from ivory_thistle.api.server import server_of

ROOT = Path(__file__).parent.parent
PHONE = [{"name": "phone", "width": 390, "height": 844, "density": 3, "dark": False}]
"""The screens of a site, where what is tested does not hang on how many there are."""


@dataclass(frozen=True)
class Application:
    """The running application: its address, a client that has its secret, and who may use it."""

    address: str
    client: httpx.Client
    access: Access

    def audited(self, capture_id: int) -> dict[str, object]:
        """Waits until the findings of a capture are current."""
        return self.wait(f"/api/v1/captures/{capture_id}/findings", ("done", "failed"))

    def wait(self, path: str, states: tuple[str, ...], seconds: float = 240) -> dict[str, object]:
        """Asks until the thing at `path` is in one of the states."""
        deadline = time.monotonic() + seconds
        while True:
            now: dict[str, object] = self.client.get(path).json()
            if now["state"] in states:
                return now
            assert time.monotonic() < deadline, f"{path} is still {now['state']}"
            threading.Event().wait(0.1)


@contextmanager
def running(data_folder: Path) -> Iterator[Application]:
    """The whole application on a data folder of its own: front end, jobs and database, on a free port of loopback."""
    data_folder.mkdir(exist_ok=True)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    access = Access(data_folder, port)
    app = create_app(lambda: opened(data_folder), access, ROOT / "web" / "dist")
    server = server_of(app, port)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive(), "the application did not start"
        threading.Event().wait(0.02)
    address = f"http://127.0.0.1:{port}"
    secret = (data_folder / "secret").read_text()
    with httpx.Client(base_url=address, timeout=60, headers={"authorization": f"Bearer {secret}"}) as client:
        yield Application(address, client, access)
    server.should_exit = True
    thread.join(60)
