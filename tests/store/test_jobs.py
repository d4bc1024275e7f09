"""What may become of a job: every change holds only where the state is still what it was thought to be."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.states import GOING, UNDER_WAY, UNFINISHED, State
from ivory_thistle.store import jobs
from ivory_thistle.store import tables as t
from ivory_thistle.store.database import sessions

pytestmark = pytest.mark.database


@pytest.fixture
def made(engine: Engine) -> Iterator[sessionmaker[Session]]:
    """Sessions of the real database; what a test leaves waiting is ended."""
    made = sessions(engine)
    yield made
    with made.begin() as session:
        for table in jobs.QUEUE:
            session.query(table).filter(table.state.in_(GOING)).update({"state": State.FAILED})


def capture(session: Session, state: State = State.WAITING) -> int:
    """A capture of a site that is on no list."""
    site = t.Site(name="jobs", page_budget=1, removed_at=t.now())
    session.add(site)
    session.flush()
    row = t.Capture(site_id=site.id, state=state, origin="folder", place="/", label="x")
    session.add(row)
    session.flush()
    return row.id


def state_of(session: Session, job: int) -> State:
    """As it stands in the database."""
    session.expire_all()
    return session.get_one(t.Capture, job).state


@pytest.mark.parametrize("state", State)
def test_each_state_is_of_one_sort(state: State) -> None:
    """Waiting, under way, unfinished or done; only what is going can be stopped."""
    sorts = (state is State.WAITING, state.is_under_way, state.can_go_on, state is State.DONE)
    assert sorted(sorts) == [False, False, False, True]
    assert state.is_going == (state is State.WAITING or state.is_under_way)


def test_a_job_is_taken_in_hand_once(made: sessionmaker[Session]) -> None:
    """The second who wants it gets nothing; each try that broke off is counted until it ends or gives way."""
    with made.begin() as session:
        job = capture(session)
        assert jobs.begin(session, t.Capture, job) == 1
        assert jobs.begin(session, t.Capture, job) == 0
        assert jobs.give_back(session, t.Capture, job)
        assert jobs.begin(session, t.Capture, job) == 2
        assert jobs.move(session, t.Capture, job, State.WAITING)
        assert jobs.begin(session, t.Capture, job) == 1
        assert jobs.move(session, t.Capture, job, State.DONE)
        assert session.get_one(t.Capture, job).tries == 0


def test_stopped_before_it_began(made: sessionmaker[Session]) -> None:
    """It ends at once, is not begun any more, and goes on when asked, not a moment earlier."""
    with made.begin() as session:
        job = capture(session)
        assert jobs.ask_to_stop(session, t.Capture, job)
        assert state_of(session, job) is State.STOPPED
        assert jobs.begin(session, t.Capture, job) == 0
        assert jobs.ask_to_go_on(session, t.Capture, job)
        assert not jobs.is_stop_asked(session, t.Capture, job)
        assert jobs.begin(session, t.Capture, job) == 1


def test_stopped_while_it_is_under_way(made: sessionmaker[Session]) -> None:
    """Whoever has it in hand is asked; a second request, once it has stopped, changes nothing."""
    with made.begin() as session:
        job = capture(session)
        jobs.begin(session, t.Capture, job)
        assert jobs.ask_to_stop(session, t.Capture, job)
        assert state_of(session, job) is State.RUNNING and jobs.any_asked_to_stop(session)
        assert jobs.move(session, t.Capture, job, State.STOPPED)
        assert not jobs.ask_to_stop(session, t.Capture, job)
        assert not jobs.any_asked_to_stop(session)


@pytest.mark.parametrize("state", [s for s in State if s not in UNDER_WAY])
def test_only_what_is_under_way_can_end(made: sessionmaker[Session], state: State) -> None:
    """One who comes late with a job's end finds it as somebody else left it."""
    with made.begin() as session:
        job = capture(session, state)
        assert not jobs.move(session, t.Capture, job, State.DONE)
        assert state_of(session, job) is state


@pytest.mark.parametrize("state", State)
def test_what_can_go_on(made: sessionmaker[Session], state: State) -> None:
    """What ended unfinished; and what is done where that is asked for."""
    with made.begin() as session:
        job = capture(session, state)
        assert jobs.ask_to_go_on(session, t.Capture, job) == (state in UNFINISHED)
        other = capture(session, State.DONE)
        assert jobs.ask_to_go_on(session, t.Capture, other, also=(State.DONE,))


def test_what_a_dead_process_had_in_hand(made: sessionmaker[Session]) -> None:
    """It waits again; or it is stopped, where the person wanted that."""
    with made.begin() as session:
        left, stopped = capture(session), capture(session)
        for job in (left, stopped):
            jobs.begin(session, t.Capture, job)
        jobs.ask_to_stop(session, t.Capture, stopped)
        jobs.take_up(session)
        assert (state_of(session, left), state_of(session, stopped)) == (State.WAITING, State.STOPPED)


def test_captures_go_before_what_rests_on_them(made: sessionmaker[Session]) -> None:
    """A run that waits longer is taken later; among captures the older goes first."""
    with made.begin() as session:
        read = capture(session, State.DONE)
        session.add(t.Run(capture_id=read, rules={}))
        session.add(t.Audit(capture_id=read))
        session.flush()
        first, second = capture(session), capture(session)
        order = []
        for _ in range(4):
            found = jobs.next_job(session)
            assert found is not None
            jobs.begin(session, *found)
            jobs.move(session, *found, State.DONE)
            order.append(found)
    assert [table for table, _ in order] == [t.Capture, t.Capture, t.Audit, t.Run]
    assert [job for _, job in order[:2]] == [first, second]


def test_what_broke_off_waits_behind_others_but_before_samples(made: sessionmaker[Session]) -> None:
    """A sample gives way to whatever waits: were it taken before, neither would ever come to an end."""
    with made.begin() as session:
        broke_off, fresh = capture(session), capture(session)
        jobs.begin(session, t.Capture, broke_off)
        jobs.take_up(session)
        sample = t.Sample(capture_id=capture(session, State.DONE), rules={})
        session.add(sample)
        session.flush()
        for table, job in ((t.Capture, fresh), (t.Capture, broke_off), (t.Sample, sample.id)):
            assert jobs.next_job(session) == (table, job)
            jobs.begin(session, table, job)
            jobs.move(session, table, job, State.DONE)
        assert jobs.next_job(session) is None
