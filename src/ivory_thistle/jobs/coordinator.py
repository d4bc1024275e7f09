"""The coordinator: one thread that takes waiting captures and runs, one at a time, and sees them through.

All state is in the database: whatever dies at whatever moment, the next start goes on with what is not
finished, and a finished rendition is never made twice.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import structlog
from dask.distributed import Client, LocalCluster, as_completed
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.auditing import audit_capture
from ivory_thistle.workflows.capturing import capture_from
from ivory_thistle.workflows.measuring import measure_capture
from ivory_thistle.workflows.renditions import TaskResult, treat_blob
from ivory_thistle.workflows.runs import WaitingTask, keep_result, settle_run, waiting_tasks

log = structlog.get_logger()
_WORKERS = 2
_AHEAD = 6
_PROGRESS_EVERY = 5


class Coordinator:
    """Executes jobs; `scheduler` is the address of a Dask scheduler (None: a local cluster, started lazily)."""

    def __init__(
        self, sessions: sessionmaker[Session], blobs: Blobs, staging: Path, scheduler: str | None = None
    ) -> None:
        self._sessions, self._blobs, self._staging, self._scheduler = sessions, blobs, staging, scheduler
        self._wake, self._ending = threading.Event(), threading.Event()
        self.on_audit: Callable[[int], None] = lambda capture_id: None
        self.patience = 20.0
        """Seconds that stopping waits for the tasks in hand."""
        self._thread = threading.Thread(target=self._loop, name="coordinator", daemon=True)
        self._client: Client | None = None
        self._cluster: LocalCluster | None = None

    def start(self) -> None:
        """Starts the thread; what an earlier process left half done is taken up again."""
        with self._sessions.begin() as session:
            session.execute(update(t.Capture).where(t.Capture.state == "reading").values(state="waiting"))
            session.execute(update(t.Run).where(t.Run.state.in_(("running", "finishing"))).values(state="waiting"))
            session.execute(update(t.Measurement).where(t.Measurement.state == "running").values(state="waiting"))
            session.execute(update(t.Capture).where(t.Capture.audit == "running").values(audit="waiting"))
        self._thread.start()

    def wake(self) -> None:
        """Says that something is waiting."""
        self._wake.set()

    def stop(self) -> None:
        """Ends the thread after the task in hand, and the workers; unfinished jobs stay to be taken up."""
        self._ending.set()
        self._wake.set()
        self._thread.join(self.patience)
        if self._client:
            self._client.close()
        if self._cluster:
            self._cluster.close()

    def _loop(self) -> None:
        while not self._ending.is_set():
            self._wake.clear()
            try:
                busy = (
                    self._one(t.Capture, self._capture)
                    or self._audit()
                    or self._one(t.Run, self._run)
                    or self._one(t.Measurement, self._measurement)
                )
            except Exception:
                log.exception("coordinator")
                busy = False
            if not busy:
                self._wake.wait(5)

    def _one(self, table: type[t.Capture | t.Run | t.Measurement], execute: Callable[[int], None]) -> bool:
        with self._sessions() as session:
            job = session.scalar(select(table.id).where(table.state == "waiting").order_by(table.id).limit(1))
        if job is None:
            return False
        try:
            execute(job)
        except UnusableInput as error:
            self._fail(table, job, str(error))
        except Exception as error:
            if self._ending.is_set():  # the workers were taken away: the next start takes it up
                log.info("job cut short", table=table.__tablename__, id=job)
                return True
            log.exception("job failed", table=table.__tablename__, id=job)
            self._fail(table, job, f"Something went wrong here ({type(error).__name__}); nothing finished was lost.")
        return True

    def _audit(self) -> bool:
        """Audits one capture whose findings are not current."""
        with self._sessions() as session:
            job = session.scalar(
                select(t.Capture.id).where(t.Capture.audit == "waiting", t.Capture.state == "ready").limit(1)
            )
        if job is None:
            return False
        try:
            audit_capture(job, self._sessions, self._blobs)
            self.on_audit(job)
        except Exception:
            log.exception("audit failed", id=job)
            with self._sessions.begin() as session:
                session.execute(update(t.Capture).where(t.Capture.id == job).values(audit="failed"))
        return True

    def _fail(self, table: type[t.Capture | t.Run | t.Measurement], job: int, message: str) -> None:
        with self._sessions.begin() as session:
            session.execute(
                update(table).where(table.id == job).values(state="failed", error=message, finished_at=t.now())
            )

    def _capture(self, capture_id: int) -> None:
        with self._sessions.begin() as session:
            session.get_one(t.Capture, capture_id).state = "reading"

        def progress(done: int, total: int) -> None:
            if self._ending.is_set() or (done % _PROGRESS_EVERY and done != total):
                return
            with self._sessions.begin() as session:
                row = session.get_one(t.Capture, capture_id)
                row.files_done, row.files_total = done, total

        whole = capture_from(
            capture_id, self._sessions, self._blobs, self._staging / f"capture-{capture_id}", progress,
            lambda: self._stop_asked(t.Capture, capture_id),
        )  # fmt: skip
        if whole:
            log.info("capture ready", id=capture_id)
            return
        with self._sessions.begin() as session:
            row = session.get_one(t.Capture, capture_id)
            row.state = "waiting" if self._ending.is_set() else "stopped"

    def _run(self, run_id: int) -> None:
        with self._sessions.begin() as session:
            run = session.get_one(t.Run, run_id)
            run.state, run.started_at = "running", run.started_at or t.now()
            rules = Rules.from_dict(run.rules)
            waiting = waiting_tasks(session, run_id)
        for task_id, result in self._results(run_id, waiting, rules):
            with self._sessions.begin() as session:
                keep_result(session, task_id, result)
        with self._sessions.begin() as session:
            run = session.get_one(t.Run, run_id)
            if self._ending.is_set():
                run.state = "waiting"
            elif run.stop_asked:
                run.state, run.finished_at = "stopped", t.now()
            else:
                run.state = "finishing"
        with self._sessions() as session:
            finishing = session.get_one(t.Run, run_id).state == "finishing"
        if not finishing:
            return
        if settle_run(run_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Run, run_id)):
            log.info("run done", id=run_id)
            return
        with self._sessions.begin() as session:
            run = session.get_one(t.Run, run_id)
            run.state = "waiting" if self._ending.is_set() else "stopped"

    def _measurement(self, measurement_id: int) -> None:
        with self._sessions.begin() as session:
            row = session.get_one(t.Measurement, measurement_id)
            row.state, row.started_at = "running", row.started_at or t.now()
        measure_capture(
            measurement_id, self._sessions, self._blobs, lambda: self._stop_asked(t.Measurement, measurement_id)
        )
        with self._sessions.begin() as session:
            row = session.get_one(t.Measurement, measurement_id)
            if self._ending.is_set():
                row.state = "waiting"
            else:
                row.state, row.finished_at = "stopped" if row.stop_asked else "done", t.now()
                session.get_one(t.Capture, row.capture_id).audit = "waiting"
        log.info("measurement ended", id=measurement_id)

    def _results(self, run_id: int, waiting: list[WaitingTask], rules: Rules) -> Iterator[tuple[int, TaskResult]]:
        """Results as they come. Only a few tasks are with the workers at a time, so that stopping is quick."""
        if not waiting:
            return
        client = self._workers()
        queue = iter(waiting)
        ids: dict[Any, int] = {}

        def submit() -> Any:
            task = next(queue, None)
            if task is None:
                return None
            future = client.submit(
                treat_blob,
                self._blobs.url,
                task.facts,
                task.steps,
                rules,
                task.role,
                task.kind,
                task.own_size,
                pure=False,
                retries=1,
            )
            ids[future.key] = task.id
            return future

        first = [f for _ in range(_AHEAD) if (f := submit())]
        running = as_completed(first)
        for future in running:
            task_id, result = ids.pop(future.key), _result(future)
            # What stopping cut short is not failed: the next start takes it up.
            if not (self._ending.is_set() and future.status in ("cancelled", "lost")):
                yield task_id, result
            if not self._stop_asked(t.Run, run_id) and (following := submit()):
                running.add(following)

    def _stop_asked(self, table: type[t.Capture | t.Run | t.Measurement], job: int) -> bool:
        if self._ending.is_set():
            return True
        with self._sessions() as session:
            return bool(session.scalar(select(table.stop_asked).where(table.id == job)))

    def _workers(self) -> Client:
        if self._client is None:
            if self._scheduler:
                self._client = Client(self._scheduler)
            else:
                self._cluster = LocalCluster(
                    n_workers=_WORKERS, threads_per_worker=1, processes=True, dashboard_address="127.0.0.1:0",
                    host="127.0.0.1", memory_limit="3GB", silence_logs=50,
                )  # fmt: skip
                self._client = Client(self._cluster)
        return self._client


def _result(future: Any) -> TaskResult:
    try:
        result: TaskResult = future.result()
        return result
    except Exception as error:  # a worker that was killed, or a defect: this picture fails alone
        with suppress(Exception):
            log.warning("task failed", error=repr(error))
        return TaskResult(reason=f"The worker could not finish it ({type(error).__name__}).")
