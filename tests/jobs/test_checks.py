"""A run's handover is checked as a job: to its end, from where it was left, and again after an image was taken back."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from coordinating import Running
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.jobs.coordinator import Coordinator
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows import checks
from ivory_thistle.workflows.made import handover_of
from waiting import until

pytestmark = [pytest.mark.database, pytest.mark.browser]
SCREENS = [{"name": "phone", "width": 390, "height": 844, "density": 3.0, "dark": False}]


@pytest.fixture
def running(made: sessionmaker[Session], blobs: Blobs, tmp_path: Path, run_id: int) -> Iterator[Running]:
    """A coordinator that has seen the run through, on one screen."""
    with made.begin() as session:
        run = session.get_one(t.Run, run_id)
        site = session.get_one(t.Site, session.get_one(t.Capture, run.capture_id).site_id)
        site.screens = SCREENS
        run.rules = Rules(fixed=True, demand_check=True).as_dict()
    running = Running(Coordinator(made, blobs, tmp_path / "staging"))
    until(lambda: state(made, t.Run, run_id) == State.DONE)
    yield running
    running.stop()


def state(made: sessionmaker[Session], table: type[t.Run | t.Check], job: int) -> State:
    """Where a job stands."""
    with made() as session:
        return session.get_one(table, job).state


def checked(made: sessionmaker[Session], running: Running, run_id: int) -> t.Check:
    """A new check of the run, seen to its end."""
    with made.begin() as session:
        check = checks.start_check(session, session.get_one(t.Run, run_id))
        number = check.id
    running.coordinator.wake()
    until(lambda: state(made, t.Check, number) == State.DONE)
    with made() as session:
        return session.get_one(t.Check, number)


def loads(made: sessionmaker[Session], check: t.Check) -> dict[tuple[int, str], t.CheckedLoad]:
    """What was checked, by page and tier."""
    with made() as session:
        rows = session.scalars(select(t.CheckedLoad).where(t.CheckedLoad.check_id == check.id))
        return {(load.page_id, load.tier): load for load in rows}


@pytest.mark.slow
def test_a_check_of_a_run(made: sessionmaker[Session], blobs: Blobs, running: Running, run_id: int) -> None:
    """Passes with pictures and vitals; of what a later check finds the same, nothing is loaded again; an image that is
    left alone is as it was on that page, its page is checked anew, and undoing that is the same handover again."""
    check = checked(made, running, run_id)
    found = loads(made, check)
    assert len(found) == check.total == 2 * 3
    assert not [load.wrong for load in found.values() if load.failed]
    assert all(load.after == load.foretold < load.before for load in found.values())
    assert all(blobs.get(load.picture_after or "").startswith(b"\xff\xd8") for load in found.values())
    assert all((load.timed is not None) == (tier == "avif") for (_, tier), load in found.items())

    with made.begin() as session:
        run = session.get_one(t.Run, run_id)
        first = handover_of(session, run, blobs)
        verdict = checks.verdict_on(session, run, first.content)
        assert verdict and verdict.passed and verdict.loads == 6
        told = json.loads(first.noting(verdict, {}).handover.texts["manifest.json"])
        assert told["check"]["passed"] is True and told["check"]["screens"] == ["phone"]
        at = min(n for n, form in first.rewrite.forms["index.html"].items() if form > Form.LEFT)
        left = checks.take_back(session, run, "index.html", at, True, blobs)
        assert left and left.rewrite.forms["index.html"][at] == Form.LEFT
        assert left.handover.texts["index.html"] != first.handover.texts["index.html"]
        assert checks.verdict_on(session, run, left.content) is None
        assert checks.take_back(session, run, "index.html", at, True, blobs) is None

    second = loads(made, checked(made, running, run_id))
    assert not [load.wrong for load in second.values() if load.failed]
    again = {key[0] for key, load in second.items() if load.content != found[key].content}
    assert len(again) == 1
    with made.begin() as session:
        run = session.get_one(t.Run, run_id)
        back = checks.give_back(session, run, blobs)
        assert back and back.content == first.content and run.taken_back == []
        assert checks.give_back(session, run, blobs) is None


def test_a_check_goes_on_where_it_was_left(
    made: sessionmaker[Session],
    blobs: Blobs,
    running: Running,
    run_id: int,
) -> None:
    """What is kept of a first try is not loaded again; another handover's is dropped."""
    with made.begin() as session:
        number = checks.start_check(session, session.get_one(t.Run, run_id)).id
        session.get_one(t.Check, number).state = State.STOPPED
    kept = 0

    def stop() -> bool:
        return kept > 0

    original = Blobs.put

    def counting(self: Blobs, *arguments: object) -> str:
        nonlocal kept
        kept += 1
        return original(self, *arguments)  # type: ignore[arg-type]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Blobs, "put", counting)
        assert not checks.check_run(number, made, blobs, stop)
    with made.begin() as session:
        rows = list(session.scalars(select(t.CheckedLoad).where(t.CheckedLoad.check_id == number)))
        assert 0 < len(rows) < 6
        rows[0].content = "of another handover"
        before = {row.id for row in rows[1:]}
    assert checks.check_run(number, made, blobs, lambda: False)
    with made() as session:
        now = {r.id: r.content for r in session.scalars(select(t.CheckedLoad).where(t.CheckedLoad.check_id == number))}
    assert len(now) == 6 and before <= now.keys() and "of another handover" not in now.values()
