"""Called in a folder that is somebody's: nothing in it is run or imported, by whichever process."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from pictures import write_site
from waiting import until

ROOT = Path(__file__).parents[2]
PROGRAMS = ("python", "python3", "node", "npm", "npx", "bash", "sh", "env", "dirname", "readlink", "sha256sum", "cat",
            "find", "xargs", "id", "mkdir", "chromium", "chromium-headless-shell", "setpriv", "mariadbd", "git")  # fmt: skip


def hostile(folder: Path) -> Path:
    """A site whose files have the names of modules and programs; each one that is run leaves a mark."""
    site, mark = write_site(folder / "site"), folder / "was-run"
    modules = {*sys.stdlib_module_names, *(name.partition(".")[0] for name in sys.modules), "ivory_thistle", "typer",
               "sitecustomize", "usercustomize", "corvane", "conftest", "fuzz"}  # fmt: skip
    for name in modules:
        if name.isidentifier() and not (site / f"{name}.py").exists():
            (site / f"{name}.py").write_text(f"open({str(mark)!r}, 'a').write('{name} was imported\\n')\n")
    for name in PROGRAMS:
        (site / name).write_text(f"#!/bin/sh\necho {name} was run >> {mark}\nexit 1\n")
        (site / name).chmod(0o755)
    (site / "package.json").write_text('{"type": "module", "scripts": {"preinstall": "./npm"}}')
    (site / ".npmrc").write_text("node-options=--require ./x.cjs\n")
    return site


@pytest.fixture
def environment() -> dict[str, str]:
    """One that names the current folder wherever it can."""
    named = {"PATH": f".::{os.environ['PATH']}", "PYTHONPATH": f".:{ROOT / 'src'}"}
    return {name: value for name, value in os.environ.items() if name != "PYTHONSAFEPATH"} | named


@pytest.mark.slow
@pytest.mark.parametrize(
    "command",
    [
        ("audit", ".", "--json"),
        ("treat", ".", "--out", "../out", "--quality", "jpeg=80", "--formats", "webp", "--no-compare"),
    ],
)
def test_the_command_in_somebodys_folder(tmp_path: Path, environment: dict[str, str], command: tuple[str, ...]) -> None:
    """`./thistle` itself with its set-up, its worker processes, and what they start."""
    site = hostile(tmp_path)
    done = subprocess.run(
        [ROOT / "thistle", *command], cwd=site, env=environment | {"THISTLE_VENV": sys.prefix},
        capture_output=True, text=True, check=False, timeout=300,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert not (tmp_path / "was-run").exists(), (tmp_path / "was-run").read_text()


@pytest.mark.database
@pytest.mark.slow
def test_the_application_in_somebodys_folder(tmp_path: Path, environment: dict[str, str]) -> None:
    """Database, jobs and workers are started from there; a capture goes through."""
    site, data = hostile(tmp_path), tmp_path / "data"
    port = free_port()
    own = {"THISTLE_VENV": sys.prefix, "THISTLE_DATA": str(data)}
    with (tmp_path / "log").open("w") as log:
        call = [ROOT / "thistle", "start", "--port", str(port)]
        process = subprocess.Popen(call, cwd=site, env=environment | own, stdout=log, stderr=log)
    try:
        with httpx.Client(base_url=f"http://127.0.0.1:{port}/api/v1", timeout=60) as client:
            until(lambda: process.poll() is None and answers(client))
            client.headers["authorization"] = f"Bearer {(data / 'secret').read_text()}"
            made = client.post("/sites/from-folder", json={"folder": str(site)}).json()
            capture = f"/captures/{made['capture']['id']}"
            until(lambda: client.get(capture).json()["state"] == "done")
    finally:
        process.terminate()
        process.wait(30)
    assert not (tmp_path / "was-run").exists(), (tmp_path / "was-run").read_text()


def free_port() -> int:
    """A port of loopback that nobody has now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def answers(client: httpx.Client) -> bool:
    try:
        return client.get("/health").status_code == 200
    except httpx.HTTPError:
        return False
