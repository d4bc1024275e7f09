"""`./thistle bench busy FOLDER`: twenty clients list a site while it is treated; the 95th hundredth of their times.

The reference is one client alone on the same machine while nothing else goes on.
"""

from __future__ import annotations

import random
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx

CLIENTS = 20
SECONDS = 25.0
PAUSE_SECONDS = 0.5
"""Between two looks of one person at a list."""
AIM = 0.3


def wait_for(client: httpx.Client, path: str, states: tuple[str, ...], seconds: float = 600) -> None:
    """Until the thing at `path` is in one of the states."""
    deadline = time.monotonic() + seconds
    while client.get(path).json()["state"] not in states:
        if time.monotonic() > deadline:
            raise SystemExit(f"{path} took too long")
        time.sleep(0.2)


def listed(client: httpx.Client, paths: list[str], ends: float, pause: float, seed: int) -> list[tuple[float, str]]:
    """How long each answer took, with its path."""
    dice, took = random.Random(seed), []
    time.sleep(dice.uniform(0, pause))
    while time.monotonic() < ends:
        path = dice.choice(paths)
        begun = time.perf_counter()
        client.get(path).raise_for_status()
        took.append((time.perf_counter() - begun, path))
        time.sleep(pause)
    return took


def p95(times: list[float]) -> float:
    """The 95th hundredth, in seconds."""
    return statistics.quantiles(times, n=20)[-1]


def main(folder: Path) -> int:
    """Prints both figures; 1 where the busy one misses the aim."""
    with tempfile.TemporaryDirectory() as data, socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        call = [sys.executable, "-m", "ivory_thistle.api", "--data", data, "--port", str(port)]
        server = subprocess.Popen(call, stdout=subprocess.DEVNULL)
        try:
            return _measured(Path(data), port, folder)
        finally:
            server.terminate()
            server.wait(30)


def _measured(data: Path, port: int, folder: Path) -> int:
    base = f"http://127.0.0.1:{port}/api/v1"
    for _ in range(300):
        try:
            httpx.get(f"{base}/health", timeout=2).raise_for_status()
            break
        except httpx.HTTPError:
            time.sleep(0.2)
    headers = {"authorization": f"Bearer {(data / 'secret').read_text()}"}
    with httpx.Client(base_url=base, headers=headers, timeout=60) as client:
        site = client.post("/sites/from-folder", json={"folder": str(folder.absolute())}).json()
        capture = f"/captures/{site['capture']['id']}"
        wait_for(client, capture, ("done",))
        wait_for(client, f"{capture}/findings", ("done",))
        paths = [
            "/sites", f"/sites/{site['id']}", f"{capture}/pages", f"{capture}/images", f"{capture}/images?sort=name",
            f"{capture}/findings", f"{capture}/facets", f"{capture}/runs", f"{capture}/forecast",
        ]  # fmt: skip
        paths = [p for p in paths if client.get(p).status_code == 200]
        alone = [took for took, _ in listed(client, paths, time.monotonic() + 5, 0, 0)]
        run = client.post(f"{capture}/runs").json()
        wait_for(client, f"/runs/{run['id']}", ("running",))
        paths += [f"/runs/{run['id']}", f"/runs/{run['id']}/tasks"]
        found: list[tuple[float, str]] = []
        ends = time.monotonic() + SECONDS
        clients = [httpx.Client(base_url=base, headers=headers, timeout=60) for _ in range(CLIENTS)]
        threads = [
            threading.Thread(target=lambda c=c, n=n: found.extend(listed(c, paths, ends, PAUSE_SECONDS, n)))  # type: ignore[misc]
            for n, c in enumerate(clients)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        state = client.get(f"/runs/{run['id']}").json()["state"]
        stopped = time.monotonic()
        client.post(f"/runs/{run['id']}/stop")
        wait_for(client, f"/runs/{run['id']}", ("stopped", "done"))
        stopped = time.monotonic() - stopped
    busy, reference = p95([took for took, _ in found]), p95(alone)
    print(f"{len(found)} answers to {CLIENTS} clients while a run was {state}: p95 {busy * 1000:.0f} ms")
    print(f"one client alone, nothing else going on: p95 {reference * 1000:.0f} ms ({busy / reference:.1f} times)")
    print(f"Stop was answered and seen after {stopped:.1f} s")
    for path in paths:
        of_path = [took for took, where in found if where == path]
        if len(of_path) > 4:
            print(f"  {p95(of_path) * 1000:6.0f} ms  {path}")
    return 0 if busy <= AIM else 1


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1])))
