"""A run: progress, stopping, trying again, savings and handover."""

from __future__ import annotations

import re
import zlib
from typing import Annotated, Literal
from urllib.parse import quote

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import cursors, schemas
from ivory_thistle.api.errors import ProblemError, not_found
from ivory_thistle.api.figures import run_out
from ivory_thistle.api.routes.captures import Limit, capture_of
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.api.stopping import add_stop_and_continue
from ivory_thistle.core.rewriting.elsewhere import ElsewhereImage, images_elsewhere, suggested_markup
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.checks import verdict_on
from ivory_thistle.workflows.made import HandedOver, handover_of, made_by
from ivory_thistle.workflows.packing import entries, patch_stream, zip_stream
from ivory_thistle.workflows.proofs import said_of
from ivory_thistle.workflows.reported import report_name, stored_report, with_report
from ivory_thistle.workflows.runs import ask_again, ask_for_page_first

router = APIRouter(prefix="/runs/{run_id}", tags=["runs"])
_PATCH_HEADER, _MOST_LINES, _LONGEST_LINE = 3, 2_000, 2_000


def run_of(session: Session, run_id: int) -> t.Run:
    """The run, or a 404."""
    run = session.get(t.Run, run_id)
    if not run:
        raise not_found("run")
    return run


def _row(run_id: int, session: SessionDep) -> t.Run:
    return run_of(session, run_id)


def finished_run(session: Session, run_id: int, to_change: bool = False) -> t.Run:
    """The run, where it is done; others wait with changing it until this one is over."""
    run = run_of(session, run_id)
    if to_change:
        session.refresh(run, with_for_update=True)
    if run.state != State.DONE:
        raise ProblemError(409, "not-finished", "Not finished", "This run is not finished yet; wait for its end.")
    return run


def content_of(session: Session, run: t.Run, services: Services) -> str:
    """The SHA-256 of a run's handover as it is now."""
    what = f"content of {run.id} at {run.finished_at}"
    return services.counts.get(run.capture_id, what, lambda: handover_of(session, run, services.blobs).content)


@router.get("")
def get_run(run_id: int, session: SessionDep) -> schemas.Run:
    """One run with its progress."""
    return run_out(session, run_of(session, run_id))


# A run that is done may go on too: with the pictures that failed.
add_stop_and_continue(router, "run", _row, run_out, schemas.Run, (State.DONE,), ask_again)


@router.post("/first")
def put_page_first(run_id: int, wanted: schemas.PageFirst, session: SessionDep) -> schemas.PutFirst:
    """Treats the images of a page before all others that wait; the newest page that is asked for goes first."""
    run = run_of(session, run_id)
    page = session.get(t.Page, wanted.page_id)
    if page is None or page.capture_id != run.capture_id:
        raise not_found("page")
    return schemas.PutFirst(images=ask_for_page_first(session, run_id, page.id))


@router.get("/tasks")
def list_tasks(
    run_id: int,
    session: SessionDep,
    state: Literal["waiting", "done", "failed", "left"] | None = None,
    after: str | None = None,
    limit: Limit = 200,
) -> schemas.TaskList:
    """The run's images, the heaviest first."""
    run_of(session, run_id)
    query = select(t.Task, t.Image.path).join(t.Image, t.Image.id == t.Task.image_id).where(t.Task.run_id == run_id)
    if state:
        query = query.where(t.Task.state == state)
    rows = session.execute(cursors.after(query, t.Task.bytes_before, t.Task.id, True, after).limit(limit + 1)).all()
    items = [
        schemas.TaskRow(
            id=k.id, image_id=k.image_id, path=path, state=k.state, reason=k.reason, words=k.words,
            bytes_before=k.bytes_before, bytes_after=k.bytes_after, sketched=k.sketched,
        )
        for k, path in rows[:limit]
    ]  # fmt: skip
    last = rows[limit - 1][0] if len(rows) > limit else None
    return schemas.TaskList(items=items, next=cursors.encode(last.bytes_before, last.id) if last else None)


def file_name(site: t.Site, what: str) -> str:
    """The name of a file that a person is given of a site."""
    plain = re.sub(r"[^a-z0-9]+", "-", site.name.lower()).strip("-") or "site"
    return f"{plain}-{what}"


def attached(name: str) -> dict[str, str]:
    """The head that makes a browser keep an answer as a file."""
    return {"content-disposition": f'attachment; filename="{name}"'}


@router.get("/handover")
def get_handover(run_id: int, session: SessionDep, services: ServicesDep) -> schemas.HandoverOut:
    """What the handover of a finished run holds."""
    run = finished_run(session, run_id)
    what = f"handover of {run_id} at {run.finished_at}"
    return services.counts.get(run.capture_id, what, lambda: _handover(session, run, services))


def _handover(session: Session, run: t.Run, services: Services) -> schemas.HandoverOut:
    _, site = capture_of(session, run.capture_id)
    handed_over = handover_of(session, run, services.blobs)
    handover = handed_over.handover
    leaving = {one.path for one in entries(handed_over.site, handover)}
    leaving.add(report_name(handover, handed_over.site))
    return schemas.HandoverOut(
        files=len(leaving - {""}),
        new_files=len(handover.new_files),
        new_bytes=sum(f.bytes for f in handover.new_files),
        rewritten=list(handover.rewritten),
        faults=[schemas.FaultOut(kind=f.kind, path=f.path, message=f.message, line=f.line) for f in handover.faults],
        archive_name=file_name(site, "handover.zip"),
        patch_name=file_name(site, "changes.patch"),
        form=handed_over.form,
        demands_check=Rules.from_dict(run.rules).demand_check,
        renamed=len(handover.moved),
        not_renamed={path: why for path, why in handover.not_renamed.items() if path in handed_over.site.files},
        taken_back=len(run.taken_back or []),
    )


def _leaving(session: Session, run_id: int, services: Services) -> tuple[t.Site, HandedOver]:
    """What is handed over of a run, with what a check said of it; refused where the rules demand that it passed."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    handed_over = handover_of(session, run, services.blobs)
    verdict = verdict_on(session, run, handed_over.content)
    if Rules.from_dict(run.rules).demand_check and not (verdict and verdict.passed):
        words = "The rules of this run say that nothing leaves before a check has passed. Check the handover first."
        raise ProblemError(409, "not-checked", "Not checked", words)
    return site, handed_over.noting(verdict, said_of(session, run))


@router.get("/handover.zip", response_class=StreamingResponse)
def download_handover(
    run_id: int, session: SessionDep, services: ServicesDep, files_only: bool = False
) -> StreamingResponse:
    """The handover as a ZIP, written while it is sent. `files_only`: without the site's own files."""
    site, leaving = _leaving(session, run_id, services)
    told = with_report(leaving.handover, leaving.site, stored_report(session, run_of(session, run_id)))
    what = entries(leaving.site, told, files_only)
    stream = zip_stream(what, lambda content: services.blobs.parts(content.sha256))
    name = file_name(site, "new-files.zip" if files_only else "handover.zip")
    return StreamingResponse(stream, media_type="application/zip", headers=attached(name))


@router.get("/handover.patch", response_class=StreamingResponse)
def download_patch(run_id: int, session: SessionDep, services: ServicesDep, reverse: bool = False) -> StreamingResponse:
    """Every rewritten page and style sheet as a unified diff for `patch -p1` and `git apply`; `reverse`: back again."""
    site, leaving = _leaving(session, run_id, services)
    name = file_name(site, "changes-reverse.patch" if reverse else "changes.patch")
    stream = patch_stream(leaving.handover, leaving.read, reverse)
    return StreamingResponse(stream, media_type="text/x-diff", headers=attached(name))


@router.get("/elsewhere")
def list_elsewhere(
    run_id: int,
    session: SessionDep,
    services: ServicesDep,
    after: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    limit: Limit = 100,
) -> schemas.ElsewhereList:
    """Files that can't be rewritten, with the places in them that name images, and what could stand there."""
    run = finished_run(session, run_id)

    def every() -> list[ElsewhereImage]:
        of = handover_of(session, run, services.blobs)
        return list(images_elsewhere(of.site, of.read, of.deliveries))

    found = services.counts.get(run.capture_id, f"elsewhere of {run_id} at {run.finished_at}", every)
    return schemas.ElsewhereList(
        items=[schemas.ElsewhereImage.model_validate(one) for one in found[after : after + limit]],
        total=len(found),
        files=len({one.source for one in found}),
    )


@router.get("/images/{image_id}/markup")
def get_markup(run_id: int, image_id: int, session: SessionDep, services: ServicesDep) -> schemas.Markup:
    """Markup for one image with all that was made of it, to be copied."""
    run = finished_run(session, run_id)
    image = session.get(t.Image, image_id)
    if image is None or image.capture_id != run.capture_id:
        raise not_found("image")
    made = made_by(session, run, services.blobs)
    tag = f'<img src="/{quote(image.path)}" alt="">'
    text = suggested_markup(tag, image.path, made.deliveries, made.at_hand.site.by_path)
    return schemas.Markup(text=text)


@router.get("/handover/changes")
def get_changes(run_id: int, session: SessionDep, services: ServicesDep, path: str) -> schemas.ChangesOut:
    """Every changed line of one rewritten page or style sheet, with a few lines around each."""
    run = finished_run(session, run_id)

    def every() -> dict[str, bytes]:
        of = handover_of(session, run, services.blobs)
        parts = zip(of.handover.rewritten, patch_stream(of.handover, of.read), strict=True)
        return {path: zlib.compress(part) for path, part in parts}

    packed = services.counts.get(run.capture_id, f"changes of {run_id} at {run.finished_at}", every).get(path)
    if packed is None:
        raise not_found("rewritten file")
    lines = zlib.decompress(packed).decode("utf-8", "replace").split("\n")[_PATCH_HEADER:-1]
    shown = [line[:_LONGEST_LINE] for line in lines[:_MOST_LINES]]
    return schemas.ChangesOut(path=path, lines=shown, more=len(lines) - len(shown))
