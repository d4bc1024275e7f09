"""The application: routes, front end, guard."""

from __future__ import annotations

from collections.abc import AsyncIterator, Callable
from contextlib import AbstractContextManager, asynccontextmanager
from functools import cache
from pathlib import Path

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse
from sqlalchemy import text
from starlette.staticfiles import StaticFiles

from ivory_thistle.api import errors, schemas
from ivory_thistle.api.access import Access, Login
from ivory_thistle.api.again import Again
from ivory_thistle.api.guard import Guard
from ivory_thistle.api.routes import (
    captures,
    checks,
    events,
    findings,
    forecast,
    forecast_of_run,
    library,
    measurements,
    proof,
    room,
    rules,
    runs,
    savings,
    sites,
    treatment,
    wording,
)
from ivory_thistle.api.services import Services, SessionDep
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, measured_tier
from ivory_thistle.core.treatment.narrowing import FIDELITIES
from ivory_thistle.core.treatment.roles import ROLES
from ivory_thistle.core.treatment.rules import BY_ROLE

VERSION = "0.1.0"


def create_app(
    opened: Callable[[], AbstractContextManager[Services]], access: Access, web: Path | None = None
) -> FastAPI:
    """The application. `opened` gives its services for as long as it runs; `web` is the built front end."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        with opened() as services:
            app.state.services = services
            yield

    app = FastAPI(
        title="Ivory Thistle", version=VERSION, lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/v1/openapi.json", generate_unique_id_function=lambda route: route.name,
    )  # fmt: skip
    errors.install(app)
    generated = app.openapi
    described = cache(lambda: errors.describe(generated()))
    app.openapi = described  # type: ignore[method-assign]
    api = APIRouter(prefix="/api/v1", responses=errors.RESPONSES)

    @api.get("/health", tags=["health"])
    def health(session: SessionDep) -> schemas.Health:
        """Answers when the database does."""
        session.execute(text("SELECT 1"))
        return schemas.Health(status="ok", version=VERSION)

    @api.get("/vocabulary", tags=["vocabulary"])
    def get_vocabulary() -> schemas.Vocabulary:
        """The words that the interface offers."""
        tiers = [
            schemas.TierOut(
                name=row.name,
                words=row.words,
                format=FORMATS[row.format].label,
                measured=row.name == measured_tier(),
                fixed=row.making.fixed,
                modern=row.name != BASELINE,
            )
            for row in TIERS.values()
        ]
        fidelities = [schemas.FidelityOut(name=name, score=score) for name, score in FIDELITIES.items()]
        return schemas.Vocabulary(
            tiers=tiers, roles=list(ROLES), fidelities=fidelities, usual={role: BY_ROLE[role] for role in ROLES}
        )

    # Events come first: their paths are longer than those of the nouns they watch.
    for router in (
        events.router,
        sites.router,
        library.router,
        findings.of_capture,
        findings.of_site,
        wording.router,
        forecast.router,
        forecast_of_run.router,
        forecast.of_sample,
        rules.of_capture,
        rules.of_site,
        rules.named,
        treatment.router,
        captures.router,
        measurements.of_capture,
        measurements.router,
        checks.of_run,
        checks.router,
        savings.router,
        savings.of_site,
        proof.router,
        runs.router,
        room.router,
    ):
        api.include_router(router)
    app.include_router(api)
    if web:
        _serve_front_end(app, web)
    app.add_middleware(Again)
    app.add_middleware(Login, access=access)
    app.add_middleware(Guard, port=access.port)
    return app


def _serve_front_end(app: FastAPI, web: Path) -> None:
    """Built files under /assets; every other address that is not the interface's is the one page."""
    app.mount("/assets", StaticFiles(directory=web / "assets"), name="assets")

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_address(rest: str) -> None:
        raise errors.not_found("address")

    @app.get("/favicon.svg", include_in_schema=False)
    def icon() -> FileResponse:
        return FileResponse(web / "favicon.svg", media_type="image/svg+xml")

    @app.get("/favicon.ico", include_in_schema=False)
    def no_icon() -> None:
        raise errors.not_found("file")

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> FileResponse:
        return FileResponse(web / "index.html", headers={"cache-control": "no-cache"})
