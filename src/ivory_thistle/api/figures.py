"""Figures that several routes show: ledgers, segments, a run's progress."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.core.budgets.budget import state_of
from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.forecast.files import SKETCHING
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import measured_tier
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.roles import ROLES, Role
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.settings import lazy_attributes, site_connections, site_policy, site_screens
from ivory_thistle.workflows.workers import AT_ONCE

_MAX_SEGMENTS = 60
_LEAST_COST, _TENTH = 0.05, 0.1


def newest_capture(session: Session, site_id: int) -> t.Capture | None:
    """The capture that the site's screens show."""
    return session.scalar(select(t.Capture).where(t.Capture.site_id == site_id).order_by(t.Capture.id.desc()).limit(1))


def newest_run(session: Session, capture_id: int, done: bool = False) -> t.Run | None:
    """The capture's newest run, or its newest finished one."""
    query = select(t.Run).where(t.Run.capture_id == capture_id)
    if done:
        query = query.where(t.Run.state == State.DONE)
    return session.scalar(query.order_by(t.Run.id.desc()).limit(1))


def site_out(session: Session, site: t.Site) -> schemas.Site:
    """A site with its newest capture, run and ledger."""
    capture = newest_capture(session, site.id)
    run = newest_run(session, capture.id) if capture else None
    ready = capture is not None and capture.state == State.DONE
    return schemas.Site(
        id=site.id,
        name=site.name,
        page_budget=site.page_budget,
        screens=[schemas.Screen.model_validate(s) for s in site_screens(site)],
        connections=[schemas.Connection.model_validate(c) for c in site_connections(site)],
        lazy_attributes=list(lazy_attributes(site)),
        created_at=site.created_at,
        capture=schemas.Capture.model_validate(capture) if capture else None,
        run_id=run.id if run else None,
        run_state=run.state if run else None,
        run_going=run is not None and run.state.is_going,
        ledger=_ledger(session, site, capture) if capture and ready else None,
        pictures_alone=capture is not None and ready and capture.pages > 0 and not _has_pages(session, capture.id),
    )


def _has_pages(session: Session, capture_id: int) -> bool:
    """Whether there is any web page: else folders stand in the pages' place."""
    one = select(t.Page.id).where(t.Page.capture_id == capture_id, t.Page.kind != "folder").limit(1)
    return session.scalar(one) is not None


def _ledger(session: Session, site: t.Site, capture: t.Capture) -> schemas.Ledger:
    policy = site_policy(site)
    weights = session.execute(select(t.Page.path, t.Page.image_bytes).where(t.Page.capture_id == capture.id))
    over = pages_over(policy, weights)
    heavy = session.scalar(
        select(func.count(t.Finding.image_id.distinct())).where(
            t.Finding.capture_id == capture.id, t.Finding.code == "over-cap"
        )
    )
    done = newest_run(session, capture.id, done=True)
    after = done.savings[measured_tier()] if done and done.savings else None
    over_after = None
    if done:
        left = session.execute(
            select(t.Page.path, t.PageSaving.after)
            .join(t.Page, t.Page.id == t.PageSaving.page_id)
            .where(t.PageSaving.run_id == done.id, t.PageSaving.tier == measured_tier())
        )
        over_after = pages_over(policy, left)
    return schemas.Ledger(
        before=capture.used_bytes,
        after=after,
        saved=capture.used_bytes - after if after is not None else None,
        pages=capture.pages,
        pages_over=over,
        pages_over_after=over_after,
        images=capture.images,
        images_over_cap=heavy or 0,
    )


def segments(session: Session, page_ids: Sequence[int]) -> dict[int, list[schemas.Segment]]:
    """For each page its distinct image files, the heaviest first."""
    rows = session.execute(
        select(t.Placement.page_id, t.Placement.file, t.Image.id, t.Image.bytes)
        .join(t.Image, t.Image.id == t.Placement.image_id)
        .where(t.Placement.page_id.in_(page_ids))
        .distinct()
        .order_by(t.Image.bytes.desc(), t.Placement.file)
    )
    found: dict[int, list[schemas.Segment]] = defaultdict(list)
    for page_id, path, image_id, size in rows:
        if len(found[page_id]) < _MAX_SEGMENTS:
            found[page_id].append(schemas.Segment(image_id=image_id, path=path or "", bytes=size))
    return found


def images_by_path(session: Session, capture_id: int) -> dict[str, int]:
    """The images of a capture by the paths of their files."""
    found = select(t.CaptureFile.path, t.CaptureFile.image_id).where(
        t.CaptureFile.capture_id == capture_id, t.CaptureFile.image_id.is_not(None)
    )
    return dict(session.execute(found).all())  # type: ignore[arg-type]


def image_row(image: t.Image, policy: Policy, findings: Iterable[str] = ()) -> schemas.ImageRow:
    """One image as it stands in lists."""
    role: Role = next((r for r in ROLES if r == image.role), "content")
    held = image.page_count > 0 and image.width > 0 and not FORMATS[image.format].vector and not image.problem
    return schemas.ImageRow(
        id=image.id,
        path=image.path,
        format=image.format,
        width=image.width,
        height=image.height,
        bytes=image.bytes,
        copies=image.copies,
        page_count=image.page_count,
        unused=image.unused,
        problem=image.problem,
        cap=policy.cap(role).bytes,
        over_cap=held and policy.cap(role).is_exceeded(image.bytes, image.width),
        has_thumbnail=image.thumbnail is not None or FORMATS[image.format].vector,
        kind=image.kind,
        role=image.role,
        findings=list(findings),
    )


def placements_out(rows: Iterable[tuple[t.Placement, str]]) -> list[schemas.PlacementOut]:
    """Placements with the paths of their pages."""
    return [
        schemas.PlacementOut(
            id=p.id, page_id=p.page_id, page_path=path, image_id=p.image_id, file=p.file, address=p.address[:500],
            element=p.element, attribute=p.attribute, source=p.source, line=p.line, descriptor=p.descriptor, use=p.use,
        )
        for p, path in rows
    ]  # fmt: skip


def run_out(session: Session, run: t.Run) -> schemas.Run:
    """A run with its progress, rate and the time left."""
    state, task = t.Task.state, t.Task
    row = session.execute(
        select(
            func.count(case((state != "left", 1))),
            func.count(case((state == "done", 1))),
            func.count(case((state == "failed", 1))),
            func.count(case((state == "left", 1))),
            func.count(case(((state == "failed") & (func.json_length(task.widths) > 0), 1))),
            func.coalesce(func.sum(case((state == "done", task.bytes_before), else_=0)), 0),
            func.coalesce(func.sum(case((state == "done", task.bytes_after), else_=0)), 0),
            func.count(case((task.sketched, 1))),
        ).where(task.run_id == run.id)
    ).one()
    total, done, failed, left, again, before, after, sketched = (int(x) for x in row)
    rate, left_seconds = _pace(session, run, run.started_at) if run.started_at else (None, None)
    return schemas.Run(
        id=run.id,
        capture_id=run.capture_id,
        state=run.state,
        error=run.error,
        total=total,
        done=done,
        failed=failed,
        left_alone=left,
        sketched=sketched,
        sketching=bool(sketched) and run.state == State.RUNNING and _is_sketching(run),
        can_be_tried_again=again,
        bytes_before=before,
        bytes_after=after,
        rate=rate,
        seconds_left=left_seconds,
        compared=run.compared,
        to_compare=run.to_compare,
        created_at=run.created_at,
        started_at=run.started_at,
        finished_at=run.finished_at,
    )


def _is_sketching(run: t.Run) -> bool:
    return run.sketched_at is None or (run.started_at is not None and run.sketched_at < run.started_at)


def _pace(session: Session, run: t.Run, started_at: datetime) -> tuple[float | None, float | None]:
    """Megapixels a second, and the seconds that are left: by what images were expected to cost, and how that went.

    What is sketched counts for its share of what it is expected to cost.
    """
    begun = max(started_at, run.sketched_at or started_at)
    seconds = ((run.finished_at or t.now()) - begun).total_seconds()
    since = t.Task.finished_at >= begun
    cost, waits = t.Task.cost + _LEAST_COST, t.Task.state == "waiting"
    sketched, pays = waits & t.Task.sketched, waits & t.Task.pays_to_sketch & ~t.Task.sketched
    sums = ((since, t.Image.pixels), (since, cost), (waits, cost), (sketched, cost), (pays, cost))
    row = session.execute(
        select(*(func.coalesce(func.sum(case((which, what), else_=0)), 0) for which, what in sums))
        .join(t.Image, t.Image.id == t.Task.image_id)
        .where(t.Task.run_id == run.id, func.json_length(t.Task.widths) > 0)
    ).one()
    pixels, done, waiting, is_sketched, to_sketch = (float(x) for x in row)
    rate = pixels / 1e6 / seconds if pixels and seconds > 0 else None
    if run.state != State.RUNNING or not (done or waiting):
        return rate, None
    if is_sketched and _is_sketching(run):
        done, waiting = done + SKETCHING * is_sketched, waiting + SKETCHING * to_sketch
    return rate, _seconds_left(done, waiting, seconds, 1 / AT_ONCE)


def _seconds_left(done: float, waiting: float, seconds: float, expected: float) -> float:
    """What is waiting takes, by how what is done went; until that is a tenth, `expected` says more."""
    return waiting * (seconds / done if done and done >= _TENTH * (done + waiting) else expected)


def pages_over(policy: Policy, weights: Iterable[Any], screen: str = "") -> int:
    """How many of the pages (path, bytes) weigh more than their budget allows."""
    return sum(size > policy.allowed(path, screen).bytes for path, size in weights)


def held_against(policy: Policy, path: str, screen: str = "") -> dict[str, Any]:
    """What a page may load, and which budget says so, as it goes over the wire."""
    allowed = policy.allowed(path, screen)
    return {"allowed": allowed.bytes, "allowed_by": allowed.bytes_from.said}


def budget_state(used: int, allowed: int) -> schemas.BudgetState:
    """Within, near or over."""
    return state_of(used, allowed)
