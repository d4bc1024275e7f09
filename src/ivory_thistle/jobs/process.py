"""The process of the jobs as the application sees it: started, woken, started again after it died, and ended."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import structlog
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.store import jobs
from ivory_thistle.store.database import in_transaction

log = structlog.get_logger()
DATABASE, BLOBS, SCHEDULER = "THISTLE_DATABASE_URL", "THISTLE_BLOBS_URL", "THISTLE_DASK_SCHEDULER"
_STOP_SECONDS = 1.2
_AGAIN_SECONDS = 0.5
_END_SECONDS = 6.0


class JobsProcess:
    """One process, so that whatever a page or file does to it, requests are answered.

    `on_audit` is told of captures whose findings have changed.
    """

    def __init__(
        self,
        database_url: str,
        blobs_url: str,
        staging: Path,
        sessions: sessionmaker[Session],
        on_audit: Callable[[int], None] = lambda capture_id: None,
    ) -> None:
        self._environment = {**os.environ, DATABASE: database_url, BLOBS: blobs_url}
        self._staging, self._sessions, self._on_audit = staging, sessions, on_audit
        self._ending = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._watch, name="jobs", daemon=True)

    def start(self) -> None:
        """Starts the process, and sees to it that there is one until `stop`."""
        self._thread.start()

    @property
    def pid(self) -> int:
        """The process that lives now; 0 for none."""
        return self._process.pid if self._process and self._process.poll() is None else 0

    def wake(self) -> None:
        """Says that something is waiting. One that is just starting looks by itself."""
        process = self._process
        if process and process.stdin:
            with suppress(OSError, ValueError):
                process.stdin.write(b"\n")
                process.stdin.flush()

    def enforce_stop(self) -> None:
        """To be called when a job was asked to stop: one that has not by then is ended with its process."""
        timer = threading.Timer(_STOP_SECONDS, self._end_what_hangs)
        timer.daemon = True
        timer.start()

    def _end_what_hangs(self) -> None:
        try:
            with self._sessions() as session:
                hangs = jobs.any_asked_to_stop(session)
            if hangs and self._process:
                log.warning("jobs ended", reason="it did not stop when asked")
                self._process.kill()
                in_transaction(self._sessions, jobs.take_up)
        except DBAPIError:
            log.warning("stop not seen to", exc_info=True)

    def stop(self) -> None:
        """Ends the process; unfinished jobs stay to be taken up."""
        self._ending.set()
        process = self._process
        if process and process.stdin:
            with suppress(OSError):
                process.stdin.close()
            try:
                process.wait(_END_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()
        if self._thread.is_alive():
            self._thread.join(_END_SECONDS)

    def _watch(self) -> None:
        while not self._ending.is_set():
            call = [sys.executable, "-P", "-m", "ivory_thistle.jobs", "--staging", str(self._staging)]
            self._process = subprocess.Popen(call, env=self._environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
            assert self._process.stdout is not None
            for line in self._process.stdout:
                self._heard(line)
            code = self._process.wait()
            if not self._ending.wait(_AGAIN_SECONDS):
                log.warning("jobs process ended; another is started", code=code)

    def _heard(self, line: bytes) -> None:
        with suppress(ValueError, KeyError, TypeError):
            self._on_audit(int(json.loads(line)["audited"]))
