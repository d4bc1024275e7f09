"""What the routes work with, made once at start."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.api.counts import Counts
from ivory_thistle.jobs.process import JobsProcess
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.auditing import ask_for_audit_of_site
from ivory_thistle.workflows.desk import Desk
from ivory_thistle.workflows.room import Places


@dataclass(frozen=True, slots=True)
class Services:
    """Database sessions, the blob store, the jobs' process, where things are kept, and what was counted.

    `at_hand` holds sites that were read again, `forecasts` what was foretold, `proofs` queues and curves of what a run
    made; at the `desk` pictures are judged.
    """

    sessions: sessionmaker[Session]
    blobs: Blobs
    jobs: JobsProcess
    places: Places
    counts: Counts
    at_hand: Counts
    forecasts: Counts
    proofs: Counts
    desk: Desk


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
    ask_for_audit_of_site(session, site_id)
    session.commit()
    services.jobs.wake()


ServicesDep = Annotated[Services, Depends(services)]
SessionDep = Annotated[Session, Depends(session, scope="function")]
