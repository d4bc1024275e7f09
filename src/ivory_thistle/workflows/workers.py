"""Worker processes with limits: whatever a file does to the one that has it in hand, that call alone fails.

A worker that takes too long is killed, one that wants too much memory is refused it; both are that call's fault. One
that was killed from outside is no call's fault: the call is given to another worker.
"""

from __future__ import annotations

import os
import pickle
import resource
import signal
import threading
import time
from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from itertools import product
from multiprocessing import get_context
from multiprocessing.connection import Connection, wait
from pathlib import Path
from typing import Any

import cv2

from ivory_thistle.core.errors import ThistleError
from ivory_thistle.workflows.plugged import load_formats, named_formats

AT_ONCE = 2
_POLL_SECONDS = 0.2
_MOST_KILLS = 6
_START_SECONDS = 60.0
_STEPS_BACK = 10
_READY = "ready"
"""A worker's first word: what ends it from then on is its call's doing."""
# Imported once; every worker begins with them.
_PRELOADED = ["ivory_thistle.workflows.inspecting", "ivory_thistle.workflows.treating"]


class CallFailedError(ThistleError):
    """A call that ended its worker, or was ended for going beyond its limits. The text says which, without a name."""


class WorkersError(ThistleError):
    """Workers end before they have begun, again and again: this machine's fault, and no call's."""


@dataclass(frozen=True, slots=True)
class Call:
    """A function at a module's top with its arguments, and its limits: `seconds` of time, `memory` in bytes.

    `key` tells calls apart in their outcomes.
    """

    key: Hashable
    function: Callable[..., Any]
    arguments: tuple[Any, ...]
    seconds: float
    memory: int = 2_000_000_000


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of a call: its value, or the error that it raised or that ended it."""

    key: Hashable
    value: Any = None
    error: Exception | None = None


class Workers:
    """A few worker processes of low priority, started when the first call comes and ended on leaving the block."""

    def __init__(self, at_once: int = AT_ONCE, ahead: int = 1) -> None:
        """Each has up to `ahead` calls: more than one is faster for short calls, which may wait behind long ones."""
        self._workers = [_Worker() for _ in range(at_once)]
        self._ahead = ahead

    def __enter__(self) -> Workers:
        return self

    def __exit__(self, *_: object) -> None:
        for worker in self._workers:
            worker.end()

    @property
    def pids(self) -> list[int]:
        """The processes that live now."""
        return [worker.pid for worker in self._workers if worker.pid]

    def run(self, calls: Iterable[Call], stop: Callable[[], bool] = lambda: False) -> Iterator[Outcome]:
        """Outcomes as they come. Once `stop` says so (asked a few times a second), what is in hand is given up.

        Raises WorkersError where no worker can be started.
        """
        waiting = iter(calls)
        again: deque[Call] = deque()
        kills: dict[Hashable, int] = {}
        try:
            while not stop():
                for held, worker in product(range(self._ahead), self._workers):
                    if len(worker.calls) == held and (call := again.popleft() if again else next(waiting, None)):
                        worker.give(call)
                busy = [worker for worker in self._workers if worker.calls]
                if not busy:
                    return
                wait([worker.connection for worker in busy], _POLL_SECONDS)
                for worker in busy:
                    outcomes, unfinished = worker.look(kills)
                    again.extend(unfinished)
                    yield from outcomes
        finally:
            for worker in self._workers:
                if worker.calls:
                    worker.end()


class _Worker:
    """One process and the calls that it has been given: the first is in hand, the others wait in its pipe."""

    def __init__(self) -> None:
        self.calls: deque[Call] = deque()
        self._process: Any = None
        self._connection: Connection | None = None
        self._life: Connection | None = None
        self._begun = 0.0
        self._ready = False

    @property
    def pid(self) -> int:
        """The process, 0 for none."""
        return int(self._process.pid or 0) if self._process else 0

    @property
    def connection(self) -> Connection:
        """Where its answers come from."""
        assert self._connection is not None
        return self._connection

    def give(self, call: Call) -> None:
        """Hands a call on; the process is started where there is none."""
        if self._process is None:
            self._start()
        if not self.calls:
            self._begun = time.monotonic()
        self.calls.append(call)
        # One that has just died is noticed when its answers are looked for.
        with suppress(OSError):
            self.connection.send((call.function, call.arguments, call.memory))

    def _start(self) -> None:
        context = get_context("forkserver")
        context.set_forkserver_preload(_PRELOADED)
        deadline = time.monotonic() + _START_SECONDS
        while True:
            ours, theirs = context.Pipe()
            life, end = context.Pipe(duplex=False)
            process = context.Process(target=_serve, args=(theirs, life, named_formats()), daemon=True)
            try:
                process.start()
                break
            except (OSError, EOFError):  # the server that forks was killed; the next try starts another
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.1)
            finally:
                theirs.close()
                life.close()
        self._process, self._connection, self._life, self._ready = process, ours, end, False

    def end(self) -> None:
        """Kills the process, whatever it has in hand."""
        if self._process is None:
            return
        self._process.kill()
        self._process.join(5)
        for connection in (self._connection, self._life):
            if connection:
                connection.close()
        self._process = self._connection = self._life = None
        self.calls.clear()

    def look(self, kills: dict[Hashable, int]) -> tuple[list[Outcome], list[Call]]:
        """The outcomes that have come, and the calls that must be given to another worker."""
        outcomes: list[Outcome] = []
        try:
            while self.calls and self.connection.poll():
                answer = self.connection.recv()
                if answer == _READY:
                    # How long it takes to start is not the first call's fault.
                    self._ready, self._begun = True, time.monotonic()
                    continue
                value, error = answer
                outcomes.append(Outcome(self.calls.popleft().key, value, error))
                self._begun = time.monotonic()
        except (EOFError, OSError):
            outcome, unfinished = self._died(kills)
            return [*outcomes, *outcome], unfinished
        to_start = 0.0 if self._ready else _START_SECONDS
        if self.calls and time.monotonic() - self._begun > self.calls[0].seconds + to_start:
            late, *others = self.calls
            self.end()
            words = f"It was not done within {late.seconds:.0f} seconds."
            return [*outcomes, Outcome(late.key, error=CallFailedError(words))], others
        return outcomes, []

    def _died(self, kills: dict[Hashable, int]) -> tuple[list[Outcome], list[Call]]:
        in_hand, *others = self.calls
        self._process.join(5)
        code, was_ready = self._process.exitcode, self._ready
        self.end()
        # 255: nobody can say, since the server that forks is gone too.
        outside = code in (-signal.SIGKILL, -signal.SIGTERM, 255, None) or not was_ready
        kills[in_hand.key] = kills.get(in_hand.key, 0) + outside
        if outside and kills[in_hand.key] < _MOST_KILLS:
            return [], [in_hand, *others]
        name = signal.Signals(-code).name if code and code < 0 else f"exit code {code}"
        if not was_ready:
            raise WorkersError(f"Worker processes can't be started here ({name}), most likely for want of memory.")
        words = f"It ended the process that had it in hand ({name}), most likely for want of memory."
        return [Outcome(in_hand.key, error=CallFailedError(words))], others


def _serve(connection: Connection, life: Connection, formats: tuple[str, ...]) -> None:
    """A worker's life: calls in, answers out, until the one who asks is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    load_formats(formats)
    threading.Thread(target=_end_with, args=(life,), daemon=True).start()
    with suppress(OSError):
        os.nice(_STEPS_BACK)
    # Others beside it treat pictures too: more threads would only be in each other's way.
    cv2.setNumThreads(1)
    with suppress(EOFError, OSError):
        connection.send(_READY)
        while True:
            function, arguments, memory = connection.recv()
            _allow(memory)
            answer: tuple[Any, Exception | None]
            try:
                answer = (function(*arguments), None)
            except Exception as error:
                answer = (None, _portable(error))
            connection.send(answer)


def _portable(error: Exception) -> Exception:
    """The error as it is where it survives the way to another process, else its words."""
    try:
        return pickle.loads(pickle.dumps(error))  # type: ignore[no-any-return]
    except Exception:
        return CallFailedError(f"{type(error).__name__}: {error}"[:500])


def _end_with(life: Connection) -> None:
    """Ends this process once the other end is closed: whoever wanted its answers is gone."""
    with suppress(EOFError, OSError):
        life.recv()
    os._exit(0)


def _allow(memory: int) -> None:
    """Lets this process have so many bytes of memory beyond what it holds now."""
    held = _data_bytes()
    _, most = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (held + memory, most))


def _data_bytes() -> int:
    with Path("/proc/self/status").open(encoding="ascii", errors="replace") as status:
        for line in status:
            if line.startswith("VmData:"):
                return int(line.split()[1]) * 1024
    return 0
