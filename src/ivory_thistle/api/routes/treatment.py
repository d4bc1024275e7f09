"""Treatment: a site's rules, what they would touch, and the runs that follow them."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from typing import Literal

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.figures import newest_run, run_out
from ivory_thistle.api.routes.captures import capture_of
from ivory_thistle.api.routes.sites import site_of
from ivory_thistle.api.selections import selected
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.narrowing import Fidelity, Rule, fields_of, overruled
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import MOST_RULES, read_rules, write_rules
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.at_hand import stored_at_hand
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.runs import start_run
from ivory_thistle.workflows.settings import site_rules

of_capture = APIRouter(prefix="/captures/{capture_id}", tags=["treatment"])
of_site = APIRouter(prefix="/sites/{site_id}", tags=["treatment"])


@of_site.get("/rules.toml")
def get_rules(site_id: int, session: SessionDep) -> schemas.TomlText:
    """What the site's images are treated by, as TOML."""
    return schemas.TomlText(toml=write_rules(site_rules(site_of(session, site_id))))


@of_site.put("/rules.toml")
def put_rules(site_id: int, wanted: schemas.TomlText, session: SessionDep) -> schemas.TomlText:
    """Takes rules over as a whole, or refuses them with line and reason; the answer is what held before."""
    site = site_of(session, site_id)
    before = write_rules(site_rules(site))
    site.rules = read_rules(wanted.toml).as_dict()
    return schemas.TomlText(toml=before)


@of_capture.post("/overrides")
def overrule(capture_id: int, body: schemas.Override, session: SessionDep) -> schemas.Overruled:
    """Decides for chosen images against the rules, by their paths: that outlives captures, and is one of the rules."""
    _, site = capture_of(session, capture_id)
    rules = site_rules(site)
    paths = session.scalars(selected(capture_id, body.selection).with_only_columns(t.Image.path)).all()
    settings = body.settings.model_dump(exclude_none=True) if body.settings else None
    if settings is not None and (not settings or {"fidelity", "cap"} <= settings.keys()):
        raise UnusableInput("Say what these images get: leave, max_width, and one of fidelity and cap.")
    narrower = overruled(rules.narrower, paths, settings)
    if len(narrower) > MOST_RULES:
        raise UnusableInput(f"A site may have {MOST_RULES:,} rules; name so many by a pattern or a role instead.")
    site.rules = replace(rules, narrower=narrower).as_dict()
    return schemas.Overruled(changed=len(paths), toml=write_rules(rules))


@of_capture.get("/forecast")
def get_forecast(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.Forecast:
    """What a treatment by the site's rules would touch."""
    _, site = capture_of(session, capture_id)
    rules = site_rules(site)
    what = f"forecast {json.dumps(rules.as_dict(), sort_keys=True)}"
    return services.counts.get(capture_id, what, lambda: _forecast(capture_id, rules, session, services))


def _forecast(capture_id: int, rules: Rules, session: Session, services: Services) -> schemas.Forecast:
    at_hand = stored_at_hand(session, capture_id, services.blobs)
    plans = plan(at_hand, rules)
    reasons = Counter(_kind_of_reason(p.reason) for p in plans if p.reason)
    unused = sum(i.unused for i in at_hand.site.images)
    if unused:
        reasons["No page uses it."] = unused
    return schemas.Forecast(
        rules=_rules_out(rules),
        images=sum(bool(p.steps) for p in plans),
        bytes=sum(p.image.facts.bytes for p in plans if p.steps),
        renditions=sum((1 if p.image.facts.is_vector else 1 + len(p.rules.formats)) * len(p.steps) for p in plans),
        left_alone=[schemas.LeftAlone(reason=r, count=n) for r, n in reasons.most_common()],
        narrower=[
            schemas.RuleSaid(said=rule.said, asks=rule.asks, images=_decided_by(rule, plans), override=rule.is_override)
            for rule in rules.narrower
        ],
    )


def _decided_by(rule: Rule, plans: Iterable[Plan]) -> int:
    """Of how many images a rule decides anything."""
    return sum(any(words.startswith(rule.opening) for words in p.decided) for p in plans)


def _rules_out(rules: Rules) -> schemas.RulesOut:
    qualities = {tier: rules.quality_for(tier) for tier in TIERS}
    return schemas.RulesOut.model_validate(rules.as_dict() | {"qualities": qualities})


def _kind_of_reason(reason: str) -> str:
    """A reason without what differs from image to image, for counting."""
    return reason.split(" (")[0].rstrip(".") + "." if " (" in reason else reason


@of_capture.post("/runs", status_code=201)
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
    if chosen is not None:
        ids = frozenset(session.scalars(selected(capture_id, chosen).with_only_columns(t.Image.id)).all())
    run = start_run(session, capture_id, rules, services.blobs, ids)
    session.flush()
    out = run_out(session, run)
    session.commit()
    services.jobs.wake()
    return out


@of_capture.get("/runs")
def list_runs(capture_id: int, session: SessionDep) -> list[schemas.Run]:
    """Runs of the capture, the newest first."""
    capture_of(session, capture_id)
    rows = session.scalars(select(t.Run).where(t.Run.capture_id == capture_id).order_by(t.Run.id.desc()).limit(50))
    return [run_out(session, r) for r in rows]
