"""Runs of a capture: started by the site's rules, and listed."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from fastapi import APIRouter
from sqlalchemy import select

from ivory_thistle.api import schemas
from ivory_thistle.api.figures import newest_run, run_out
from ivory_thistle.api.routes.captures import capture_of
from ivory_thistle.api.routes.forecast import foretold
from ivory_thistle.api.selections import selected
from ivory_thistle.api.services import ServicesDep, SessionDep
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.narrowing import Fidelity, fields_of
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.runs import start_run
from ivory_thistle.workflows.settings import site_rules

router = APIRouter(prefix="/captures/{capture_id}", tags=["treatment"])


@router.post("/runs", status_code=201)
def add_run(
    capture_id: int,
    session: SessionDep,
    services: ServicesDep,
    chosen: schemas.Selection | None = None,
    fidelity: Fidelity | Literal["fixed"] | None = None,
    metadata: MetadataPolicy | None = None,
    keep_p3: bool | None = None,
    sharpen: bool | None = None,
    svg_scripts: bool | None = None,
    background_widths: bool | None = None,
    demand_check: bool | None = None,
    form: HandoverForm | None = None,
) -> schemas.Run:
    """Starts a treatment of the whole site or of chosen images; one that is going on already is returned instead.

    No body and `{}` mean the whole site. A selection that was made and is empty (`"ids": []`) is refused.
    The site's rules hold, but for what is asked here: with a fidelity every lossy file keeps that look unless a
    narrower rule says otherwise; "fixed" searches nothing and takes one quality for all.
    """
    _, site = capture_of(session, capture_id)
    going = newest_run(session, capture_id)
    if going and going.state.is_going:
        return run_out(session, going)
    asked: dict[str, object] = {
        "metadata": metadata, "keep_p3": keep_p3, "sharpen": sharpen, "svg_scripts": svg_scripts,
        "background_widths": background_widths, "demand_check": demand_check, "form": form,
    }  # fmt: skip
    looks = {"fixed": True} if fidelity == "fixed" else fields_of({"fidelity": fidelity} if fidelity else {})
    given = {name: value for name, value in asked.items() if value is not None}
    rules = replace(site_rules(site), **looks, **given)  # type: ignore[arg-type]
    ids = None
    if chosen is not None and chosen.model_fields_set:
        ids = frozenset(session.scalars(selected(capture_id, chosen).with_only_columns(t.Image.id)).all())
    told = foretold(session, services, capture_id, rules)
    costs = {path: one.seconds for path, one in told.expected.items()}
    run = start_run(session, capture_id, rules, told.plans, costs, ids)
    if ids is None:
        run.forecast = told.as_dict()
    session.flush()
    out = run_out(session, run)
    session.commit()
    services.jobs.wake()
    return out


@router.get("/runs")
def list_runs(capture_id: int, session: SessionDep) -> list[schemas.Run]:
    """Runs of the capture, the newest first."""
    capture_of(session, capture_id)
    rows = session.scalars(select(t.Run).where(t.Run.capture_id == capture_id).order_by(t.Run.id.desc()).limit(50))
    return [run_out(session, r) for r in rows]
