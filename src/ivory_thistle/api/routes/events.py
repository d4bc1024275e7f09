"""Server-sent events: progress of captures and runs, read from the database so that any page may watch."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable

from fastapi import APIRouter, Request
from sqlalchemy.orm import Session
from sse_starlette import EventSourceResponse, ServerSentEvent

from ivory_thistle.api import schemas
from ivory_thistle.api.figures import run_out
from ivory_thistle.api.routes.captures import capture_of
from ivory_thistle.api.routes.checks import check_of, check_out
from ivory_thistle.api.routes.measurements import measurement_of, measurement_out
from ivory_thistle.api.routes.runs import run_of
from ivory_thistle.api.services import Services, ServicesDep, SessionDep

router = APIRouter(tags=["events"])
_EVERY_SECONDS = 0.4


def _watch(services: Services, request: Request, look: Callable[[Session], schemas.Job]) -> EventSourceResponse:
    """Sends a new event whenever what `look` sees has changed, and ends with its last state."""

    def seen() -> tuple[str, bool]:
        with services.sessions() as session:
            now = look(session)
            return now.model_dump_json(), not now.going

    async def events() -> AsyncIterator[ServerSentEvent]:
        last = ""
        while not await request.is_disconnected():
            text, ended = await asyncio.to_thread(seen)
            if text != last:
                yield ServerSentEvent(text, event="progress")
                last = text
            if ended:
                return
            await asyncio.sleep(_EVERY_SECONDS)

    return EventSourceResponse(events())


@router.get("/captures/{capture_id}/events", response_class=EventSourceResponse)
def capture_events(
    capture_id: int, request: Request, session: SessionDep, services: ServicesDep
) -> EventSourceResponse:
    """Progress of a capture, as events named `progress` that hold a Capture."""
    capture_of(session, capture_id)
    return _watch(services, request, lambda s: schemas.Capture.model_validate(capture_of(s, capture_id)[0]))


@router.get("/runs/{run_id}/events", response_class=EventSourceResponse)
def run_events(run_id: int, request: Request, session: SessionDep, services: ServicesDep) -> EventSourceResponse:
    """Progress of a run, as events named `progress` that hold a Run."""
    run_of(session, run_id)
    return _watch(services, request, lambda s: run_out(s, run_of(s, run_id)))


@router.get("/measurements/{measurement_id}/events", response_class=EventSourceResponse)
def measurement_events(
    measurement_id: int, request: Request, session: SessionDep, services: ServicesDep
) -> EventSourceResponse:
    """Progress of a measurement, as events named `progress` that hold a Measurement."""
    measurement_of(session, measurement_id)
    return _watch(services, request, lambda s: measurement_out(s, measurement_of(s, measurement_id)))


@router.get("/checks/{check_id}/events", response_class=EventSourceResponse)
def check_events(check_id: int, request: Request, session: SessionDep, services: ServicesDep) -> EventSourceResponse:
    """Progress of a check, as events named `progress` that hold a Check."""
    check_of(session, check_id)
    return _watch(services, request, lambda s: check_out(s, check_of(s, check_id)))
