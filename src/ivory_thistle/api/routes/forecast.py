"""Forecasts: what a treatment would bring, what other rules would change, and samples that make it surer."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query
from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import not_found
from ivory_thistle.api.figures import budget_state, images_by_path
from ivory_thistle.api.routes.captures import capture_of
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.core.forecast.pages import PageForecast, Range, Total, page_range
from ivory_thistle.core.formats.tiers import TIERS, measured_tier
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import rules_of_tables
from ivory_thistle.core.treatment.sentences import sentences
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.at_hand import AtHand, stored_at_hand
from ivory_thistle.workflows.forecasting import Foretold, widest
from ivory_thistle.workflows.kept import kept_url
from ivory_thistle.workflows.sampling import ask_for_sample, foretell_stored, newest_sample
from ivory_thistle.workflows.settings import site_policy, site_rules

router = APIRouter(prefix="/captures/{capture_id}", tags=["treatment"])
of_sample = APIRouter(prefix="/samples/{sample_id}", tags=["treatment"])
_STEPS = 20
"""In which a forecast follows a sample, and what a run has sketched: of a large site, each takes seconds."""
_MOST_PAGES, _MOST_SEGMENTS = 5, 40


def foretold(session: Session, services: Services, capture_id: int, rules: Rules) -> Foretold:
    """The forecast by some rules, as long as nothing else is known of the capture."""
    _, site = capture_of(session, capture_id)
    sample, run = newest_sample(session, capture_id), _finished_runs(session, capture_id)
    known = f"{sample.id} {sample.total} {_steps(sample.done, sample.total)}" if sample else ""
    sketches = _sketches(session, capture_id)
    policy = site_policy(site)
    what = f"foretold {known} {sketches} {run} {json.dumps([rules.as_dict(), policy.as_dict()], sort_keys=True)}"

    def ask() -> Foretold:
        return foretell_stored(session, capture_id, _at_hand(session, services, capture_id), rules)

    return services.forecasts.get(capture_id, what, ask)


def _at_hand(session: Session, services: Services, capture_id: int) -> AtHand:
    return services.at_hand.get(capture_id, "", lambda: stored_at_hand(session, capture_id, services.blobs))


def _sketches(session: Session, capture_id: int) -> int:
    """How many images of the newest run are sketched, in steps: each costs a forecast."""
    newest = select(func.max(t.Run.id)).where(t.Run.capture_id == capture_id).scalar_subquery()
    row = session.execute(
        select(func.count(), func.count(case((t.Task.sketched, 1)))).where(t.Task.run_id == newest)
    ).one()
    return _steps(int(row[1]), int(row[0]))


def _steps(done: int, total: int) -> int:
    return _STEPS * done // max(1, total)


def _finished_runs(session: Session, capture_id: int) -> int | None:
    query = select(t.Run.id).where(t.Run.capture_id == capture_id, t.Run.finished_at.is_not(None))
    return session.scalar(query.order_by(t.Run.finished_at.desc()).limit(1))


@router.get("/forecast")
def get_forecast(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.Forecast:
    """What a treatment by the site's rules would bring."""
    _, site = capture_of(session, capture_id)
    rules = site_rules(site)
    told = foretold(session, services, capture_id, rules)
    reading = _at_hand(session, services, capture_id).site
    treated = [p for p in told.plans if p.steps]
    sample = newest_sample(session, capture_id)
    current = sample and Rules.from_dict(sample.rules) == rules
    return schemas.Forecast(
        rules=_rules_out(rules),
        images=len(treated),
        bytes=sum(p.image.facts.bytes for p in treated),
        renditions=told.files,
        left_alone=_left_alone(told.plans, sum(image.unused for image in reading.images)),
        sentences=_said(rules, told.plans, reading.is_pictures_alone),
        totals=totals_out(told.totals),
        seconds=schemas.RangeOut.model_validate(told.seconds),
        storage=schemas.RangeOut.model_validate(told.storage),
        known=told.learnt.known,
        sketched=told.sketched,
        measured=told.measured,
        pictures_alone=reading.is_pictures_alone,
        sample=schemas.SampleOut.model_validate(sample) if current else None,
    )


@router.get("/forecast/pages")
def get_forecast_pages(
    capture_id: int,
    session: SessionDep,
    services: ServicesDep,
    screen: str = "",
    tier: schemas.TierName | None = None,
    part: schemas.Part = "opening",
) -> schemas.PageForecasts:
    """The pages that would be furthest over their budgets, then the heaviest, on one screen in one tier."""
    _, site = capture_of(session, capture_id)
    policy, opening = site_policy(site), part == "opening"
    told = foretold(session, services, capture_id, site_rules(site))
    among = [page for page in told.pages if page.screen == screen and page.tier == (tier or measured_tier())]
    among.sort(key=lambda page: policy.allowed(page.page, screen).bytes - page.after(opening))
    rows = session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == capture_id))
    ids = {path: page_id for path, page_id in rows}  # noqa: C416 - a Result is no mapping
    images = images_by_path(session, capture_id)
    return schemas.PageForecasts(
        items=[
            schemas.PageForecastOut(
                page_id=ids[page.page],
                path=page.page,
                before=page.before(opening),
                after=(after := schemas.RangeOut.model_validate(
                    page_range(page, told.expected, told.learnt.site_spread, opening)
                )),
                allowed=(allowed := policy.allowed(page.page, screen).bytes),
                state_before=budget_state(page.before(opening), allowed),
                state_after=budget_state(after.likely, allowed),
                segments=_segments(page, images, opening),
            )
            for page in among[:_MOST_PAGES] if page.page in ids
        ],
        total=len(among),
        heaviest=max((page.before(opening) for page in among), default=0),
    )  # fmt: skip


@router.get("/decisions")
def get_decisions(
    capture_id: int,
    session: SessionDep,
    services: ServicesDep,
    ids: Annotated[list[int], Query(max_length=200)],
) -> list[schemas.Decision]:
    """What the site's rules make of some images, and why."""
    _, site = capture_of(session, capture_id)
    told = foretold(session, services, capture_id, site_rules(site))
    plans = {p.image.path: p for p in told.plans}
    rows = session.execute(
        select(t.Image.id, t.Image.path, t.Image.unused).where(t.Image.capture_id == capture_id, t.Image.id.in_(ids))
    )
    return [_decision(image_id, plans.get(path), told, unused) for image_id, path, unused in rows]


def _decision(image_id: int, planned: Plan | None, told: Foretold, unused: bool) -> schemas.Decision:
    if planned is None or not planned.steps:
        why = "No page uses it." if unused else "It is not treated."
        if planned:
            why = " ".join((planned.reason, *planned.decided))
        return schemas.Decision(image_id=image_id, said="stays as it is", why=why, bytes=None)
    expected = told.expected[planned.image.path]
    likely = widest(expected)
    widths = [f"{step.width:,}" for step in planned.steps]
    many = f"{widths[0]} to {widths[-1]} px in {len(widths)} widths" if len(widths) > 1 else f"{widths[0]} px"
    return schemas.Decision(
        image_id=image_id,
        said=many,
        why=" ".join(planned.decided) or f"As {planned.role}, by what holds for all images.",
        bytes=schemas.RangeOut.model_validate(Range.around(likely, likely * expected.spread)),
    )


@router.post("/forecast/preview")
def preview(
    capture_id: int, wanted: schemas.RuleTables, session: SessionDep, services: ServicesDep
) -> schemas.RulesPreview:
    """What other rules would change, before the site is held to them."""
    _, site = capture_of(session, capture_id)
    rules = rules_of_tables(wanted.model_dump())
    now, then = (foretold(session, services, capture_id, one) for one in (site_rules(site), rules))
    return schemas.RulesPreview(
        changed=_changed(now.plans, then.plans),
        now=totals_out(now.totals),
        then=totals_out(then.totals),
        seconds=schemas.RangeOut.model_validate(then.seconds),
        files=then.files,
    )


@router.post("/samples", status_code=201)
def start_sample(capture_id: int, session: SessionDep, services: ServicesDep) -> schemas.SampleOut | None:
    """Has some images treated in advance by the site's rules, while nothing else is going on.

    What is made is kept for a run. Nothing where such a sample was taken already, or where nothing can be kept.
    """
    _, site = capture_of(session, capture_id)
    if not kept_url():
        return None
    sample = ask_for_sample(session, capture_id, site_rules(site))
    session.flush()
    out = schemas.SampleOut.model_validate(sample)
    session.commit()
    services.jobs.wake()
    return out


@of_sample.get("")
def get_sample(sample_id: int, session: SessionDep) -> schemas.SampleOut:
    """One sample with its progress."""
    sample = session.get(t.Sample, sample_id)
    if not sample:
        raise not_found("sample")
    return schemas.SampleOut.model_validate(sample)


def totals_out(totals: Iterable[Total]) -> list[schemas.TotalForecast]:
    """Totals as they go over the wire."""
    return [
        schemas.TotalForecast(
            part="opening" if total.opening else "scrolled",
            **{name: getattr(total, name) for name in total.__dataclass_fields__ if name != "opening"},
        )
        for total in totals
    ]


def _said(rules: Rules, plans: Iterable[Plan], alone: bool) -> list[schemas.RuleSaid]:
    plans = tuple(plans)
    decided = Counter(words for p in plans for words in {w.split(": ")[0] for w in p.decided})
    return [
        schemas.RuleSaid(
            part=one.part, number=one.number, said=one.said, asks=one.asks,
            images=decided[rules.narrower[one.number].opening.split(": ")[0]] if one.part == "rule" else None,
            override=one.part == "rule" and rules.narrower[one.number].is_override,
        )
        for one in sentences(rules, alone)
    ]  # fmt: skip


def _left_alone(plans: Iterable[Plan], unused: int) -> list[schemas.LeftAlone]:
    reasons = Counter(_kind_of_reason(p.reason) for p in plans if p.reason)
    if unused:
        reasons["No page uses it."] = unused
    return [schemas.LeftAlone(reason=reason, count=count) for reason, count in reasons.most_common()]


def _kind_of_reason(reason: str) -> str:
    """A reason without what differs from image to image, for counting."""
    return reason.split(" (")[0].rstrip(".") + "." if " (" in reason else reason


def _rules_out(rules: Rules) -> schemas.RulesOut:
    qualities = {tier: rules.quality_for(tier) for tier in TIERS}
    return schemas.RulesOut.model_validate(rules.as_dict() | {"qualities": qualities})


def _segments(page: PageForecast, images: dict[str, int], opening: bool) -> list[schemas.Segment]:
    """The page's pictures as they are now, the heaviest first."""
    parts = [part for part in page.parts if part.path in images and (part.opening or not opening)]
    parts.sort(key=lambda part: -part.before)
    return [
        schemas.Segment(image_id=images[part.path], path=part.path, bytes=part.before)
        for part in parts[:_MOST_SEGMENTS]
    ]


def _changed(now: Sequence[Plan], then: Sequence[Plan]) -> int:
    """Of how many images other files would be made."""
    # Thousands of images share their rules: each two of these are compared once.
    known: dict[tuple[int, int], bool] = {}

    def are_alike(one: Rules, other: Rules) -> bool:
        both = id(one), id(other)
        if both not in known:
            known[both] = replace(one, names="") == replace(other, names="")
        return known[both]

    return sum(
        (a.steps, a.apart, a.reason) != (b.steps, b.apart, b.reason) or not are_alike(a.rules, b.rules)
        for a, b in zip(now, then, strict=True)
    )
