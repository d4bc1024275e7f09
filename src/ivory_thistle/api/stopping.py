"""Stopping a job and going on with it: two routes, the same for every kind of job."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, Depends
from sqlalchemy.orm import Session

from ivory_thistle.api.services import ServicesDep, SessionDep
from ivory_thistle.core.states import State
from ivory_thistle.store import jobs


def add_stop_and_continue(
    router: APIRouter,
    noun: str,
    found: Callable[..., Any],
    out: Callable[[Session, Any], Any],
    answer: type,
    also: tuple[State, ...] = (),
    first: Callable[[Session, int], int] = lambda session, job: 0,
) -> None:
    """Adds `/stop` and `/continue` to the routes of one job; both answer with the job.

    `found` is the dependency that gives the job's row, `out` makes the `answer` of it. A job goes on from where it was
    stopped, paused or failed. `first` is done before that, and says how much there is to be done again: where there
    is anything, a job goes on from the states `also` too.
    """

    def stop(session: SessionDep, services: ServicesDep, job: Any = Depends(found)) -> Any:
        """Stops it within two seconds; what is finished is kept, and it can go on later."""
        if jobs.ask_to_stop(session, type(job), job.id):
            services.jobs.enforce_stop()
        session.refresh(job)
        return out(session, job)

    def go_on(session: SessionDep, services: ServicesDep, job: Any = Depends(found)) -> Any:
        """Goes on with it where it was stopped, paused or failed."""
        again = first(session, job.id) if job.state.can_go_on or job.state in also else 0
        if job.state.can_go_on or again:
            jobs.ask_to_go_on(session, type(job), job.id, also)
            session.refresh(job)
        told = out(session, job)
        session.commit()
        services.jobs.wake()
        return told

    router.add_api_route("/stop", stop, methods=["POST"], name=f"stop_{noun}", response_model=answer)
    router.add_api_route("/continue", go_on, methods=["POST"], name=f"continue_{noun}", response_model=answer)
