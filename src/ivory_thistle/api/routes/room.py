"""The room that things take on the disk: seen, and cleared of what nothing needs."""

from __future__ import annotations

from fastapi import APIRouter

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import ProblemError
from ivory_thistle.api.services import ServicesDep, SessionDep
from ivory_thistle.store.jobs import any_going
from ivory_thistle.workflows.room import clear_spare, room_taken

router = APIRouter(prefix="/room", tags=["room"])


@router.get("")
def get_room(session: SessionDep, services: ServicesDep) -> list[schemas.Room]:
    """What each part of the data folder takes, and how much of that nothing needs: removed sites, left-overs."""
    return [schemas.Room.model_validate(part) for part in room_taken(session, services.blobs, services.places)]


@router.post("/clear")
def clear_room(session: SessionDep, services: ServicesDep) -> schemas.Cleared:
    """Removes what nothing needs, for good; a removed site can then not be put back."""
    if any_going(session):
        raise ProblemError(409, "jobs-going", "Not while jobs are going", "Stop what is going on, or wait for its end.")
    return schemas.Cleared(bytes=clear_spare(services.sessions, services.blobs, services.places))
