"""What was foretold of a run beside what came of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fastapi import APIRouter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.routes.runs import finished_run
from ivory_thistle.api.services import SessionDep
from ivory_thistle.core.reports.report import totals as report_totals
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.reported import without_images

router = APIRouter(prefix="/runs/{run_id}", tags=["runs"])
_NEAR = 0.3


@router.get("/forecast")
def get_forecast_of_run(run_id: int, session: SessionDep) -> schemas.RanOut | None:
    """What was foretold of a finished run when it was started, beside what came of it; nothing of chosen images."""
    run = finished_run(session, run_id)
    told = run.forecast
    if told is None or not run.started_at or not run.finished_at:
        return None
    rows = session.execute(
        select(t.Image.path, t.Task.bytes_after)
        .join(t.Image, t.Image.id == t.Task.image_id)
        .where(t.Task.run_id == run_id, t.Task.state == "done")
    )
    truth = {path: after for path, after in rows if path in told["images"]}
    surer = told.get("sketched")
    made = session.execute(
        select(func.count(t.Rendition.id)).join(t.Task, t.Task.id == t.Rendition.task_id).where(t.Task.run_id == run_id)
    ).scalar_one()
    return schemas.RanOut(
        totals=_beside(told["totals"], surer["totals"] if surer else (), _truth(session, run)),
        seconds=schemas.RangeOut.model_validate(told["seconds"]),
        took=(run.finished_at - run.started_at).total_seconds(),
        files=told["files"],
        made=made,
        images=len(truth),
        near=_near(told["images"], truth),
        seconds_sketched=_with_sketching(run, surer["seconds"]) if surer else None,
        files_sketched=surer["files"] if surer else None,
        near_sketched=_near(surer["images"], truth) if surer else None,
    )


def _with_sketching(run: t.Run, left: Mapping[str, int]) -> schemas.RangeOut | None:
    """The seconds of a whole run of which so many were left once it was sketched; None where it went on since."""
    if run.started_at is None or run.sketched_at is None or run.sketched_at < run.started_at:
        return None
    spent = round((run.sketched_at - run.started_at).total_seconds())
    return schemas.RangeOut(low=spent + left["low"], likely=spent + left["likely"], high=spent + left["high"])


def _near(told: Mapping[str, int], truth: Mapping[str, int]) -> int:
    return sum(abs(told.get(path, 0) - after) <= _NEAR * after for path, after in truth.items())


def _truth(session: Session, run: t.Run) -> dict[tuple[str, str, bool], tuple[int, int]]:
    """Bytes of all pages and how many are over, by screen, tier and part (at opening: True), as they came to be."""
    report = without_images(session, run)
    if report.rows:
        found = ((opening, one) for opening in (True, False) for one in report_totals(report, opening))
        return {(one.screen, one.tier, opening): (one.after, one.over_after) for opening, one in found}
    policy = report.policy
    rows = session.execute(
        select(t.Page.path, t.PageSaving.tier, t.PageSaving.after)
        .join(t.Page, t.Page.id == t.PageSaving.page_id)
        .where(t.PageSaving.run_id == run.id)
    ).all()
    tiers = {tier for _, tier, _ in rows}
    sums = {
        tier: (
            sum(after for _, of, after in rows if of == tier),
            sum(after > policy.allowed(path).bytes for path, of, after in rows if of == tier),
        )
        for tier in tiers
    }
    return {("", tier, opening): sums[tier] for tier in tiers for opening in (True, False)}


def _beside(
    told: Iterable[dict[str, Any]],
    surer: Iterable[dict[str, Any]],
    truth: Mapping[tuple[str, str, bool], tuple[int, int]],
) -> list[schemas.RanTotal]:
    sketched = {(one["screen"], one["tier"], one["opening"]): one["after"] for one in surer}
    return [
        schemas.RanTotal(
            screen=one["screen"], tier=one["tier"], part="opening" if one["opening"] else "scrolled",
            foretold=one["after"], sketched=sketched.get((one["screen"], one["tier"], one["opening"])), after=after[0],
            over_foretold=one["over_after"], over_after=after[1],
        )
        for one in told
        if (after := truth.get((one["screen"], one["tier"], one["opening"])))
    ]  # fmt: skip
