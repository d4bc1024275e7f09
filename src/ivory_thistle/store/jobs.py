"""What may become of a job, each change in one statement: nobody acts on a state that is no longer true."""

from __future__ import annotations

from typing import Any

from sqlalchemy import case, func, select, update
from sqlalchemy.orm import Session

from ivory_thistle.core.states import GOING, UNDER_WAY, UNFINISHED, State
from ivory_thistle.store import tables as t

JobTable = type[t.Capture | t.Audit | t.Run | t.Measurement | t.Check | t.Sample]

QUEUE: tuple[JobTable, ...] = (t.Capture, t.Audit, t.Run, t.Measurement, t.Check, t.Sample)
"""All kinds of jobs. One that is waiting goes before those of the kinds behind it, which rest on it."""


def next_job(session: Session) -> tuple[JobTable, int] | None:
    """The job whose turn it is; None where nothing waits.

    One that broke off goes behind those that did not: what fails again and again must not keep others waiting. A sample
    goes behind all, since it gives way to whatever waits.
    """
    found: list[tuple[tuple[bool, int], JobTable, int]] = []
    for table in QUEUE:
        waiting = select(table.tries, table.id).where(table.state == State.WAITING)
        if row := session.execute(waiting.order_by(table.tries, table.id).limit(1)).first():
            found.append(((table is t.Sample, row.tries), table, row.id))
    return min(found, key=lambda one: one[0])[1:] if found else None


def begin(session: Session, table: JobTable, job: int) -> int:
    """Takes a waiting job in hand; how often it was begun since anything was kept of it. 0: it waits no more."""
    begun = {"state": State.RUNNING, "tries": table.tries + 1, "started_at": func.coalesce(table.started_at, t.now())}
    if not _changed(session, table, job, (State.WAITING,), begun):
        return 0
    return session.scalar(select(table.tries).where(table.id == job)) or 0


def move(session: Session, table: JobTable, job: int, to: State, error: str | None = None) -> bool:
    """Brings a job that is under way into another state; False where it is under way no more.

    One that is made to wait gave way of its own accord: that is no try that failed.
    """
    values: dict[str, Any] = {"state": to, "error": error}
    if to not in GOING:
        values |= {"finished_at": t.now()}
    if to not in UNDER_WAY:
        values |= {"tries": 0}
    return _changed(session, table, job, UNDER_WAY, values)


def give_back(session: Session, table: JobTable, job: int) -> bool:
    """Makes a job wait again that broke off; what it was tried counts on."""
    return _changed(session, table, job, UNDER_WAY, {"state": State.WAITING})


def is_stop_asked(session: Session, table: JobTable, job: int) -> bool:
    """Whether the person wants it to stop."""
    return bool(session.scalar(select(table.stop_asked).where(table.id == job)))


def ask_to_stop(session: Session, table: JobTable, job: int) -> bool:
    """Stops a job at once where it only waits; asks it to where it is under way. False where it is not going."""
    state = case((table.state == State.WAITING, State.STOPPED), else_=table.state)
    return _changed(session, table, job, GOING, {"stop_asked": True, "state": state})


def ask_to_go_on(session: Session, table: JobTable, job: int, also: tuple[State, ...] = ()) -> bool:
    """Makes a job wait again that ended before it was done, or in a state of `also`. False where it did not."""
    fresh = {
        "state": State.WAITING, "stop_asked": False, "error": None, "tries": 0, "started_at": None, "finished_at": None,
    }  # fmt: skip
    return _changed(session, table, job, (*UNFINISHED, *also), fresh)


def take_up(session: Session) -> None:
    """Makes what is under way wait again, or stopped where that was asked: whoever had it in hand is gone."""
    for table in QUEUE:
        now = case((table.stop_asked, State.STOPPED), else_=State.WAITING)
        session.execute(update(table).where(table.state.in_(UNDER_WAY)).values(state=now))


def any_going(session: Session) -> bool:
    """Whether any job waits or is under way."""
    return any(session.scalar(select(table.id).where(table.state.in_(GOING)).limit(1)) for table in QUEUE)


def any_asked_to_stop(session: Session) -> bool:
    """Whether any job is under way still that was asked to stop."""
    return any(
        session.scalar(select(table.id).where(table.state.in_(UNDER_WAY), table.stop_asked).limit(1)) for table in QUEUE
    )


def _changed(session: Session, table: JobTable, job: int, among: tuple[State, ...], values: dict[str, Any]) -> bool:
    """Changes a job that is in one of the states; False where it is not."""
    done = session.execute(update(table).where(table.id == job, table.state.in_(among)).values(**values))
    return bool(done.rowcount)  # type: ignore[attr-defined]
