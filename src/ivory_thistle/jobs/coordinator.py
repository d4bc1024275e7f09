"""The coordinator: takes waiting captures, audits, runs and measurements, one at a time, and sees them through.

All state is in the database: whatever dies at whatever moment, the next start goes on with what is not
finished, and a finished rendition is never made twice.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from pathlib import Path
from typing import Any

import structlog
from dask.distributed import Client, as_completed
from sqlalchemy import update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.chromium import kept_browsers
from ivory_thistle.store import jobs
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs, StorageError, told_of_disk
from ivory_thistle.store.database import answers, in_transaction, is_away, up_for
from ivory_thistle.workflows.auditing import ask_for_audit, audit_capture
from ivory_thistle.workflows.capturing import capture_from
from ivory_thistle.workflows.checks import check_run
from ivory_thistle.workflows.kept import kept_url, let_go_of_the_oldest
from ivory_thistle.workflows.measuring import measure_capture
from ivory_thistle.workflows.runs import (
    asked_first,
    first_pass,
    in_order,
    keep_result,
    keep_sketches,
    settle_run,
    waiting_tasks,
)
from ivory_thistle.workflows.sampling import Sampler, foretell_from_sketches
from ivory_thistle.workflows.treating import Treatment, result_of
from ivory_thistle.workflows.workers import Call, CallFailedError, Outcome, Workers, WorkersError

log = structlog.get_logger()
_PROGRESS_EVERY = 5
_MOST_TRIES = 5
_MOST_REFUSALS = 3
_CLOCKS_DIFFER_SECONDS = 2.0
_AT_ONCE_ELSEWHERE = 16
_ASK_SECONDS = 0.3
_REST_SECONDS = 5


_REFUSED = (
    f"The database refused to keep this, {_MOST_REFUSALS} times: one thing in it is larger than the server takes."
    " Leave out the page or file that is extraordinarily large, then try again. Nothing finished was lost."
)


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
        self._kinds: Mapping[jobs.JobTable, Callable[[int], State]] = {
            t.Capture: self._capture, t.Audit: self._audit, t.Run: self._run, t.Measurement: self._measurement,
            t.Check: self._check, t.Sample: self._sample,
        }  # fmt: skip

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
        in_transaction(self._sessions, jobs.take_up)
        with self.workers, kept_browsers() as browsers:
            while not self._ending.is_set():
                self._wake.clear()
                try:
                    busy = self._next()
                except Exception as error:
                    self._recover(error)
                    continue
                # The next job often follows at once, and takes the browsers over.
                if not busy and not self._wake.wait(_REST_SECONDS):
                    browsers.rest()

    def _next(self) -> bool:
        """Executes the job whose turn it is; False where nothing waits."""
        with self._sessions() as session:
            found = jobs.next_job(session)
        if found is None:
            return False
        table, job = found
        tries = in_transaction(self._sessions, lambda session: jobs.begin(session, table, job))
        if tries > _MOST_TRIES:
            words = f"This was begun {_MOST_TRIES} times and broke off each time; nothing finished was lost."
            self._move(table, job, State.FAILED, words)
        elif tries:
            self._execute(table, job, tries)
        return True

    def _recover(self, error: Exception) -> None:
        """After an error that is no job's: waits until the database answers, and takes up what was under way."""
        log.warning("jobs interrupted", error=repr(error), exc_info=not is_away(error))
        while not self._ending.wait(_ASK_SECONDS) and not answers(self._sessions):
            pass
        if not self._ending.is_set():
            in_transaction(self._sessions, jobs.take_up)

    def _execute(self, table: jobs.JobTable, job: int, tries: int) -> None:
        """Sees a job through that is in hand for the `tries`th time, and notes how it ended."""
        begun = time.monotonic()
        lack = State.PAUSED if table is t.Run else State.FAILED
        try:
            ended, error = self._kinds[table](job), None
        except (StorageError, WorkersError) as lacking:
            ended, error = lack, str(lacking)
        except UnusableInput as refused:
            ended, error = State.FAILED, str(refused)
        except OSError as broken:
            ended, error = lack, told_of_disk(broken, str(broken.filename or self._staging))
        except Exception as unknown:
            if is_away(unknown):
                if not self._was_up_since(begun):
                    raise
                # The server has been there all along: it refused a statement of this job, and closed the connection.
                log.warning("job refused by the database", table=table.__tablename__, id=job, error=repr(unknown)[:500])
                if tries < _MOST_REFUSALS:
                    in_transaction(self._sessions, lambda session: jobs.give_back(session, table, job))
                    return
                self._move(table, job, lack, _REFUSED)
                return
            log.exception("job failed", table=table.__tablename__, id=job)
            ended = State.FAILED
            error = f"Something went wrong here ({type(unknown).__name__}); nothing finished was lost."
        self._move(table, job, ended, error)
        log.info("job ended", table=table.__tablename__, id=job, state=ended)

    def _was_up_since(self, moment: float) -> bool:
        """Whether the database server answers now and was not started since a moment of the monotonic clock."""
        up = up_for(self._sessions)
        return up is not None and up > time.monotonic() - moment + _CLOCKS_DIFFER_SECONDS

    def _move(self, table: jobs.JobTable, job: int, to: State, error: str | None = None) -> None:
        in_transaction(self._sessions, lambda session: jobs.move(session, table, job, to, error))

    def _set(self, table: jobs.JobTable, job: int, **values: object) -> None:
        statement = update(table).where(table.id == job).values(**values)
        in_transaction(self._sessions, lambda session: session.execute(statement))

    def _cut_short(self) -> State:
        """How a job ends that did not come to its end: by this process's end, or by the person."""
        return State.WAITING if self._ending.is_set() else State.STOPPED

    def _audit(self, job: int) -> State:
        with self._sessions() as session:
            capture_id = session.get_one(t.Audit, job).capture_id
        audit_capture(capture_id, self._sessions, self._blobs)
        self._on_audit(capture_id)
        return State.DONE

    def _capture(self, capture_id: int) -> State:
        def progress(done: int, total: int) -> None:
            if self._ending.is_set() or (done % _PROGRESS_EVERY and done != total):
                return
            # What was read is kept only at the end: how far it got is no reason to begin again for ever.
            self._set(t.Capture, capture_id, files_done=done, files_total=total)

        whole = capture_from(
            capture_id, self._sessions, self._blobs, self._staging / f"capture-{capture_id}", progress,
            lambda: self._stop_asked(t.Capture, capture_id),
        )  # fmt: skip
        if not whole:
            return self._cut_short()
        in_transaction(self._sessions, lambda session: ask_for_audit(session, capture_id))
        return State.DONE

    def _run(self, run_id: int) -> State:
        with self._sessions() as session:
            rules = Rules.from_dict(session.get_one(t.Run, run_id).rules)
            waiting = waiting_tasks(session, run_id, rules)
            first = first_pass(session, run_id, waiting, kept_url())
        self._pass_first(run_id, first)
        left = {task: one for task, one in waiting.items() if task not in first or first[task].sketch}
        for outcome in self._outcomes(run_id, left):
            if isinstance(outcome.error, StorageError):
                raise outcome.error
            self._keep(run_id, outcome)
        if self._stop_asked(t.Run, run_id):
            return self._cut_short()
        self._move(t.Run, run_id, State.FINISHING)
        let_go_of_the_oldest()
        settled = settle_run(run_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Run, run_id))
        return State.DONE if settled else self._cut_short()

    def _pass_first(self, run_id: int, first: Mapping[int, Treatment]) -> None:
        """Makes what can be looked at before long work begins. A sketch that fails will say so as a task."""
        for outcome in self._outcomes(run_id, first):
            if isinstance(outcome.error, StorageError):
                raise outcome.error
            task = int(str(outcome.key))
            if first[task].sketch:
                in_transaction(self._sessions, partial(keep_sketches, task_id=task, result=result_of(outcome)))
            else:
                self._keep(run_id, outcome)
        self._set(t.Run, run_id, sketched_at=t.now())
        if first and not self._stop_asked(t.Run, run_id):
            in_transaction(self._sessions, lambda session: foretell_from_sketches(session, run_id, self._blobs))

    def _keep(self, run_id: int, outcome: Outcome) -> None:
        if outcome.error:
            log.warning("task failed", error=repr(outcome.error))

        def keep(session: Session) -> None:
            keep_result(session, int(str(outcome.key)), result_of(outcome))
            session.execute(update(t.Run).where(t.Run.id == run_id).values(tries=0))

        in_transaction(self._sessions, keep)

    def _measurement(self, measurement_id: int) -> State:
        with self._sessions() as session:
            capture_id = session.get_one(t.Measurement, measurement_id).capture_id
        measure_capture(
            measurement_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Measurement, measurement_id)
        )
        in_transaction(self._sessions, lambda session: ask_for_audit(session, capture_id))
        return self._cut_short() if self._stop_asked(t.Measurement, measurement_id) else State.DONE

    def _check(self, check_id: int) -> State:
        whole = check_run(check_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Check, check_id))
        return State.DONE if whole else self._cut_short()

    def _sample(self, sample_id: int) -> State:
        """Goes on as long as nobody waits for anything else."""

        def stop() -> bool:
            return self._stop_asked(t.Sample, sample_id) or self._others_wait()

        if Sampler(sample_id, self._sessions, self._blobs, self.workers, stop).take():
            return State.DONE
        return State.STOPPED if self._stop_asked(t.Sample, sample_id) else State.WAITING

    def _others_wait(self) -> bool:
        with self._sessions() as session:
            return jobs.next_job(session) is not None

    def _outcomes(self, run_id: int, waiting: Mapping[int, Treatment]) -> Iterator[Outcome]:
        """What becomes of the tasks, as it comes."""

        def first() -> frozenset[int]:
            with self._sessions() as session:
                return asked_first(session, run_id)

        calls = (waiting[task].call(task, self._blobs.url, kept_url=kept_url()) for task in in_order(waiting, first))

        def stop() -> bool:
            return self._stop_asked(t.Run, run_id)

        if self._scheduler is None:
            return self.workers.run(calls, stop)
        return _on_dask(self._scheduler, calls, stop)

    def _stop_asked(self, table: jobs.JobTable, job: int) -> bool:
        if self._ending.is_set():
            return True
        with self._sessions() as session:
            return jobs.is_stop_asked(session, table, job)


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
