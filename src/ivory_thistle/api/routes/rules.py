"""Rules: what a site's images are treated by, under a name for other sites too, and single images overruled."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import not_found
from ivory_thistle.api.routes.captures import capture_of
from ivory_thistle.api.routes.sites import site_of
from ivory_thistle.api.selections import selected
from ivory_thistle.api.services import SessionDep
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.treatment.narrowing import overruled
from ivory_thistle.core.treatment.rule_values import CONDITIONS
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import (
    MOST_RULES,
    read_rules,
    rules_of_tables,
    tables_of,
    write_rules,
)
from ivory_thistle.core.treatment.sentences import sentences
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.settings import site_rules

of_site = APIRouter(prefix="/sites/{site_id}", tags=["treatment"])
of_capture = APIRouter(prefix="/captures/{capture_id}", tags=["treatment"])
named = APIRouter(prefix="/named-rules", tags=["treatment"])
_MOST_NAMED = 200


@of_site.get("/rules.toml")
def get_rules_as_toml(site_id: int, session: SessionDep) -> schemas.TomlText:
    """What the site's images are treated by, as TOML."""
    return schemas.TomlText(toml=write_rules(site_rules(site_of(session, site_id))))


@of_site.put("/rules.toml")
def put_rules_as_toml(site_id: int, wanted: schemas.TomlText, session: SessionDep) -> schemas.TomlText:
    """Takes rules over as a whole, or refuses them with line and reason; the answer is what held before."""
    site = site_of(session, site_id)
    before = write_rules(site_rules(site))
    site.rules = read_rules(wanted.toml).as_dict()
    return schemas.TomlText(toml=before)


@of_site.get("/rules")
def get_rules(site_id: int, session: SessionDep) -> schemas.RuleTables:
    """The same in the shape of the TOML."""
    return _tables(site_rules(site_of(session, site_id)))


@of_site.put("/rules")
def put_rules(site_id: int, wanted: schemas.RuleTables, session: SessionDep) -> schemas.RuleTables:
    """Takes rules over as a whole, or refuses them with place and reason; the answer is what held before."""
    site = site_of(session, site_id)
    before = _tables(site_rules(site))
    site.rules = rules_of_tables(wanted.model_dump()).as_dict()
    return before


@of_capture.post("/overrides")
def overrule(capture_id: int, body: schemas.Override, session: SessionDep) -> schemas.Overruled:
    """Decides for chosen images against the rules: that outlives captures, and is one of the rules.

    An image is known again by its path, and by its content where it has moved.
    """
    _, site = capture_of(session, capture_id)
    rules = site_rules(site)
    chosen = selected(capture_id, body.selection).with_only_columns(t.Image.path, t.Image.sha256)
    rows = {row.path: row.sha256 for row in session.execute(chosen)}
    settings: dict[str, Any] | None = body.settings.model_dump(exclude_none=True) if body.settings else None
    if body.entries is not None:
        named = {name: value for name, value in body.entries.items() if name not in CONDITIONS}
        settings = dict(rules_of_tables({"rule": [{"path": "any", **named}]}).narrower[0].settings)
    elif settings is not None and (not settings or {"fidelity", "cap"} <= settings.keys()):
        raise UnusableInput("Say what these images get: leave, max_width, focus, and one of fidelity and cap.")
    narrower = overruled(rules.narrower, rows, settings)
    if len(narrower) > MOST_RULES:
        raise UnusableInput(f"A site may have {MOST_RULES:,} rules; name so many by a pattern or a role instead.")
    site.rules = replace(rules, narrower=narrower).as_dict()
    return schemas.Overruled(changed=len(rows), toml=write_rules(rules))


@named.get("")
def list_named_rules(session: SessionDep) -> list[schemas.NamedRulesOut]:
    """All rules that have a name."""
    rows = session.scalars(select(t.NamedRules).order_by(t.NamedRules.name))
    return [_named_out(row) for row in rows]


@named.put("")
def name_rules(body: schemas.NameRules, session: SessionDep) -> schemas.NamedRulesOut:
    """Keeps rules under a name; what had that name before is replaced. Single images stay the site's own."""
    if body.tables:
        rules = rules_of_tables(body.tables.model_dump())
    else:
        rules = site_rules(site_of(session, body.site_id or 0))
    general = replace(rules, narrower=tuple(rule for rule in rules.narrower if not rule.is_override))
    row = _by_name(session, body.name)
    if row is None:
        if len(session.scalars(select(t.NamedRules.id)).all()) >= _MOST_NAMED:
            raise UnusableInput(f"There may be {_MOST_NAMED} named rules; forget some first.")
        row = t.NamedRules(name=body.name)
        session.add(row)
    row.rules, row.kept_at = general.as_dict(), t.now()
    session.flush()
    return _named_out(row)


@named.delete("", status_code=204)
def forget_rules(name: Annotated[str, Query(min_length=1, max_length=100)], session: SessionDep) -> None:
    """Forgets the name; sites that were held to these rules stay as they are."""
    row = _by_name(session, name)
    if row is None:
        raise not_found("name")
    session.delete(row)


def _by_name(session: Session, name: str) -> t.NamedRules | None:
    return session.scalar(select(t.NamedRules).where(t.NamedRules.name == name))


def _named_out(row: t.NamedRules) -> schemas.NamedRulesOut:
    rules = Rules.from_dict(row.rules)
    said = [f"{one.said}: {one.asks}" for one in sentences(rules)]
    return schemas.NamedRulesOut(name=row.name, said=said, tables=_tables(rules))


def _tables(rules: Rules) -> schemas.RuleTables:
    return schemas.RuleTables.model_validate(tables_of(rules))
