"""Savings of a run: what pages load before and after, for whom, and the report on it."""

from __future__ import annotations

import asyncio
import json
from collections import defaultdict
from collections.abc import Callable, Sequence
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request, Response
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import ProblemError, not_found
from ivory_thistle.api.figures import budget_state, held_against, images_by_path, newest_capture, segments
from ivory_thistle.api.routes.captures import Limit, capture_of
from ivory_thistle.api.routes.runs import attached, file_name, finished_run
from ivory_thistle.api.routes.sites import site_of
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS, measured_tier
from ivory_thistle.core.reports.as_csv import report_csv
from ivory_thistle.core.reports.as_json import report_json
from ivory_thistle.core.reports.as_markdown import report_markdown
from ivory_thistle.core.reports.audience import MOST_VIEW_BYTES, Audience, read_views, shares
from ivory_thistle.core.reports.browser_shares import SHARES_DATE, SHARES_SOURCE
from ivory_thistle.core.reports.report import PageRow, Report, expected, states, still_over, totals
from ivory_thistle.core.reports.weight import Weight
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.report_page import report_html, report_pdf
from ivory_thistle.workflows.reported import (
    chosen,
    site_audience,
    stored_by_reference,
    stored_report,
    stored_rows,
    stored_thumbnails,
    without_images,
)
from ivory_thistle.workflows.settings import site_connections, site_policy, site_screens

router = APIRouter(prefix="/runs/{run_id}", tags=["savings"])
of_site = APIRouter(prefix="/sites/{site_id}", tags=["savings"])
_MOST_SEGMENTS = 60
_PARTS: tuple[schemas.Part, ...] = ("opening", "scrolled")
Order = Literal["before", "after", "saved", "share", "page"]
Form = Literal["html", "pdf", "csv", "json", "md"]
Names = Annotated[list[Annotated[str, Field(max_length=2048)]], Query(max_length=200)]


@router.get("/savings")
def get_savings(run_id: int, session: SessionDep) -> schemas.SavingsOut:
    """Bytes before and after: by reference in each tier, and as loaded on each screen in each tier."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    whole, report = stored_by_reference(run), without_images(session, run)
    pages = _by_reference(session, run, site)
    return schemas.SavingsOut(
        before=whole.before,
        after=dict(whole.after),
        groups=[schemas.GroupOut.model_validate(g) for g in whole.groups],
        new_files=whole.new_files,
        new_bytes=whole.new_bytes,
        pages=pages,
        pages_over_before=sum(p.state_before == "over" for p in pages),
        pages_over_after=sum(p.after[measured_tier()] > p.allowed for p in pages),
        heaviest=max((p.before for p in pages), default=0),
        totals=[
            schemas.TotalOut(part=part, **{name: getattr(one, name) for name in one.__dataclass_fields__})
            for part in _PARTS
            for one in totals(report, part == "opening")
        ],
        expected=schemas.ExpectedOut.model_validate(expected(report)) if report.rows else None,
        audience=_audience_out(site, report.audience, report.pages),
        outcomes=_outcomes(session, run_id),
        loads=schemas.LoadReport.model_validate(run.report) if run.report else None,
    )


def _by_reference(session: Session, run: t.Run, site: t.Site) -> list[schemas.PageSaving]:
    policy = site_policy(site)
    rows = session.execute(
        select(t.PageSaving, t.Page.path)
        .join(t.Page, t.Page.id == t.PageSaving.page_id)
        .where(t.PageSaving.run_id == run.id)
        .order_by(t.PageSaving.before.desc(), t.PageSaving.page_id)
    ).all()
    after: dict[int, dict[str, int]] = defaultdict(dict)
    for s, _ in rows:
        after[s.page_id][s.tier] = s.after
    parts = segments(session, list(after))
    return [
        schemas.PageSaving(
            page_id=s.page_id, path=path, before=s.before, after=after[s.page_id],
            state_before=budget_state(s.before, policy.allowed(path).bytes),
            segments=parts[s.page_id],
            allowed=policy.allowed(path).bytes,
        )
        for s, path in rows if s.tier == measured_tier()
    ]  # fmt: skip


def _audience_out(site: t.Site, audience: Audience, pages: Sequence[str]) -> schemas.AudienceOut:
    own = site.audience or {}
    return schemas.AudienceOut(
        tiers=dict(audience.tiers), screens=dict(audience.screens), own_tiers=bool(own.get("tiers")),
        own_screens=bool(own.get("screens")), views=audience.total_views(pages),
        views_pages=len(audience.views.keys() & set(pages)), source=SHARES_SOURCE, date=SHARES_DATE,
    )  # fmt: skip


def _outcomes(session: Session, run_id: int) -> list[schemas.Outcome]:
    rows = session.execute(
        select(t.Task.state, func.count(), func.sum(t.Task.bytes_before))
        .where(t.Task.run_id == run_id)
        .group_by(t.Task.state)
    )
    return [
        schemas.Outcome.model_validate(
            {"state": "treated" if state == "done" else state, "images": count, "bytes": int(size or 0)}
        )
        for state, count, size in rows
    ]


@router.get("/savings/pages")
def list_page_savings(
    run_id: int,
    session: SessionDep,
    screen: str,
    tier: schemas.TierName | None = None,
    part: schemas.Part = "opening",
    order: Order = "before",
    find: Annotated[str, Query(max_length=500)] = "",
    only: Literal["", "over", "heavier"] = "",
    after: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    limit: Limit = 100,
) -> schemas.PagesSaved:
    """Pages on one screen in one tier; `find` is a part of their paths, `only` those over budget or heavier now."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    policy, opening = site_policy(site), part == "opening"
    every = stored_rows(session, run_id, (screen, tier or measured_tier()))
    wanted = [
        row
        for row in every
        if find.lower() in row.page.lower()
        and (only != "over" or states(row, policy, opening)[1] == "over")
        and (only != "heavier" or row.is_heavier)
    ]
    wanted.sort(key=_sorting(order, opening))
    shown = wanted[after : after + limit]
    ids = dict(session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == run.capture_id)).all())
    heaviest = max((max(r.before.bytes(opening), r.after.bytes(opening)) for r in every), default=0)
    images = images_by_path(session, run.capture_id)
    told = stored_rows(session, run_id, (screen, tier or measured_tier()), [ids[row.page] for row in shown], True)
    parts = {row.page: _segments(row, opening, images) for row in told}
    return schemas.PagesSaved(
        items=[_page_saved(row, ids[row.page], site, opening, parts.get(row.page, [])) for row in shown],
        total=len(wanted),
        heaviest=heaviest,
    )


def _sorting(order: Order, opening: bool) -> Callable[[PageRow], tuple[float, str]]:
    def value(row: PageRow) -> tuple[float, str]:
        before, after = row.before.bytes(opening), row.after.bytes(opening)
        by = {
            "before": -before, "after": -after, "saved": after - before, "share": after / before if before else 1.0,
            "page": 0,
        }  # fmt: skip
        return by[order], row.page

    return value


def _segments(row: PageRow, opening: bool, images: dict[str, int]) -> list[schemas.Segment]:
    files = [c.before for c in row.changes if c.before and (c.before.opening or not opening)]
    files.sort(key=lambda f: -f.bytes)
    return [schemas.Segment(image_id=images.get(f.path, 0), path=f.path, bytes=f.bytes) for f in files[:_MOST_SEGMENTS]]


def _page_saved(
    row: PageRow, page_id: int, site: t.Site, opening: bool, parts: list[schemas.Segment]
) -> schemas.PageSaved:
    policy, lines, seen = site_policy(site), site_connections(site), row.measured
    was, now = states(row, policy, opening)
    sizes = row.before.bytes(opening), row.after.bytes(opening)

    def weight(of: Weight) -> schemas.WeightOut:
        return schemas.WeightOut(bytes=of.bytes(opening), requests=of.count(opening))

    return schemas.PageSaved(
        page_id=page_id, path=row.page, before=weight(row.before), after=weight(row.after),
        measured_before=weight(seen.before) if seen else None, measured_after=weight(seen.after) if seen else None,
        paint_before=seen.paint_before if seen else None, paint_after=seen.paint_after if seen else None,
        heavier=row.is_heavier, state_before=was, state_after=now,
        seconds_before=[line.seconds(sizes[0]) for line in lines],
        seconds_after=[line.seconds(sizes[1]) for line in lines],
        segments=parts, **held_against(policy, row.page, row.screen),
    )  # fmt: skip


@router.get("/savings/pages/{page_id}")
def get_page_changes(
    run_id: int,
    page_id: int,
    session: SessionDep,
    screen: str,
    tier: schemas.TierName | None = None,
    part: schemas.Part = "opening",
) -> schemas.PageChanges:
    """The pictures that make up a page's weight before and after, the heaviest first."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    rows = stored_rows(session, run_id, (screen, tier or measured_tier()), [page_id], True)
    if not rows:
        raise not_found("page")
    row, images = rows[0], images_by_path(session, run.capture_id)
    said = (
        select(t.Image.path, t.Task.reason)
        .join(t.Task, t.Task.image_id == t.Image.id)
        .where(t.Task.run_id == run_id, t.Task.reason != "")
    )
    reasons = dict(session.execute(said).all())
    over = still_over([row], site_policy(site), part == "opening")
    return schemas.PageChanges(
        page_id=page_id,
        path=row.page,
        changes=[
            schemas.ChangeOut(
                image_id=images.get(c.before.path) if c.before else None,
                before=_file(c.before),
                after=_file(c.after),
                reason=reasons.get(c.before.path, "") if c.before and c.before == c.after else "",
            )
            for c in row.changes
        ],
        needed=over[0].words if over else "",
    )


def _file(loaded: Loaded | None) -> schemas.FileLoaded | None:
    return schemas.FileLoaded(path=loaded.path, bytes=loaded.bytes, opening=loaded.opening) if loaded else None


_TYPES: dict[Form, str] = {
    "html": "text/html", "pdf": "application/pdf", "csv": "text/csv", "json": "application/json", "md": "text/markdown",
}  # fmt: skip


@router.get("/report.{form}", response_class=Response)
def download_report(
    run_id: int,
    form: Form,
    session: SessionDep,
    services: ServicesDep,
    page: Names = [],  # noqa: B006 - the framework copies it
    screen: Names = [],  # noqa: B006
    tier: Names = [],  # noqa: B006
    images: bool = True,
) -> Response:
    """The report on a run, to be sent: pages by path or pattern, screens and tiers by name; everything without."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    report = chosen(stored_report(session, run), page, screen, tier, images)
    small = stored_thumbnails(session, run, services.blobs)
    written: dict[Form, Callable[[Report], bytes]] = {
        "html": lambda r: report_html(r, small),
        "pdf": lambda r: report_pdf(r, small),
        "csv": report_csv,
        "json": lambda r: json.dumps(report_json(r), ensure_ascii=False).encode(),
        "md": lambda r: report_markdown(r).encode(),
    }
    return Response(written[form](report), media_type=_TYPES[form], headers=attached(file_name(site, f"report.{form}")))


@of_site.put("/audience")
def change_audience(site_id: int, body: schemas.AudienceChange, session: SessionDep) -> schemas.AudienceOut:
    """Gives the shares of a site's visitors, or goes back to the usual ones."""
    site = site_of(session, site_id)
    screens = [s.name for s in site_screens(site)]
    kept = {}
    for what, given, there in (("tier", body.tiers, list(TIERS)), ("screen", body.screens, screens)):
        unknown = next((name for name in given or {} if name not in there), None)
        if unknown is not None:
            raise UnusableInput(f"There is no {what} {unknown[:40]!r}; there are {', '.join(there)}.")
        if given is not None:
            kept[f"{what}s"] = shares(given)
    site.audience = kept or None
    return _site_audience(session, site)


def _site_audience(session: Session, site: t.Site) -> schemas.AudienceOut:
    return _audience_out(site, site_audience(site), _pages_of(session, site))


def _pages_of(session: Session, site: t.Site) -> list[str]:
    capture = newest_capture(session, site.id)
    return list(session.scalars(select(t.Page.path).where(t.Page.capture_id == (capture.id if capture else 0))))


@of_site.put("/views")
async def add_views(site_id: int, request: Request, services: ServicesDep) -> schemas.ViewsOut:
    """Reads a month's page views from a CSV sent as the request's body, in place of those known before."""
    data = bytearray()
    async for piece in request.stream():
        data += piece
        if len(data) > MOST_VIEW_BYTES:
            raise ProblemError(413, "too-large", "Too large", f"A CSV may have {MOST_VIEW_BYTES / 1e6:.0f} MB.")
    # The loop that answers everybody else must not wait for a long table.
    return await asyncio.to_thread(_keep_views, site_id, bytes(data), services)


def _keep_views(site_id: int, data: bytes, services: Services) -> schemas.ViewsOut:
    with services.sessions.begin() as session:
        site = site_of(session, site_id)
        found = read_views(data, _pages_of(session, site), site_screens(site))
        site.views = {"views": {page: dict(counts) for page, counts in found.views.items()}}
    total = sum(sum(counts.values()) for counts in found.views.values())
    return schemas.ViewsOut(pages=len(found.views), views=total, problems=list(found.problems))


@of_site.delete("/views", status_code=204)
def remove_views(site_id: int, session: SessionDep) -> None:
    """Forgets the page views: all pages count alike again."""
    site_of(session, site_id).views = None


@of_site.get("/audience")
def get_audience(site_id: int, session: SessionDep) -> schemas.AudienceOut:
    """Who visits the site."""
    return _site_audience(session, site_of(session, site_id))
