"""SIGKILL to the application, any worker, all workers, the jobs and the database, at seeded moments: nothing is lost."""

from __future__ import annotations

import os
import random
import signal
import socket
import subprocess
import sys
from contextlib import suppress
from hashlib import sha256
from pathlib import Path

import httpx
import numpy as np
import pytest
from PIL import Image

from waiting import until

ROUNDS = int(os.environ.get("THISTLE_CHAOS_ROUNDS", "3"))
IMAGES = 60
RESUMES_WITHIN_SECONDS = 15.0
pytestmark = [pytest.mark.whole, pytest.mark.database, pytest.mark.alone, pytest.mark.usefixtures("nothing_kept")]


def write_pictures(folder: Path) -> None:
    """Sixty small pictures, each its own, and a page that shows them."""
    folder.mkdir()
    noise = np.random.default_rng(7)
    for number in range(IMAGES):
        coarse = noise.integers(0, 255, (9, 12, 3), np.uint8)
        Image.fromarray(coarse).resize((320, 240), Image.Resampling.BICUBIC).save(
            folder / f"{number:02}.jpg", quality=92
        )
    shown = "".join(f'<img src="{n:02}.jpg" width=320 height=240 alt="">' for n in range(IMAGES))
    (folder / "index.html").write_text(f"<!doctype html><title>Pictures</title>{shown}")


class Machine:
    """The application as the command line starts it, with everything that belongs to it."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.start()
        self.client = httpx.Client(
            base_url=f"http://127.0.0.1:{self.port}/api/v1",
            headers={"authorization": f"Bearer {(data / 'secret').read_text()}"},
            timeout=20,
        )

    def start(self) -> None:
        """Starts the application and waits until it answers."""
        call = [sys.executable, "-m", "ivory_thistle.api", "--data", str(self.data), "--port", str(self.port)]
        log = (self.data.parent / "log.txt").open("a")
        self.process = subprocess.Popen(call, stdout=log, stderr=log)
        until(self.is_up, 60)

    def is_up(self) -> bool:
        """Whether it answers."""
        assert self.process.poll() is None, "the application ended by itself"
        try:
            return httpx.get(f"http://127.0.0.1:{self.port}/api/v1/health", timeout=5).status_code == 200
        except httpx.HTTPError:
            return False

    def get(self, path: str) -> dict[str, object]:
        """What the interface answers; asked again while the database is away."""
        answers: list[httpx.Response] = []

        def answered() -> bool:
            with suppress(httpx.HTTPError):
                answers.append(self.client.get(path))
            return bool(answers) and answers[-1].status_code != 503

        until(answered, 60)
        return dict(answers[-1].raise_for_status().json())

    def jobs(self) -> list[int]:
        """The process of the jobs."""
        return [pid for pid in children(self.process.pid) if "ivory_thistle.jobs" in command(pid)]

    def workers(self) -> list[int]:
        """The worker processes, with the one that forks them last."""
        forking = [pid for job in self.jobs() for pid in children(job) if "forkserver" in command(pid)]
        return [pid for parent in forking for pid in children(parent)] + forking

    def database(self) -> list[int]:
        """The database server."""
        return [pid for pid in children(self.process.pid) if "mariadbd" in command(pid)]

    def kill(self, what: str, dice: random.Random) -> None:
        """SIGKILL to one part; an application that was killed is started again, as its owner would."""
        if what == "application":
            self.process.kill()
            self.process.wait()
            self.start()
            return
        victims = {"jobs": self.jobs, "database": self.database}.get(what, self.workers)()
        if what == "worker" and victims:
            victims = [dice.choice(victims)]
        for pid in victims:
            try:
                os.kill(pid, signal.SIGKILL)
            except ProcessLookupError:
                continue


def children(pid: int) -> list[int]:
    """The processes that a process started."""
    try:
        lists = [task.read_text() for task in Path(f"/proc/{pid}/task").glob("*/children")]
    except OSError:
        return []
    return [int(child) for text in lists for child in text.split()]


def command(pid: int) -> str:
    """A process's command line."""
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
    except OSError:
        return ""


def progress(machine: Machine, run: str) -> tuple[object, ...]:
    """What has been done of a run."""
    now = machine.get(run)
    return now["done"], now["failed"], now["state"] in ("finishing", "done"), now["compared"], now["state"] == "done"


def renditions(machine: Machine, capture: str, images: list[int]) -> list[tuple[object, ...]]:
    """What the newest run made of each image: format, width and the SHA-256 of the file's content."""
    found: list[tuple[object, ...]] = []
    for image in images:
        for made in machine.get(f"{capture}/images/{image}")["renditions"]:  # type: ignore[attr-defined]
            content = machine.client.get(f"{capture}/images/{image}/renditions/{made['id']}").content
            assert len(content) == made["bytes"]
            found.append((image, made["tier"], made["width"], sha256(content).hexdigest()))
    return found


def test_whatever_is_killed_the_run_goes_on(tmp_path: Path) -> None:
    """Runs of sixty images under fire: each goes on by itself and ends with what an undisturbed one made."""
    write_pictures(tmp_path / "site")
    machine = Machine(tmp_path / "data")
    try:
        site = machine.client.post("/sites/from-folder", json={"folder": str(tmp_path / "site")}).json()
        capture = f"/captures/{site['capture']['id']}"
        until(lambda: machine.get(capture)["state"] == "done", 120)
        listed = machine.client.get(f"{capture}/images", params={"limit": 100}).json()["items"]
        images = sorted(item["id"] for item in listed)
        assert len(images) == IMAGES
        run = f"/runs/{machine.client.post(f'{capture}/runs?fidelity=fixed').json()['id']}"
        until(lambda: machine.get(run)["state"] == "done", 300)
        undisturbed = renditions(machine, capture, images)
        assert len({row[0] for row in undisturbed}) == IMAGES
        for round_ in range(ROUNDS):
            one_round(machine, capture, random.Random(round_))
            assert renditions(machine, capture, images) == undisturbed
            assert list((tmp_path / "data" / "blobs" / ".unfinished").iterdir()) == []
    finally:
        machine.process.send_signal(signal.SIGINT)
        machine.process.wait(60)
    assert "Traceback" not in (tmp_path / "log.txt").read_text()


def one_round(machine: Machine, capture: str, dice: random.Random) -> None:
    """A run in the middle of which parts are killed one after the other."""
    run = f"/runs/{machine.client.post(f'{capture}/runs?fidelity=fixed').json()['id']}"
    for what in dice.sample(["application", "worker", "workers", "jobs", "database"], 3):
        wanted = int(machine.get(run)["done"]) + dice.randint(1, 8)  # type: ignore[call-overload]
        until(lambda wanted=wanted: machine.get(run)["state"] == "done" or machine.get(run)["done"] >= wanted, 300)  # type: ignore[misc]
        if machine.get(run)["state"] == "done":
            break
        machine.kill(what, dice)
        before = progress(machine, run)
        until(lambda seen=before: progress(machine, run) != seen or bool(seen[-1]), RESUMES_WITHIN_SECONDS)  # type: ignore[misc]
    until(lambda: machine.get(run)["state"] in ("done", "failed", "paused"), 300)
    ended = machine.get(run)
    assert (ended["state"], ended["failed"], ended["done"]) == ("done", 0, IMAGES), ended
