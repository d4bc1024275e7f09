"""The running application as tests see it."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass
from pathlib import Path

import httpx

from ivory_thistle.api.access import Access

ROOT = Path(__file__).parent.parent


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
            threading.Event().wait(0.05)
