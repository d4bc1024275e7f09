"""The report on a treatment: of a stored run, or of a folder treated without database."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, replace
from functools import cache
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.handed_in import read_json
from ivory_thistle.core.references.site import Image, SiteReading
from ivory_thistle.core.reports.as_json import read_report, report_json
from ivory_thistle.core.reports.audience import Audience, shares, usual_audience
from ivory_thistle.core.reports.groups import Group
from ivory_thistle.core.reports.report import (
    ByReference,
    Change,
    Checked,
    ImageLine,
    MadeFile,
    PageRow,
    Report,
)
from ivory_thistle.core.reports.weight import Measured, Weight
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.roles import matches
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.checks import counted, newest_check
from ivory_thistle.workflows.delivering import Handover, own_name
from ivory_thistle.workflows.manifest import MANIFEST_NAMES
from ivory_thistle.workflows.settings import site_connections, site_policy, site_screens

_FIGURES = ("opening", "scrolled", "requests_at_opening", "requests")


def site_audience(site: t.Site) -> Audience:
    """The shares of a site's visitors: its own where it has some, else what is usual; its page views."""
    usual = usual_audience(site_screens(site))
    own = site.audience or {}
    tiers = {tier: own.get("tiers", usual.tiers).get(tier, 0.0) for tier in TIERS}
    screens = {name: own.get("screens", usual.screens).get(name, 0.0) for name in usual.screens}
    # A tier or a screen may be gone since the shares were given.
    return Audience(
        shares(tiers) if any(tiers.values()) else usual.tiers,
        shares(screens) if any(screens.values()) else usual.screens,
        (site.views or {}).get("views", {}),
    )


def stored_rows(
    session: Session,
    run_id: int,
    view: tuple[str, Tier] | None = None,
    page_ids: Sequence[int] | None = None,
    changes: bool = False,
) -> list[PageRow]:
    """What pages of a run load: of one screen and tier, or of all; with what a check measured of this handover."""
    seen = _measured(session, run_id, page_ids)
    load = t.PageLoad
    columns = [getattr(load, f"{side}_{name}") for side in ("before", "after") for name in _FIGURES]
    query = (
        select(t.Page.path, load.page_id, load.screen, load.tier, *columns, *([load.changes] if changes else []))
        .join(t.Page, t.Page.id == load.page_id)
        .where(load.run_id == run_id)
        .order_by(load.id)
    )
    if view:
        query = query.where(load.screen == view[0], load.tier == view[1])
    if page_ids is not None:
        query = query.where(load.page_id.in_(page_ids))
    return [
        PageRow(
            page=path,
            screen=screen,
            tier=tier,
            before=Weight(*figures[:4]),
            after=Weight(*figures[4:8]),
            measured=seen.get((key, screen, tier)),
            changes=tuple(Change(_loaded(b), _loaded(a)) for b, a in figures[8]) if changes else (),
        )
        for path, key, screen, tier, *figures in session.execute(query)
        if tier in TIERS
    ]


def _loaded(plain: Sequence[Any] | None) -> Loaded | None:
    return Loaded(f"/{plain[0]}", plain[0], plain[1], bool(plain[2])) if plain else None


def _measured(session: Session, run_id: int, page_ids: Sequence[int] | None) -> dict[tuple[int, str, Tier], Measured]:
    """What the newest check saw, where nothing was wrong and the page is as it was then."""
    check = newest_check(session, run_id)
    if check is None:
        return {}
    now, then = (_taken_back(entries) for entries in (session.get_one(t.Run, run_id).taken_back, check.taken_back))
    load = t.CheckedLoad
    query = (
        select(t.Page.path, load.page_id, load.screen, load.tier, load.weights, load.timed)
        .join(t.Page, t.Page.id == load.page_id)
        .where(load.check_id == check.id, ~load.failed, load.weights.is_not(None))
    )
    if page_ids is not None:
        query = query.where(load.page_id.in_(page_ids))
    return {
        (key, screen, tier): _as_measured(weights, timed or {})
        for path, key, screen, tier, weights, timed in session.execute(query)
        if weights and now.get(path) == then.get(path)
    }


def _taken_back(entries: Sequence[Mapping[str, Any]] | None) -> dict[str, list[tuple[int, int]]]:
    found: dict[str, list[tuple[int, int]]] = defaultdict(list)
    for entry in entries or ():
        found[entry["page"]].append((entry["at"], entry["form"]))
    return found


def _as_measured(weights: Mapping[str, Any], timed: Mapping[str, Any]) -> Measured:
    old, new = timed.get("old") or {}, timed.get("new") or {}
    return Measured(
        before=Weight(**weights["before"]),
        after=Weight(**weights["after"]),
        paint_before=old.get("milliseconds"),
        paint_after=new.get("milliseconds"),
    )


def stored_by_reference(run: t.Run) -> ByReference:
    """The savings by reference of a finished run; without groups where it is from long ago."""
    savings = run.savings or {}
    plain = savings.get("by_reference")
    if plain:
        return ByReference(**{**plain, "groups": tuple(Group(**g) for g in plain["groups"])})
    return ByReference(savings.get("before", 0), {tier: savings[tier] for tier in TIERS if tier in savings})


def stored_report(session: Session, run: t.Run) -> Report:
    """The whole report on a finished run."""
    return replace(
        without_images(session, run),
        rows=tuple(stored_rows(session, run.id, changes=True)),
        images=tuple(_stored_lines(session, run)),
    )


def without_images(session: Session, run: t.Run) -> Report:
    """The report on a finished run, but for the single images."""
    capture = session.get_one(t.Capture, run.capture_id)
    site = session.get_one(t.Site, capture.site_id)
    return Report(
        site=site.name,
        form=Rules.from_dict(run.rules).form,
        screens=tuple(site_screens(site)),
        tiers=tuple(TIERS),
        rows=tuple(stored_rows(session, run.id)),
        by_reference=stored_by_reference(run),
        audience=site_audience(site),
        policy=site_policy(site),
        connections=tuple(site_connections(site)),
        checked=_checked(session, run.id),
    )


def stored_thumbnails(session: Session, run: t.Run, blobs: Blobs) -> Callable[[str], bytes | None]:
    """Small pictures of a run's images, by path."""
    rows = session.execute(
        select(t.Image.path, t.Image.thumbnail).where(
            t.Image.capture_id == run.capture_id, t.Image.thumbnail.is_not(None)
        )
    )
    digests = {path: digest for path, digest in rows if digest}
    return lambda path: blobs.get(digests[path]) if path in digests else None


def _checked(session: Session, run_id: int) -> Checked | None:
    check = newest_check(session, run_id)
    if check is None or check.state != State.DONE:
        return None
    loads, failed, _ = counted(session, check)
    at = check.finished_at.isoformat(timespec="minutes").replace("T", " ") + " UTC" if check.finished_at else ""
    return Checked(at, loads, failed)


def _stored_lines(session: Session, run: t.Run) -> Iterator[ImageLine]:
    files: dict[int, list[MadeFile]] = defaultdict(list)
    made = session.scalars(
        select(t.Rendition).join(t.Task, t.Task.id == t.Rendition.task_id).where(t.Task.run_id == run.id)
    )
    for r in made:
        files[r.task_id].append(MadeFile("", r.tier, r.format, r.width, r.height, r.bytes, r.score))
    rows = session.execute(
        select(t.Task, t.Image)
        .join(t.Image, t.Image.id == t.Task.image_id)
        .where(t.Task.run_id == run.id)
        .order_by(t.Image.bytes.desc(), t.Image.id)
    )
    for task, image in rows:
        yield ImageLine(
            path=image.path, format=image.format, width=image.width, height=image.height, bytes=image.bytes,
            role=task.role, kind=image.kind, pages=image.page_count,
            state="treated" if task.state == "done" else task.state, reason=task.reason,
            files=tuple(files.get(task.id, ())),
        )  # fmt: skip


_REPORT_NAMES = ("report.json", "handover-report.json")


def with_report(handover: Handover, site: SiteReading, report: Report) -> Handover:
    """The handover with its report in it, for `./thistle report`; where nothing leaves, nothing is added.

    What leaves may be served to everybody: how often pages are viewed is not in it.
    """
    name = report_name(handover, site)
    if not name:
        return handover
    public = replace(report, audience=replace(report.audience, views={}))
    return replace(handover, texts={**handover.texts, name: report_bytes(public)})


def report_name(handover: Handover, site: SiteReading) -> str:
    """What the report in a handover is called; empty where nothing leaves."""
    # A report in a site that was handed over before is ours.
    before = any(name in site.files for name in MANIFEST_NAMES)
    return own_name(site, _REPORT_NAMES, before) if handover.texts or handover.new_files else ""


def report_bytes(report: Report) -> bytes:
    """The report as JSON, as small as it can be."""
    return json.dumps(report_json(report), ensure_ascii=False, separators=(",", ":")).encode()


def report_in(folder: Folder) -> Report:
    """The report in a handed-over folder. Raises UnusableInput where there is none."""
    for name in _REPORT_NAMES:
        try:
            text = folder.read(name)
        except FileNotFoundError:
            continue
        return _well_typed(read_report(read_json(text)))
    raise UnusableInput(f"{folder.root} holds no report.json; treat it again, and hand it over anew.")


def _well_typed(report: Report) -> Report:
    """The same report, if every value is what its field says: whoever wrote it. Raises UnusableInput."""
    try:
        return _shape().validate_python(asdict(report))
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        place = ".".join(map(str, first["loc"]))
        raise UnusableInput(f"This report can't be read: {place}: {first['msg']}.") from error


@cache
def _shape() -> TypeAdapter[Report]:
    return TypeAdapter(Report)


def folder_report(
    site: SiteReading,
    form: str,
    screens: Sequence[Screen],
    rows: Iterable[PageRow],
    whole: ByReference,
    deliveries: Mapping[str, Delivery],
    reasons: Mapping[str, str],
    roles: Mapping[str, str],
) -> Report:
    """The report on a folder that was treated without database. `reasons` tell by path why an image was left alone."""
    return Report(
        site=_title(site),
        form=form,
        screens=tuple(screens),
        tiers=tuple(TIERS),
        rows=tuple(rows),
        by_reference=whole,
        audience=usual_audience(screens),
        images=tuple(_line(image, deliveries, reasons, roles) for image in site.images if image.pages),
    )


def _title(site: SiteReading) -> str:
    """What the site calls itself: the title of its first page. A folder's own name may tell too much."""
    titled = (page for page in site.pages if page.title)
    first = min(titled, key=lambda page: (page.path.count("/"), page.path != "index.html"), default=None)
    return first.title if first else "this site"


def _line(
    image: Image, deliveries: Mapping[str, Delivery], reasons: Mapping[str, str], roles: Mapping[str, str]
) -> ImageLine:
    facts = image.facts
    files = [f for path in image.paths if path in deliveries for f in deliveries[path].files]
    state = "treated" if files else "failed" if facts.problem else "left"
    return ImageLine(
        path=image.path, format=facts.format, width=facts.width, height=facts.height, bytes=facts.bytes,
        role=roles.get(image.path, ""), kind=image.look.kind if image.look else "", pages=len(image.pages),
        state=state, reason=reasons.get(image.path, ""),
        files=tuple(MadeFile(f.path, f.tier, f.format, f.width, f.height, f.bytes, f.score) for f in files),
    )  # fmt: skip


def chosen(
    report: Report,
    pages: Sequence[str] = (),
    screens: Collection[str] = (),
    tiers: Collection[Tier] = (),
    images: bool = True,
) -> Report:
    """A part of a report: pages by path or pattern, screens and tiers by name; all without.

    Raises UnusableInput for what the report does not have.
    """
    names = [s.name for s in report.screens]
    for what, wanted, there in (("screen", screens, names), ("tier", tiers, report.tiers)):
        unknown = next((name for name in wanted if name not in there), None)
        if unknown is not None:
            raise UnusableInput(f"The report has no {what} {unknown!r}; it has {', '.join(there)}.")
    rows = tuple(
        row
        for row in report.rows
        if (not pages or any(matches(pattern, row.page) for pattern in pages))
        and (not screens or row.screen in screens)
        and (not tiers or row.tier in tiers)
    )
    if report.rows and not rows:
        raise UnusableInput(f"The report has no page {', '.join(pages)!r}.")
    return replace(
        report,
        rows=rows if images else tuple(replace(row, changes=()) for row in rows),
        screens=tuple(s for s in report.screens if not screens or s.name in screens),
        tiers=tuple(tier for tier in report.tiers if not tiers or tier in tiers),
        images=report.images if images else (),
    )
