"""What the routes work with, made once at start."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.api.counts import Counts
from ivory_thistle.jobs.process import JobsProcess
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.auditing import ask_for_audit
from ivory_thistle.workflows.room import Places


@dataclass(frozen=True, slots=True)
class Services:
    """Database sessions, the blob store, the jobs' process, where things are kept, and counts that are known."""

    sessions: sessionmaker[Session]
    blobs: Blobs
    jobs: JobsProcess
    places: Places
    counts: Counts


def services(request: Request) -> Services:
    """The application's services."""
    found: Services = request.app.state.services
    return found


def session(request: Request) -> Iterator[Session]:
    """A session that commits when the route returns and rolls back when it raises."""
    with services(request).sessions.begin() as opened:
        yield opened


def audit_again(session: Session, services: Services, site_id: int) -> None:
    """Commits a change that findings rest on, and has the site's newest capture audited."""
    ask_for_audit(session, site_id)
    session.commit()
    services.jobs.wake()


def ask_to_stop(job: t.Capture | t.Run | t.Measurement, services: Services) -> None:
    """Stops a job at once where it only waits, else within two seconds."""
    if job.state in ("waiting", "reading", "running", "finishing"):
        # Also for one that waits: it may just be taken up.
        job.stop_asked = True
        services.jobs.enforce_stop()
    if job.state == "waiting":
        job.state = "stopped"


def ask_to_go_on(job: t.Capture | t.Run | t.Measurement) -> None:
    """Makes a job wait again that was stopped, paused or failed."""
    job.state, job.stop_asked, job.error, job.tries = "waiting", False, None, 0


ServicesDep = Annotated[Services, Depends(services)]
SessionDep = Annotated[Session, Depends(session, scope="function")]
