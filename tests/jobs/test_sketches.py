"""A long run shows sketches first; judged files take their place, and no sketch leaves the house."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from coordinating import Running
from ivory_thistle.api.figures import run_out
from ivory_thistle.api.routes.forecast_of_run import get_forecast_of_run
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.files import SKETCHING
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment import treat as treat_module
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.at_hand import stored_at_hand
from ivory_thistle.workflows.forecasting import foretell
from ivory_thistle.workflows.kept import kept_url, open_kept
from ivory_thistle.workflows.made import made_by
from ivory_thistle.workflows.runs import first_pass, keep_result, keep_sketches, waiting_tasks
from ivory_thistle.workflows.sampling import foretell_stored
from ivory_thistle.workflows.treating import TaskResult, treat
from ivory_thistle.workflows.workers import AT_ONCE
from waiting import until

pytestmark = pytest.mark.database
RULES = Rules(fixed=True)


@pytest.fixture
def long_run(made: sessionmaker[Session], run_id: int, tmp_path, monkeypatch: pytest.MonkeyPatch) -> int:  # type: ignore[no-untyped-def]
    """The run as if each of its images took a minute, with a store that holds nothing yet."""
    monkeypatch.setenv("THISTLE_KEPT", str(tmp_path / "kept"))
    with made.begin() as session:
        session.execute(update(t.Task).where(t.Task.run_id == run_id, t.Task.state == "waiting").values(cost=60.0))
        # What other tests left waiting would be made first, and kept for this one.
        session.execute(update(t.Run).where(t.Run.id != run_id).values(state=State.STOPPED))
    return run_id


@pytest.fixture(autouse=True)
def _small_ones_too(monkeypatch: pytest.MonkeyPatch) -> None:
    """Photographs are sketched however small they are: those of the little site are."""
    monkeypatch.setattr(treat_module, "SKETCHED_FROM", 0)


def test_only_long_runs_are_sketched(made: sessionmaker[Session], blobs: Blobs, long_run: int) -> None:
    """Not what is done soon, what is sketched already, what was treated before by the same rules, nor drawings."""
    with made.begin() as session:
        waiting = waiting_tasks(session, long_run, RULES)
        wanted = first_pass(session, long_run, waiting, kept_url())
        assert wanted == {task: replace(one, sketch=one.kind == "photograph") for task, one in waiting.items()}
        assert first_pass(session, long_run, waiting, "") == {}
        first, second, *others = (task for task, one in wanted.items() if one.sketch)
        assert others and len(others) + 2 < len(wanted)
        assert treat(blobs.url, waiting[first], kept_url=kept_url()).renditions
        session.get_one(t.Task, second).sketched = True
        session.flush()
        again = first_pass(session, long_run, waiting, kept_url())
        assert again.keys() == waiting.keys() - {second} and not again[first].sketch
        session.execute(update(t.Task).where(t.Task.run_id == long_run).values(cost=1.0))
        assert first_pass(session, long_run, waiting, kept_url()) == {}


def test_the_time_left_counts_what_is_not_sketched_yet(made: sessionmaker[Session], long_run: int) -> None:
    """By what all is expected to take, then by how it went; once all sketches are there, the images alone count."""
    with made.begin() as session:
        run = session.get_one(t.Run, long_run)
        run.state, run.started_at, run.sketched_at = State.RUNNING, t.now() - timedelta(seconds=30), None
        one, *others = waiting_tasks(session, long_run, RULES)
        making = 60.05 * (1 + len(others)) / AT_ONCE
        assert run_out(session, run).seconds_left == pytest.approx(making)
        # A quick picture: less than a tenth of all says nothing yet of the pace.
        session.execute(update(t.Task).where(t.Task.id.in_(others)).values(pays_to_sketch=True))
        session.execute(update(t.Task).where(t.Task.id == one).values(pays_to_sketch=True, sketched=True, cost=1.0))
        units = 1.05 + 60.05 * len(others) * (1 + SKETCHING)
        assert run_out(session, run).seconds_left == pytest.approx(units / AT_ONCE)
        session.execute(update(t.Task).where(t.Task.id == one).values(cost=600.0))
        units += 600.0 - 1.0
        assert run_out(session, run).seconds_left == pytest.approx(30 * units / (600.05 * SKETCHING), rel=0.1)
        run.sketched_at = t.now()
        making = (600.05 + 60.05 * len(others)) / AT_ONCE
        assert run_out(session, run).seconds_left == pytest.approx(making, rel=0.01)


def test_judged_files_take_the_place_of_sketches(made: sessionmaker[Session], blobs: Blobs, long_run: int) -> None:
    """While it waits, an image has its sketches and is not handed over; afterwards there is no trace of them."""
    with made.begin() as session:
        waiting = waiting_tasks(session, long_run, RULES)
        task, sketch = next((k, v) for k, v in waiting.items() if v.facts.format == "jpeg")
        result = treat(blobs.url, replace(sketch, sketch=True))
        keep_sketches(session, task, result)
        row = session.get_one(t.Task, task)
        assert (row.state, row.sketched, row.bytes_after < row.bytes_before) == ("waiting", True, True)
        files = select(t.Rendition).where(t.Rendition.task_id == task, t.Rendition.tier == "avif")
        sketched = {r.sha256 for r in session.scalars(files)}
        assert sketched == {r.sha256 for r in result.renditions if r.tier == "avif"} and sketched
        assert made_by(session, session.get_one(t.Run, long_run), blobs).treated == []
        keep_result(session, task, treat(blobs.url, sketch))
        assert (row.state, row.sketched) == ("done", False)
        assert {r.sha256 for r in session.scalars(files)}.isdisjoint(sketched)
        other = next(k for k in waiting if k != task)
        keep_sketches(session, other, TaskResult(reason="It is broken."))
        assert session.get_one(t.Task, other).sketched is False


def test_a_forecast_rests_on_sketches(made: sessionmaker[Session], blobs: Blobs, long_run: int) -> None:
    """Until the images are made, which drawings are at once; both are told by their own figures."""
    with made() as session:
        run = session.get_one(t.Run, long_run)
        at_hand = stored_at_hand(session, run.capture_id, blobs)
        waiting = waiting_tasks(session, long_run, RULES)
    kept = open_kept(kept_url())
    assert kept is not None
    for one in waiting.values():
        treat(blobs.url, one.at_first, kept_url=kept_url())
    told = foretell(at_hand, RULES, {}, Policy(), kept_url())
    paying = sum(one.pays_to_sketch for one in waiting.values())
    assert told.sketched == paying and told.learnt.known == len(waiting) - paying
    for one in waiting.values():
        treat(blobs.url, one, kept_url=kept_url())
    truth = foretell(at_hand, RULES, {}, Policy(), kept_url())
    assert truth.sketched == 0 and truth.learnt.known == len(waiting)
    assert 0.75 < told.storage.likely / truth.storage.likely < 1.35


@pytest.mark.whole
def test_a_long_run_from_sketch_to_file(
    made: sessionmaker[Session], blobs: Blobs, long_run: int, coordinators: Callable[[], Running]
) -> None:
    """Photographs are sketched before the first of them is done, drawings are not, and nothing is a sketch in the end.

    What the sketches foretell is kept beside the first forecast, and stands beside the truth.
    """
    with made.begin() as session:
        started = session.get_one(t.Run, long_run)
        at_hand = stored_at_hand(session, started.capture_id, blobs)
        started.forecast = foretell_stored(session, started.capture_id, at_hand, RULES).as_dict()
    coordinators()

    def run() -> t.Run:
        with made() as session:
            return session.get_one(t.Run, long_run)

    until(lambda: run().state in ("done", "failed"))
    ended = run()
    with made() as session:
        tasks = session.scalars(select(t.Task).where(t.Task.run_id == long_run, t.Task.state == "done")).all()
    assert ended.state == "done" and ended.sketched_at is not None and len(tasks) == 5
    assert {task.pays_to_sketch for task in tasks} == {True, False}
    after = {task.finished_at for task in tasks if task.pays_to_sketch}
    before = {task.finished_at for task in tasks if not task.pays_to_sketch}
    assert all(at and at >= ended.sketched_at for at in after) and all(at and at <= ended.sketched_at for at in before)
    assert not any(task.sketched for task in tasks)
    with made() as session:
        ran = get_forecast_of_run(long_run, session)
    assert ran is not None and ran.near_sketched is not None and ran.files_sketched is not None
    assert ran.seconds_sketched is not None and ran.seconds_sketched.likely > 0
    assert ran.near_sketched >= 4 and ran.images == 5, ran
    assert all(total.sketched and 0.7 < total.sketched.likely / total.after < 1.4 for total in ran.totals)
