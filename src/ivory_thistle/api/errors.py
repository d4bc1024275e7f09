"""Errors as RFC 9457 problem details (https://www.rfc-editor.org/rfc/rfc9457)."""

from __future__ import annotations

from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DBAPIError
from starlette.exceptions import HTTPException

from ivory_thistle.api.again import GAVE_WAY
from ivory_thistle.api.schemas import Problem
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.store.blobs import StorageError
from ivory_thistle.store.database import gives_way, is_away

log = structlog.get_logger()


class ProblemError(Exception):
    """An answer that is a problem; `code` is stable, `detail` is written for the person."""

    def __init__(self, status: int, code: str, title: str, detail: str) -> None:
        super().__init__(detail)
        self.problem = Problem(type=f"urn:ivory-thistle:{code}", title=title, status=status, detail=detail)


def not_found(what: str) -> ProblemError:
    """404 for something that is not there (any more)."""
    return ProblemError(404, "not-found", f"No such {what}", f"This {what} is not there, or not any more.")


def _answer(problem: Problem) -> JSONResponse:
    return JSONResponse(problem.model_dump(), status_code=problem.status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Makes every error of the application a problem."""

    @app.exception_handler(ProblemError)
    async def ours(request: Request, error: ProblemError) -> JSONResponse:
        return _answer(error.problem)

    @app.exception_handler(UnusableInput)
    async def unusable(request: Request, error: UnusableInput) -> JSONResponse:
        return _answer(ProblemError(422, "unusable-input", "This can't be used", str(error)).problem)

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        parts = [f"{'.'.join(str(x) for x in e['loc'][1:]) or 'request'}: {e['msg']}" for e in error.errors()]
        return _answer(ProblemError(422, "invalid-request", "The request is not valid", "; ".join(parts)).problem)

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> JSONResponse:
        return _answer(ProblemError(error.status_code, "http", str(error.detail), str(error.detail)).problem)

    @app.exception_handler(DBAPIError)
    async def database(request: Request, error: DBAPIError) -> JSONResponse:
        if gives_way(error):
            request.scope[GAVE_WAY] = True
        elif not is_away(error):
            return await ours_broken(request, error)
        log.warning("database", path=request.url.path, error=repr(error.orig))
        detail = "The database is busy or being started again. Nothing was changed; try again in a few seconds."
        answer = _answer(ProblemError(503, "database-away", "Not just now", detail).problem)
        answer.headers["retry-after"] = "2"
        return answer

    @app.exception_handler(StorageError)
    async def storage(request: Request, error: StorageError) -> JSONResponse:
        return _answer(ProblemError(507, "no-storage", "Nothing can be kept", str(error)).problem)

    @app.exception_handler(Exception)
    async def ours_broken(request: Request, error: Exception) -> JSONResponse:
        log.exception("unhandled", path=request.url.path)
        detail = "Something went wrong here. Nothing already done is lost; the log says more."
        return _answer(ProblemError(500, "internal", "Something went wrong", detail).problem)


def _documented(description: str) -> dict[str, Any]:
    return {"model": Problem, "description": description}


RESPONSES: dict[int | str, dict[str, Any]] = {
    400: _documented("The request can't be understood"),
    401: _documented("The cookie or token is missing"),
    403: _documented("From another page, or by another name"),
    404: _documented("Not there"),
    409: _documented("Not in this state"),
    413: _documented("Too large"),
    422: _documented("Can't be used"),
    503: _documented("The database is being started again"),
}


def describe(schema: dict[str, Any]) -> dict[str, Any]:
    """The OpenAPI description with every problem told once, by its own media type."""
    content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    schema["components"]["responses"] = {
        f"Problem{status}": {"description": told["description"], "content": content}
        for status, told in RESPONSES.items()
    }
    for path in schema["paths"].values():
        for operation in path.values():
            for status in operation["responses"]:
                if int(status) in RESPONSES:
                    operation["responses"][status] = {"$ref": f"#/components/responses/Problem{status}"}
    return schema
