"""The desk: a few workers that stay, for what a person waits for while looking at one picture after another."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import structlog
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.proofs import judge_run
from ivory_thistle.workflows.workers import Call, Workers

log = structlog.get_logger()
_SECONDS = 60.0


class Desk:
    """One worker for what must come at once, one for what may take seconds, and judging in the background.

    Safe for many threads. `close` ends all of it.
    """

    def __init__(self) -> None:
        self._at_once, self._soon = _Place(), _Place()
        self._judging: dict[int, threading.Thread] = {}
        self._lock = threading.Lock()
        self._closed = threading.Event()

    def at_once(self, function: Callable[..., Any], *arguments: Any) -> Any:
        """What a person waits for. Raises what the function raises, CallFailedError where it took too long."""
        return self._at_once.ask(function, arguments)

    def soon(self, function: Callable[..., Any], *arguments: Any) -> Any:
        """The same, for what takes seconds: it keeps nothing quick waiting."""
        return self._soon.ask(function, arguments)

    def judge(self, run_id: int, sessions: sessionmaker[Session], blobs: Blobs) -> None:
        """Judges in the background what a run has made and nobody has judged; at most one thread does so for a run."""
        with self._lock:
            if self._closed.is_set() or (run_id in self._judging and self._judging[run_id].is_alive()):
                return
            work = threading.Thread(target=self._judge, args=(run_id, sessions, blobs), daemon=True)
            self._judging[run_id] = work
            work.start()

    def _judge(self, run_id: int, sessions: sessionmaker[Session], blobs: Blobs) -> None:
        try:
            judge_run(run_id, sessions, blobs, self._closed.is_set)
        except Exception as error:
            # The next look at the queue begins again; nothing rests on this thread.
            log.warning("judging ended early", run=run_id, error=repr(error))

    def close(self) -> None:
        """Ends workers and threads."""
        self._closed.set()
        for work in self._judging.values():
            work.join(10)
        self._at_once.close()
        self._soon.close()


class _Place:
    """A worker that stays; those who ask wait for one another."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._workers = Workers(at_once=1)

    def ask(self, function: Callable[..., Any], arguments: tuple[Any, ...]) -> Any:
        with self._lock:
            for outcome in self._workers.run([Call("desk", function, arguments, _SECONDS)]):
                if outcome.error:
                    raise outcome.error
                return outcome.value
        raise RuntimeError("a worker gave no outcome")

    def close(self) -> None:
        self._workers.__exit__()
