"""Killing anything at any moment loses no finished rendition."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from dask.distributed import LocalCluster
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from coordinating import Running
from ivory_thistle.core.states import State
from ivory_thistle.store import jobs
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows import auditing
from ivory_thistle.workflows.made import handover_of
from waiting import until

pytestmark = pytest.mark.database


def finished(made: sessionmaker[Session], run_id: int) -> dict[int, object]:
    """Done tasks with the moment they were done."""
    with made() as session:
        rows = session.execute(
            select(t.Task.id, t.Task.finished_at).where(t.Task.run_id == run_id, t.Task.state == "done")
        )
        return {task: moment for task, moment in rows}  # noqa: C416 - a Result is no mapping


def state(made: sessionmaker[Session], run_id: int) -> str:
    """The run's state."""
    with made() as session:
        return str(session.scalar(select(t.Run.state).where(t.Run.id == run_id)))


@pytest.mark.whole
@pytest.mark.usefixtures("nothing_kept")
def test_a_run_goes_on_where_it_was_left(
    made: sessionmaker[Session], blobs: Blobs, run_id: int, coordinators: Callable[[], Running]
) -> None:
    """Stopped with the process in the middle; the next process does only what was missing."""
    first = coordinators()
    until(lambda: len(finished(made, run_id)) >= 1)
    first.stop()
    before = finished(made, run_id)
    coordinators()
    until(lambda: state(made, run_id) == "done")
    after = finished(made, run_id)
    assert len(after) == 5
    assert {task: after[task] for task in before} == before
    with made() as session:
        handover = handover_of(session, session.get_one(t.Run, run_id), blobs).handover
    assert all(blobs.has(f.sha256) for f in handover.new_files)


@pytest.mark.whole
@pytest.mark.usefixtures("nothing_kept")
def test_what_stopping_cuts_short_is_not_failed(
    made: sessionmaker[Session], run_id: int, coordinators: Callable[[], Running]
) -> None:
    """Tasks are cut off in the middle: they wait for the next start, and none is called failed."""
    running = coordinators()
    until(lambda: bool(running.coordinator.workers.pids) and state(made, run_id) == "running")
    running.stop()
    with made() as session:
        states = session.scalars(select(t.Task.state).where(t.Task.run_id == run_id)).all()
    assert set(states) <= {"waiting", "done", "left"} and "waiting" in states
    assert state(made, run_id) == "waiting"
    coordinators()
    until(lambda: state(made, run_id) == "done")
    assert len(finished(made, run_id)) == 5


@pytest.mark.whole
@pytest.mark.usefixtures("nothing_kept")
def test_killed_workers_are_replaced(
    made: sessionmaker[Session], run_id: int, coordinators: Callable[[], Running]
) -> None:
    """SIGKILL to every worker in the middle of a run, again and again: it finishes all the same, every image once."""
    workers = coordinators().coordinator.workers
    for _ in range(4):
        until(lambda: bool(workers.pids) or state(made, run_id) == "done")
        killed = set(workers.pids)
        for pid in killed:
            os.kill(pid, signal.SIGKILL)
        until(lambda killed=killed: killed.isdisjoint(workers.pids))  # type: ignore[misc]
    until(lambda: state(made, run_id) in ("done", "failed"))
    assert state(made, run_id) == "done"
    with made() as session:
        states = dict(
            session.execute(
                select(t.Task.state, func.count()).where(t.Task.run_id == run_id).group_by(t.Task.state)
            ).all()
        )
    assert states == {"done": 5}


@pytest.mark.slow
def test_tasks_on_a_dask_scheduler(
    made: sessionmaker[Session], run_id: int, coordinators: Callable[[str], Running]
) -> None:
    """Several machines may share the work: the same run, on the workers of a scheduler by its address."""
    with LocalCluster(n_workers=1, threads_per_worker=1, host="127.0.0.1", dashboard_address=None) as cluster:
        coordinators(cluster.scheduler_address)
        until(lambda: state(made, run_id) in ("done", "failed"))
    assert state(made, run_id) == "done"
    assert len(finished(made, run_id)) == 5


def test_a_full_disk_pauses_the_run(
    made: sessionmaker[Session], run_id: int, blobs: Blobs, coordinators: Callable[[], Running]
) -> None:
    """It says what to do, fails no image, leaves nothing unfinished, and goes on once there is room."""
    store = Path(blobs.url)
    kept = store.with_name("kept")
    store.rename(kept)
    with full_disk(store, kept):
        coordinators().coordinator.wake()
        until(lambda: state(made, run_id) == "paused")
        with made() as session:
            run = session.get_one(t.Run, run_id)
            assert run.error == f"The disk that holds {store} is full. Make room there, then go on."
            failed = select(func.count()).where(t.Task.run_id == run_id, t.Task.state == "failed")
            assert session.scalar(failed) == 0
        assert list((store / ".unfinished").iterdir()) == []
        subprocess.run(["mount", "-o", "remount,size=64m", str(store)], check=True)
        go_on(made, run_id)
        until(lambda: state(made, run_id) == "done")
        assert len(finished(made, run_id)) == 5


@pytest.mark.slow
def test_a_store_that_is_away_pauses_the_run(
    made: sessionmaker[Session], run_id: int, blobs: Blobs, coordinators: Callable[[], Running]
) -> None:
    """A volume that was taken out, for one; nothing is failed, and it goes on when it is back."""
    store = Path(blobs.url)
    store.rename(store.with_name("away"))
    store.touch()
    running = coordinators()
    until(lambda: state(made, run_id) == "paused")
    with made() as session:
        assert str(store) in (session.get_one(t.Run, run_id).error or "")
    store.unlink()
    store.with_name("away").rename(store)
    go_on(made, run_id)
    running.coordinator.wake()
    until(lambda: state(made, run_id) == "done")
    assert len(finished(made, run_id)) == 5


@contextmanager
def full_disk(at: Path, content: Path) -> Iterator[None]:
    """A file system of its own at `at` that holds a copy of `content` and has no room left."""
    at.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64m", "none", str(at)], check=False)
    if mounted.returncode:
        pytest.skip("file systems can be mounted by root alone")
    try:
        shutil.copytree(content, at, dirs_exist_ok=True)
        used = (shutil.disk_usage(at).used + 4095) // 4096 * 4
        subprocess.run(["mount", "-o", f"remount,size={used}k", str(at)], check=True)
        yield
    finally:
        subprocess.run(["umount", "--lazy", str(at)], check=True)


def go_on(made: sessionmaker[Session], run_id: int) -> None:
    """What `continue` does."""
    with made.begin() as session:
        assert jobs.ask_to_go_on(session, t.Run, run_id)


def audit_of(made: sessionmaker[Session], run_id: int) -> t.Audit:
    """The audit of the run's capture."""
    with made() as session:
        capture_id = session.get_one(t.Run, run_id).capture_id
        return session.scalars(select(t.Audit).where(t.Audit.capture_id == capture_id)).one()


@pytest.mark.whole
def test_an_audit_asked_for_during_another_is_done_too(
    made: sessionmaker[Session], run_id: int, coordinators: Callable[[], Running]
) -> None:
    """Whatever moment the budgets change at, the findings that stay are those of the last ones."""
    with made() as session:
        capture = session.get_one(t.Capture, session.get_one(t.Run, run_id).capture_id)
    over = select(func.count()).where(t.Finding.capture_id == capture.id, t.Finding.code == "page-over-budget")

    def audited() -> bool:
        return audit_of(made, run_id).state is State.DONE

    def count() -> int:
        with made() as session:
            return session.scalar(over) or 0

    running = coordinators()
    until(audited)
    assert count() == 2
    for budget in (10**9, 1, 10**9, 1, 10**9):
        with made.begin() as session:
            session.get_one(t.Site, capture.site_id).page_budget = budget
            auditing.ask_for_audit(session, capture.id)
        running.coordinator.wake()
        until(lambda: audit_of(made, run_id).state is not State.WAITING)
    until(audited)
    assert count() == 0


@pytest.mark.slow
def test_an_audit_that_breaks_is_said_and_stops_nothing(
    made: sessionmaker[Session], run_id: int, coordinators: Callable[[], Running], monkeypatch: pytest.MonkeyPatch
) -> None:
    """It says so, in words for the person; the run goes on and ends."""

    def broken(*arguments: object) -> object:
        raise ZeroDivisionError

    monkeypatch.setattr(auditing, "audit_site", broken)
    coordinators()
    until(lambda: audit_of(made, run_id).state is State.FAILED)
    words = "Something went wrong here (ZeroDivisionError); nothing finished was lost."
    assert audit_of(made, run_id).error == words
    until(lambda: state(made, run_id) == "done")


def test_roles_of_many_paths_in_few_statements(made: sessionmaker[Session], run_id: int) -> None:
    """Five thousand choices, changed and taken back: what each had before is told exactly."""
    with made.begin() as session:
        owner = session.get_one(t.Capture, audit_of(made, run_id).capture_id).site_id
        paths = [f"img/{n}.jpg" for n in range(5_000)]
        first = auditing.choose_roles(session, owner, dict.fromkeys(paths, "hero"))
        assert first == dict.fromkeys(paths)
        second = auditing.choose_roles(session, owner, {**dict.fromkeys(paths[:10], "logo"), "img/*": "icon"})
        assert second == {**dict.fromkeys(paths[:10], "hero"), "img/*": None}
        assert len(auditing.role_choices(session, owner)) == 5_001
        back = auditing.choose_roles(session, owner, {**second, **first})
        assert set(back.values()) == {"logo", "hero", "icon"}
        assert auditing.role_choices(session, owner) == []
