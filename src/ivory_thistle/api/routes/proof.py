"""Proof of a run: the queue of what asks for eyes, one image beside its original, verdicts, and settings tried."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query
from fastapi.responses import Response
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api.errors import ProblemError, not_found
from ivory_thistle.api.routes.captures import capture_of, picture
from ivory_thistle.api.routes.runs import attached, file_name, finished_run
from ivory_thistle.api.schemas import library as schemas_of_library
from ivory_thistle.api.schemas import proof as schemas
from ivory_thistle.api.selections import filtered
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.treatment.rendition import RenditionFacts, facts_of
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.checks import say_of_image
from ivory_thistle.workflows.proof_page import MOST_SHOWN, proof_html
from ivory_thistle.workflows.proofs import InQueue, queue_of, queue_without_verdicts, say, stored_proof, with_verdicts
from ivory_thistle.workflows.settings import take_look_back
from ivory_thistle.workflows.trying import Box, CurvePoint, Sought, curve, reduced_original, still, try_setting
from ivory_thistle.workflows.workers import CallFailedError, WorkersError

router = APIRouter(prefix="/runs/{run_id}/proof", tags=["proof"])
_CURVE_SCORES = (40.0, 55.0, 65.0, 75.0, 85.0, 90.0)
_ANEW = ("tighter", "lighter")
_SHOWS: dict[str, Callable[[InQueue], bool]] = {
    "open": lambda one: not _said(one),
    "asking": lambda one: not _said(one) and bool(one.reasons),
    "accept": lambda one: _said(one) == "accept",
    "hold": lambda one: _said(one) == "hold",
    "redo": lambda one: _said(one) in _ANEW,
    "all": lambda one: True,
}


@router.get("")
def list_proof(
    run_id: int,
    session: SessionDep,
    services: ServicesDep,
    wanted: Annotated[schemas.ProofFilter, Query()],
    start: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 200,
) -> schemas.ProofList:
    """What the run made, those that ask for eyes first. What is not judged yet is judged in the background."""
    run = finished_run(session, run_id)
    queue = _queue(session, services, run)
    progress = _progress(queue)
    if progress.looked < progress.total:
        services.desk.judge(run_id, services.sessions, services.blobs)
    matching = _shown(session, run, queue, wanted)
    items = _rows(session, matching[start : start + limit])
    return schemas.ProofList(items=items, matching=len(matching), progress=progress)


@router.get("/progress")
def get_proof_progress(run_id: int, session: SessionDep, services: ServicesDep) -> schemas.ProofProgress:
    """How far people and scores have come; asking starts nothing."""
    return _progress(_queue(session, services, finished_run(session, run_id)))


@router.get("/page", response_class=Response)
def get_proof_page(run_id: int, session: SessionDep, services: ServicesDep) -> Response:
    """One page with the pairs that ask for eyes first, to be sent to whoever has to agree."""
    run = finished_run(session, run_id)
    _, site = capture_of(session, run.capture_id)
    page = proof_html(stored_proof(session, run, services.blobs, MOST_SHOWN), site.name)
    return Response(page, media_type="text/html", headers=attached(file_name(site, "proof.html")))


@router.post("/accepted")
def accept_rest(
    run_id: int, session: SessionDep, services: ServicesDep, wanted: Annotated[schemas.ProofFilter, Query()]
) -> schemas.Accepted:
    """Accepts all that a filter leaves and nobody has judged; notes stay."""
    run = finished_run(session, run_id, to_change=True)
    chosen = [one for one in _shown(session, run, _queue(session, services, run), wanted) if not _said(one)]
    for one in chosen:
        say(session, run, one.image, "accept", _note(one))
    return schemas.Accepted(images=[one.image.id for one in chosen])


@router.post("/accepted/taken-back")
def take_acceptance_back(
    run_id: int, accepted: schemas.Accepted, session: SessionDep, services: ServicesDep
) -> schemas.Accepted:
    """Takes back what was accepted together, where that still holds; notes stay."""
    run = finished_run(session, run_id, to_change=True)
    wanted = set(accepted.images)
    queue = _queue(session, services, run)
    chosen = [one for one in queue if one.image.id in wanted and _said(one) == "accept"]
    for one in chosen:
        say(session, run, one.image, None, _note(one))
    return schemas.Accepted(images=[one.image.id for one in chosen])


@router.get("/{image_id}")
def get_proof(run_id: int, image_id: int, session: SessionDep) -> schemas.ProofDetail:
    """One image of the run, with the worst spots and its boxes."""
    run = finished_run(session, run_id)
    one = _one(session, run, image_id)
    spots = one.judged.spots if one.judged else ()
    return schemas.ProofDetail(
        row=_rows(session, [one])[0],
        files=_files(session, [r.id for r in one.renditions]),
        spots=[
            schemas.ProofSpot(x=s.box.x, y=s.box.y, width=s.box.width, height=s.box.height, damage=s.damage)
            for s in spots
        ],
        boxes=_boxes(session, run.capture_id, image_id),
        words=one.task.words,
        frames=one.image.facts["frames"],
        worst_frame=one.judged.frame if one.judged else 0,
    )


@router.put("/{image_id}")
def judge_image(
    run_id: int, image_id: int, verdict: schemas.Verdict, session: SessionDep, services: ServicesDep
) -> schemas.VerdictOut:
    """Keeps what is said of an image. What is held stays as it was in savings and handover, at once.

    What is no longer to be made anew looks as the rules say again.
    """
    run = finished_run(session, run_id, to_change=True)
    image = _one(session, run, image_id).image
    said, note = say_of_image(session, run, image, verdict.said, verdict.note, services.blobs)
    changed = said in _ANEW and verdict.said not in _ANEW
    _, site = capture_of(session, run.capture_id)
    rules = take_look_back(site, image.path, image.sha256) if changed else None
    capture_id = run.capture_id
    session.commit()
    services.counts.forget(capture_id)
    return schemas.VerdictOut(said=verdict.said, note=verdict.note, before=said, note_before=note, rules_before=rules)


@router.get("/{image_id}/original/{rendition_id}", response_class=Response)
def get_reduced_original(
    run_id: int, image_id: int, rendition_id: int, session: SessionDep, services: ServicesDep
) -> Response:
    """The original at a rendition's width, as that is held against it."""
    sought, _ = _sought(session, services, run_id, image_id, rendition_id)
    data: bytes = _asked(services.desk.at_once, reduced_original, sought)
    return picture(data)


@router.get("/{image_id}/frames/{rendition_id}/{side}/{frame}", response_class=Response)
def get_frame(
    run_id: int,
    image_id: int,
    rendition_id: int,
    side: Literal["original", "rendition"],
    frame: Annotated[int, Path(ge=0, le=100_000)],
    session: SessionDep,
    services: ServicesDep,
) -> Response:
    """One frame of an animation, of the original or of a rendition, at the rendition's width."""
    sought, rendition = _sought(session, services, run_id, image_id, rendition_id)
    digest = sought.facts.sha256 if side == "original" else rendition.sha256
    data: bytes = _asked(services.desk.at_once, still, sought.blobs_url, digest, sought.width, frame)
    return picture(data)


@router.post("/{image_id}/trial")
def try_quality(
    run_id: int, image_id: int, trial: schemas.Trial, session: SessionDep, services: ServicesDep
) -> schemas.TrialOut:
    """A rendition at another quality; nothing is kept."""
    sought, rendition = _sought(session, services, run_id, image_id, trial.rendition)
    part = Box(**trial.part.model_dump()) if trial.part else None
    ask = services.desk.at_once if part else services.desk.soon
    how = facts_of(rendition).how or Settings()
    tried = _asked(ask, try_setting, sought, rendition.tier, trial.quality, how, part)
    box = tried.box
    return schemas.TrialOut(
        bytes=len(tried.data), score=tried.score, seconds=tried.seconds,
        picture=f"data:{tried.mime};base64,{b64encode(tried.data).decode()}",
        part=schemas.ProofSpot(x=box.x, y=box.y, width=box.width, height=box.height, damage="") if box else None,
    )  # fmt: skip


@router.get("/{image_id}/curve/{rendition_id}")
def get_curve(
    run_id: int, image_id: int, rendition_id: int, session: SessionDep, services: ServicesDep
) -> list[schemas.CurvePointOut]:
    """Bytes and score of a rendition's format at some qualities: what the search tried, and more in between."""
    sought, rendition = _sought(session, services, run_id, image_id, rendition_id)
    made = facts_of(rendition)
    how = made.how
    if how is None or made.quality is None:
        return []
    what = f"curve {rendition.sha256}"
    capture_id = finished_run(session, run_id).capture_id

    def ask() -> list[schemas.CurvePointOut]:
        points = _asked(services.desk.soon, curve, sought, made.tier, how, _tried(made), _CURVE_SCORES)
        return [schemas.CurvePointOut.model_validate(point) for point in points]

    return services.proofs.get(capture_id, what, ask)


def _asked(ask: Callable[..., Any], *arguments: Any) -> Any:
    """What the desk answers; what can't be shown is a problem with its reason."""
    try:
        return ask(*arguments)
    except (PictureError, EncodeError, CallFailedError, WorkersError) as error:
        raise ProblemError(422, "no-picture", "It can't be shown", str(error)) from error


def _sought(
    session: Session, services: Services, run_id: int, image_id: int, rendition_id: int
) -> tuple[Sought, t.Rendition]:
    row = session.execute(
        select(t.Image, t.Rendition)
        .join(t.Task, t.Task.image_id == t.Image.id)
        .join(t.Rendition, t.Rendition.task_id == t.Task.id)
        .where(t.Task.run_id == run_id, t.Image.id == image_id, t.Rendition.id == rendition_id)
    ).first()
    if row is None or row[1].tier not in TIERS:
        raise not_found("rendition")
    image, rendition = row
    return Sought(services.blobs.url, ImageFacts(**image.facts), rendition.width), rendition


def _one(session: Session, run: t.Run, image_id: int) -> InQueue:
    found = queue_of(session, run, image_id)
    if not found:
        raise not_found("treated image")
    return found[0]


def _queue(session: Session, services: Services, run: t.Run) -> list[InQueue]:
    """The queue with its verdicts; what does not depend on these is kept once everything has its score."""
    # A run whose failed images are tried again ends anew, with more in its queue.
    queue = services.proofs.get(
        run.capture_id, f"queue {run.id} {run.finished_at}", lambda: queue_without_verdicts(session, run),
        keeps=lambda found: all(one.is_looked_at for one in found),
    )  # fmt: skip
    return with_verdicts(session, run, queue)


def _shown(session: Session, run: t.Run, queue: Sequence[InQueue], wanted: schemas.ProofFilter) -> list[InQueue]:
    narrowing = wanted.model_dump(exclude={"show", "search"})
    among = None
    if any(narrowing.values()):
        query = filtered(run.capture_id, schemas_of_library.ImageFilter(**narrowing))
        among = set(session.scalars(query.with_only_columns(t.Image.id)))
    shows, search = _SHOWS[wanted.show], wanted.search.lower()
    return [
        one
        for one in queue
        if shows(one) and search in one.image.path.lower() and (among is None or one.image.id in among)
    ]


def _progress(queue: Sequence[InQueue]) -> schemas.ProofProgress:
    return schemas.ProofProgress(
        total=len(queue), looked=sum(one.is_looked_at for one in queue),
        said=sum(bool(_said(one)) for one in queue), held=sum(_said(one) == "hold" for one in queue),
        redo=[one.image.id for one in queue if _said(one) in _ANEW],
    )  # fmt: skip


def _said(one: InQueue) -> str:
    return one.said.verdict if one.said else ""


def _note(one: InQueue) -> str:
    return one.said.note if one.said else ""


def _rows(session: Session, queue: Sequence[InQueue]) -> list[schemas.ProofRow]:
    files = {file.id: file for file in _files(session, [one.chosen.id for one in queue])}
    return [_row(one, files[one.chosen.id]) for one in queue]


def _row(one: InQueue, chosen: schemas.ProofFile) -> schemas.ProofRow:
    return schemas.ProofRow(
        image_id=one.image.id, path=one.image.path, role=one.task.role, kind=one.image.kind,
        bytes_before=one.image.bytes, chosen=chosen,
        narrow_id=min(one.renditions, key=lambda r: (r.width, r.bytes)).id,
        score=one.judged.score if one.judged else None,
        goal=one.goal, reasons=list(one.reasons), why_not=one.why_not,
        said=_said(one) or None,  # type: ignore[arg-type]
        note=_note(one), has_thumbnail=one.image.has_thumbnail,
    )  # fmt: skip


def _files(session: Session, ids: Sequence[int]) -> list[schemas.ProofFile]:
    rows = session.scalars(select(t.Rendition).where(t.Rendition.id.in_(ids)).order_by(t.Rendition.id))
    return [_file(row) for row in rows]


def _file(rendition: t.Rendition) -> schemas.ProofFile:
    made = facts_of(rendition)
    return schemas.ProofFile(
        id=rendition.id, tier=rendition.tier, format=rendition.format, width=rendition.width,
        height=rendition.height, bytes=rendition.bytes, settings=rendition.settings, score=rendition.score,
        quality=made.quality, tried=[schemas.CurvePointOut.model_validate(p) for p in _tried(made)],
    )  # fmt: skip


def _tried(made: RenditionFacts) -> list[CurvePoint]:
    """What the search tried for a rendition, by rising quality."""
    return sorted((CurvePoint(p.setting, p.bytes, p.score) for p in made.points), key=lambda p: p.quality)


def _boxes(session: Session, capture_id: int, image_id: int) -> list[schemas.ProofBox]:
    """The widest box on each screen of the newest measurement."""
    newest = select(t.Measurement).where(t.Measurement.capture_id == capture_id).order_by(t.Measurement.id.desc())
    measurement = session.scalar(newest.limit(1))
    if measurement is None:
        return []
    density = {screen["name"]: float(screen["density"]) for screen in measurement.screens}
    rows = session.execute(
        select(t.PageScreen.screen, t.Slot.width, t.Slot.height)
        .join(t.Slot, t.Slot.page_screen_id == t.PageScreen.id)
        .where(t.PageScreen.measurement_id == measurement.id, t.Slot.image_id == image_id)
    )
    widest: dict[str, tuple[float, float]] = {}
    for screen, width, height in rows:
        if width > widest.get(screen, (0, 0))[0]:
            widest[screen] = (width, height)
    return [
        schemas.ProofBox(screen=screen, width=width, height=height, density=density.get(screen, 1.0))
        for screen, (width, height) in sorted(widest.items())
    ]
