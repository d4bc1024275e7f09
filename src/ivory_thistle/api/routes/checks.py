"""Checks: asked for, watched, looked through, and answered by taking an image back."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.errors import ProblemError, not_found
from ivory_thistle.api.routes.captures import Limit, picture
from ivory_thistle.api.routes.runs import content_of, finished_run
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.api.stopping import add_stop_and_continue
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.checks import counted, give_back, newest_check, start_check, take_back

of_run = APIRouter(prefix="/runs/{run_id}", tags=["checks"])
router = APIRouter(prefix="/checks/{check_id}", tags=["checks"])


def check_of(session: Session, check_id: int) -> t.Check:
    """The check, or a 404."""
    check = session.get(t.Check, check_id)
    if not check:
        raise not_found("check")
    return check


def _row(check_id: int, session: SessionDep) -> t.Check:
    return check_of(session, check_id)


def check_out(session: Session, check: t.Check, content: str = "") -> schemas.Check:
    """A check with its progress; `content` is that of the handover as it is now, where it is known."""
    done, failed, unsure = counted(session, check)
    seconds = (t.now() - check.started_at).total_seconds() if check.started_at else 0.0
    left = seconds * (check.total - done) / done if check.state.is_under_way and done else None
    return schemas.Check(
        id=check.id, run_id=check.run_id, state=check.state, error=check.error,
        screens=[s["name"] for s in check.screens], tiers=list(check.tiers), total=check.total, done=done,
        failed=failed, unsure=unsure, current=not content or check.content == content, seconds_left=left,
        created_at=check.created_at, finished_at=check.finished_at,
    )  # fmt: skip


@of_run.get("/check")
def get_newest_check(run_id: int, session: SessionDep, services: ServicesDep) -> schemas.Check | None:
    """The run's newest check, if there is one."""
    run = finished_run(session, run_id)
    check = newest_check(session, run_id)
    if check is None:
        return None
    content = "" if check.state.is_going else content_of(session, run, services)
    return check_out(session, check, content)


@of_run.post("/checks", status_code=201)
def add_check(run_id: int, session: SessionDep, services: ServicesDep) -> schemas.Check:
    """Starts a check of a finished run's handover; one that is going on already is returned instead."""
    run = finished_run(session, run_id)
    going = newest_check(session, run_id)
    if going and going.state.is_going:
        return check_out(session, going)
    out = check_out(session, start_check(session, run))
    session.commit()
    services.jobs.wake()
    return out


@router.get("")
def get_check(check_id: int, session: SessionDep) -> schemas.Check:
    """One check with its progress."""
    return check_out(session, check_of(session, check_id))


add_stop_and_continue(router, "check", _row, check_out, schemas.Check)


@router.get("/loads")
def list_checked_loads(
    check_id: int,
    session: SessionDep,
    which: Literal["failed", "all"] = "failed",
    after: str | None = None,
    limit: Limit = 200,
) -> schemas.CheckedLoads:
    """What was checked, or of it what failed, in the order it was."""
    check_of(session, check_id)
    query = (
        select(t.CheckedLoad, t.Page.path)
        .join(t.Page, t.Page.id == t.CheckedLoad.page_id)
        .where(t.CheckedLoad.check_id == check_id)
    )
    if which == "failed":
        query = query.where(t.CheckedLoad.failed)
    column = t.CheckedLoad.id
    rows = session.execute(cursors.after(query, column, column, False, after).limit(limit + 1)).all()
    last = rows[limit - 1][0] if len(rows) > limit else None
    return schemas.CheckedLoads(
        items=[_load_out(load, path) for load, path in rows[:limit]],
        next=cursors.encode(last.id, last.id) if last else None,
    )


def _load_out(load: t.CheckedLoad, path: str) -> schemas.CheckedLoad:
    timed: dict[str, Any] = load.timed or {}
    return schemas.CheckedLoad(
        id=load.id, path=path, screen=load.screen, tier=load.tier, before=load.before, after=load.after,
        foretold=load.foretold, failed=load.failed, sure=load.sure,
        wrong=[schemas.WrongOut.model_validate(w) for w in load.wrong], score=load.score,
        spot=schemas.SpotOut.model_validate(load.spot) if load.spot else None,
        vitals_before=schemas.VitalsOut.model_validate(timed["old"]) if timed.get("old") else None,
        vitals_after=schemas.VitalsOut.model_validate(timed["new"]) if timed.get("new") else None,
        has_pictures=load.picture_before is not None,
    )  # fmt: skip


@router.get("/loads/{load_id}/{side}", response_class=Response)
def get_page_picture(
    check_id: int, load_id: int, side: Literal["before", "after"], session: SessionDep, services: ServicesDep
) -> Response:
    """The whole page as Chromium showed it, one pixel a CSS px, where something was wrong."""
    load = session.get(t.CheckedLoad, load_id)
    digest = (load.picture_before if side == "before" else load.picture_after) if load else None
    if load is None or load.check_id != check_id or not digest:
        raise not_found("picture")
    return picture(services.blobs.get(digest))


@of_run.post("/taken-back")
def add_taken_back(
    run_id: int, body: schemas.TakeBack, session: SessionDep, services: ServicesDep
) -> schemas.TakenBack:
    """Gives one image on one page the next safer form, or leaves it as it was; savings and handover follow."""
    run = finished_run(session, run_id, to_change=True)
    if take_back(session, run, body.path, body.at, body.how == "leave", services.blobs) is None:
        raise ProblemError(
            409, "no-other-form", "Nothing to take back", "This image is as it was on that page already."
        )
    return _changed(session, run, services)


@of_run.delete("/taken-back")
def undo_taken_back(run_id: int, session: SessionDep, services: ServicesDep) -> schemas.TakenBack:
    """Undoes the last of these changes."""
    run = finished_run(session, run_id, to_change=True)
    if give_back(session, run, services.blobs) is None:
        raise ProblemError(409, "nothing-to-undo", "Nothing to undo", "No image was taken back in this run.")
    return _changed(session, run, services)


def _changed(session: Session, run: t.Run, services: Services) -> schemas.TakenBack:
    count = len(run.taken_back or [])
    capture_id = run.capture_id
    session.commit()
    services.counts.forget(capture_id)
    return schemas.TakenBack(count=count)
