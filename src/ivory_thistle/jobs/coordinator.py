"""The coordinator: takes waiting captures, audits, runs and measurements, one at a time, and sees them through.

All state is in the database: whatever dies at whatever moment, the next start goes on with what is not
finished, and a finished rendition is never made twice.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import structlog
from dask.distributed import Client, as_completed
from sqlalchemy import case, select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs, StorageError, told_of_disk
from ivory_thistle.store.database import answers, in_transaction, is_away
from ivory_thistle.workflows.auditing import audit_capture
from ivory_thistle.workflows.capturing import capture_from
from ivory_thistle.workflows.measuring import measure_capture
from ivory_thistle.workflows.renditions import Treatment, result_of
from ivory_thistle.workflows.runs import keep_result, settle_run, waiting_tasks
from ivory_thistle.workflows.workers import Call, CallFailedError, Outcome, Workers

log = structlog.get_logger()
_PROGRESS_EVERY = 5
_MOST_TRIES = 5
_AT_ONCE_ELSEWHERE = 16
_ASK_SECONDS = 0.3

Table = type[t.Capture | t.Run | t.Measurement]


class Coordinator:
    """Executes jobs; `scheduler` is the address of a Dask scheduler (None: worker processes of our own).

    `on_audit` is told of captures whose findings have changed.
    """

    def __init__(
        self,
        sessions: sessionmaker[Session],
        blobs: Blobs,
        staging: Path,
        scheduler: str | None = None,
        on_audit: Callable[[int], None] = lambda capture_id: None,
    ) -> None:
        self._sessions, self._blobs, self._staging, self._scheduler = sessions, blobs, staging, scheduler
        self._wake, self._ending = threading.Event(), threading.Event()
        self._on_audit = on_audit
        self.workers = Workers()

    def wake(self) -> None:
        """Says that something is waiting."""
        self._wake.set()

    def end(self) -> None:
        """Makes `run` return soon; what is in hand is given up, and taken up by the next start."""
        self._ending.set()
        self._wake.set()

    def run(self) -> None:
        """Executes what waits until `end` is called. What an earlier process left half done is taken up again."""
        self._blobs.clear_unfinished()
        take_up(self._sessions)
        with self.workers:
            while not self._ending.is_set():
                self._wake.clear()
                try:
                    busy = self._next()
                except Exception as error:
                    self._recover(error)
                    continue
                if not busy:
                    self._wake.wait(5)

    def _next(self) -> bool:
        """Executes one job, the first of the kind that others rest on; False where nothing waits."""
        return (
            self._one(t.Capture, self._capture)
            or self._audit()
            or self._one(t.Run, self._run)
            or self._one(t.Measurement, self._measurement)
        )

    def _recover(self, error: Exception) -> None:
        """After an error that is no job's: waits until the database answers, and takes up what was under way."""
        log.warning("jobs interrupted", error=repr(error), exc_info=not is_away(error))
        while not self._ending.wait(_ASK_SECONDS) and not answers(self._sessions):
            pass
        if not self._ending.is_set():
            take_up(self._sessions)

    def _one(self, table: Table, execute: Callable[[int], None]) -> bool:
        with self._sessions() as session:
            job = session.scalar(select(table.id).where(table.state == "waiting").order_by(table.id).limit(1))
        if job is None:
            return False
        try:
            if self._begin(table, job):
                execute(job)
        except StorageError as error:
            self._give_up(table, job, str(error), "paused" if table is t.Run else "failed")
        except UnusableInput as error:
            self._give_up(table, job, str(error))
        except OSError as error:
            words = told_of_disk(error, str(error.filename or self._staging))
            self._give_up(table, job, words, "paused" if table is t.Run else "failed")
        except Exception as error:
            if is_away(error):
                raise
            log.exception("job failed", table=table.__tablename__, id=job)
            self._give_up(table, job, f"Something went wrong here ({type(error).__name__}); nothing finished was lost.")
        return True

    def _begin(self, table: Table, job: int) -> bool:
        """Counts the try; False where there were too many that came to nothing."""

        self._set(table, job, tries=table.tries + 1)
        with self._sessions() as session:
            tries = session.scalar(select(table.tries).where(table.id == job)) or 0
        if tries <= _MOST_TRIES:
            return True
        words = f"This was begun {_MOST_TRIES} times and broke off each time; nothing finished was lost."
        self._give_up(table, job, words)
        return False

    def _give_up(self, table: Table, job: int, message: str, state: str = "failed") -> None:
        ended = {"state": state, "error": message, "finished_at": t.now(), "tries": 0}
        self._set(table, job, **ended)

    def _set(self, table: Table, job: int, **values: object) -> None:
        statement = update(table).where(table.id == job).values(**values)
        in_transaction(self._sessions, lambda session: session.execute(statement))

    def _audit(self) -> bool:
        """Audits one capture whose findings are not current."""
        with self._sessions() as session:
            job = session.scalar(
                select(t.Capture.id).where(t.Capture.audit == "waiting", t.Capture.state == "ready").limit(1)
            )
        if job is None:
            return False
        try:
            if self._begin(t.Capture, job):
                audit_capture(job, self._sessions, self._blobs)
                self._set(t.Capture, job, tries=0)
                self._on_audit(job)
            else:
                self._set(t.Capture, job, state="ready", audit="failed")
        except Exception as error:
            if is_away(error):
                raise
            log.exception("audit failed", id=job)
            self._set(t.Capture, job, audit="failed", tries=0)
        return True

    def _capture(self, capture_id: int) -> None:
        self._set(t.Capture, capture_id, state="reading")

        def progress(done: int, total: int) -> None:
            if self._ending.is_set() or (done % _PROGRESS_EVERY and done != total):
                return
            self._set(t.Capture, capture_id, files_done=done, files_total=total, tries=0)

        whole = capture_from(
            capture_id, self._sessions, self._blobs, self._staging / f"capture-{capture_id}", progress,
            lambda: self._stop_asked(t.Capture, capture_id),
        )  # fmt: skip
        if whole:
            self._set(t.Capture, capture_id, tries=0)
            log.info("capture ready", id=capture_id)
        else:
            self._set(t.Capture, capture_id, state="waiting" if self._ending.is_set() else "stopped")

    def _run(self, run_id: int) -> None:
        with self._sessions() as session:
            run = session.get_one(t.Run, run_id)
            started, rules = run.started_at or t.now(), Rules.from_dict(run.rules)
            waiting = waiting_tasks(session, run_id, rules)
        self._set(t.Run, run_id, state="running", started_at=started)
        for outcome in self._outcomes(run_id, waiting):
            if isinstance(outcome.error, StorageError):
                raise outcome.error
            self._keep(run_id, outcome)
        if self._ended_early(t.Run, run_id):
            return
        self._set(t.Run, run_id, state="finishing")
        if settle_run(run_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Run, run_id)):
            self._set(t.Run, run_id, tries=0)
            log.info("run done", id=run_id)
            return
        self._ended_early(t.Run, run_id)

    def _keep(self, run_id: int, outcome: Outcome) -> None:
        if outcome.error:
            log.warning("task failed", error=repr(outcome.error))

        def keep(session: Session) -> None:
            keep_result(session, int(str(outcome.key)), result_of(outcome))
            session.execute(update(t.Run).where(t.Run.id == run_id).values(tries=0))

        in_transaction(self._sessions, keep)

    def _ended_early(self, table: Table, job: int) -> bool:
        """Notes that a job was cut short, by the end of this process or by the person; False where it was not."""
        if self._ending.is_set():
            self._set(table, job, state="waiting")
        elif self._stop_asked(table, job):
            self._set(table, job, state="stopped", finished_at=t.now())
        else:
            return False
        return True

    def _measurement(self, measurement_id: int) -> None:
        with self._sessions() as session:
            row = session.get_one(t.Measurement, measurement_id)
            capture_id, started = row.capture_id, row.started_at or t.now()
        self._set(t.Measurement, measurement_id, state="running", started_at=started)
        measure_capture(
            measurement_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Measurement, measurement_id)
        )
        if not self._ended_early(t.Measurement, measurement_id):
            self._set(t.Measurement, measurement_id, state="done", finished_at=t.now(), tries=0)
        self._set(t.Capture, capture_id, audit="waiting")
        log.info("measurement ended", id=measurement_id)

    def _outcomes(self, run_id: int, waiting: Mapping[int, Treatment]) -> Iterator[Outcome]:
        """What becomes of the tasks, as it comes."""
        calls = (treatment.call(task, self._blobs.url) for task, treatment in waiting.items())

        def stop() -> bool:
            return self._stop_asked(t.Run, run_id)

        if self._scheduler is None:
            return self.workers.run(calls, stop)
        return _on_dask(self._scheduler, calls, stop)

    def _stop_asked(self, table: Table, job: int) -> bool:
        if self._ending.is_set():
            return True
        with self._sessions() as session:
            return bool(session.scalar(select(table.stop_asked).where(table.id == job)))


def take_up(sessions: sessionmaker[Session]) -> None:
    """Makes what was under way wait again, or stopped where that was asked."""
    under_way = ((t.Capture, ("reading",)), (t.Run, ("running", "finishing")), (t.Measurement, ("running",)))

    def change(session: Session) -> None:
        for table, states in under_way:
            now = case((table.stop_asked, "stopped"), else_="waiting")
            session.execute(update(table).where(table.state.in_(states)).values(state=now))
        session.execute(update(t.Capture).where(t.Capture.audit == "running").values(audit="waiting"))

    in_transaction(sessions, change)


def _on_dask(scheduler: str, calls: Iterator[Call], stop: Callable[[], bool]) -> Iterator[Outcome]:
    """The same on the workers of a Dask scheduler: several machines that share one blob store. Limits are theirs."""
    keys: dict[str, Any] = {}
    with Client(scheduler) as client:

        def submit() -> Any:
            call = next(calls, None)
            if call is None:
                return None
            future = client.submit(call.function, *call.arguments, pure=False, retries=1)
            keys[future.key] = call.key
            return future

        running = as_completed([f for _ in range(_AT_ONCE_ELSEWHERE) if (f := submit())])
        for future in running:
            error = future.exception()
            if error is not None and not isinstance(error, StorageError):
                error = CallFailedError(f"The worker could not finish it ({type(error).__name__}).")
            yield Outcome(keys.pop(future.key), None if error else future.result(), error)
            if stop():
                return
            if following := submit():
                running.add(following)
