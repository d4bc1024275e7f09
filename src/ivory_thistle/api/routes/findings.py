"""Findings of a capture, grouped and listed; budgets of a site."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.routes.captures import Limit, capture_of
from ivory_thistle.api.routes.sites import site_of
from ivory_thistle.api.services import ServicesDep, SessionDep, audit_again
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.findings.catalogue import CATALOGUE
from ivory_thistle.core.states import State
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.settings import site_policy

of_capture = APIRouter(prefix="/captures/{capture_id}", tags=["findings"])
_MOST = 500
of_site = APIRouter(prefix="/sites/{site_id}", tags=["budgets"])


@of_capture.get("/findings")
def list_finding_groups(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.AuditState:
    """Findings by code: what treating mends first, and within that what saves most."""
    capture_of(session, capture_id)
    groups = services.counts.get(capture_id, "findings", lambda: _groups(session, capture_id))
    measured = session.scalar(
        select(func.count()).where(t.Measurement.capture_id == capture_id, t.Measurement.estimated.is_(False))
    )
    audit = session.scalar(select(t.Audit).where(t.Audit.capture_id == capture_id))
    state, error = (audit.state, audit.error) if audit else (State.WAITING, None)
    return schemas.AuditState(state=state, error=error, groups=groups, measured=bool(measured))


def _groups(session: Session, capture_id: int) -> list[schemas.FindingGroup]:
    rows = session.execute(
        select(
            t.Finding.code, func.count(), func.count(t.Finding.image_id.distinct()),
            func.count(t.Finding.page_id.distinct()), func.sum(t.Finding.stake), func.min(t.Finding.measured),
        )
        .where(t.Finding.capture_id == capture_id)
        .group_by(t.Finding.code)
    )  # fmt: skip
    groups = [
        schemas.FindingGroup(
            code=code, title=CATALOGUE[code].title, threshold=CATALOGUE[code].threshold, mend=CATALOGUE[code].mend,
            ease=CATALOGUE[code].ease, count=count, images=images, pages=pages, stake=int(stake or 0),
            measured=bool(measured),
        )
        for code, count, images, pages, stake, measured in rows
        if code in CATALOGUE
    ]  # fmt: skip
    return sorted(groups, key=lambda g: (g.ease, -g.stake, -g.count, g.code))


@of_capture.get("/findings/{code}")
def list_findings(
    capture_id: int,
    code: str,
    session: SessionDep,
    page_id: Annotated[int | None, Query()] = None,
    after: str | None = None,
    limit: Limit = 100,
) -> schemas.FindingList:
    """Findings of one code, those with most bytes at stake first."""
    capture_of(session, capture_id)
    query = select(t.Finding).where(t.Finding.capture_id == capture_id, t.Finding.code == code)
    if page_id is not None:
        query = query.where(t.Finding.page_id == page_id)
    rows = session.scalars(cursors.after(query, t.Finding.stake, t.Finding.id, True, after).limit(limit + 1)).all()
    shown = rows[:limit]
    following = cursors.encode(shown[-1].stake, shown[-1].id) if len(rows) > limit else None
    return schemas.FindingList(items=[schemas.FindingOut.model_validate(f) for f in shown], next=following)


@of_capture.get("/pages/{page_id}/findings")
def list_page_findings(capture_id: int, page_id: int, session: SessionDep) -> list[schemas.FindingOut]:
    """Everything wrong with one page."""
    return _about(session, capture_id, t.Finding.page_id == page_id)


@of_capture.get("/images/{image_id}/findings")
def list_image_findings(capture_id: int, image_id: int, session: SessionDep) -> list[schemas.FindingOut]:
    """Everything wrong with one image."""
    return _about(session, capture_id, t.Finding.image_id == image_id)


def _about(session: Session, capture_id: int, it: ColumnElement[bool]) -> list[schemas.FindingOut]:
    capture_of(session, capture_id)
    rows = session.scalars(
        select(t.Finding)
        .where(t.Finding.capture_id == capture_id, it)
        .order_by(t.Finding.stake.desc(), t.Finding.id)
        .limit(_MOST)
    )
    return [schemas.FindingOut.model_validate(f) for f in rows]


@of_site.get("/budgets")
def get_budgets(site_id: int, session: SessionDep) -> schemas.Budgets:
    """All budgets of a site, defaults included."""
    return schemas.Budgets.model_validate(site_policy(site_of(session, site_id)).as_dict())


@of_site.put("/budgets")
def put_budgets(site_id: int, wanted: schemas.Budgets, session: SessionDep, services: ServicesDep) -> schemas.Budgets:
    """Changes all budgets at once."""
    return _put(site_id, Policy.from_dict(wanted.model_dump(exclude_none=True)), session, services)


@of_site.get("/budgets.toml")
def get_budgets_toml(site_id: int, session: SessionDep) -> schemas.TomlText:
    """All budgets as TOML."""
    return schemas.TomlText(toml=site_policy(site_of(session, site_id)).as_toml())


@of_site.put("/budgets.toml")
def put_budgets_toml(
    site_id: int, wanted: schemas.TomlText, session: SessionDep, services: ServicesDep
) -> schemas.Budgets:
    """Takes budgets from TOML; a fault in it is told with its place, and nothing is changed."""
    return _put(site_id, Policy.from_toml(wanted.toml), session, services)


def _put(site_id: int, policy: Policy, session: SessionDep, services: ServicesDep) -> schemas.Budgets:
    site = site_of(session, site_id)
    site.page_budget, site.budgets = policy.site.bytes or site.page_budget, policy.as_dict()
    audit_again(session, services, site_id)
    return schemas.Budgets.model_validate(policy.as_dict())
