"""Starting: one application a data folder, and what is in it is its owner's alone."""

from __future__ import annotations

import os
import stat
import subprocess
import sys
from pathlib import Path

from starlette.datastructures import Headers

from ivory_thistle.api.__main__ import held
from ivory_thistle.api.guard import Guard


def test_a_second_start_on_the_same_data_says_who_has_it(tmp_path: Path) -> None:
    """Exit code 2, one line; the folder is closed to others."""
    (tmp_path / "old.txt").write_text("made before")
    tmp_path.chmod(0o755)
    call = [sys.executable, "-m", "ivory_thistle.api", "--data", str(tmp_path), "--port", "1"]
    with held(tmp_path, 8640):
        done = subprocess.run(call, capture_output=True, text=True, check=False, timeout=60)
    assert done.returncode == 2
    who = f"the application at http://127.0.0.1:8640 (process {os.getpid()})"
    assert done.stderr == f"{tmp_path} is in use by {who}; stop that one, or name another folder.\n"
    assert stat.S_IMODE(tmp_path.stat().st_mode) == 0o700
    with held(tmp_path, 8641):
        pass


def test_a_request_names_one_host_and_one_origin() -> None:
    """Of two, a server and what stands before it might each heed another."""
    guard = Guard(lambda scope, receive, send: None, 8640)  # type: ignore[arg-type, return-value]
    own = (b"host", b"127.0.0.1:8640")
    origin = (b"origin", b"http://127.0.0.1:8640")
    assert guard._refusal("GET", Headers(raw=[own, origin])) == ""
    for raw in ([own, own], [own, (b"host", b"evil.example")], [own, origin, origin]):
        assert guard._refusal("GET", Headers(raw=raw)) == "A request names one host and one origin."
