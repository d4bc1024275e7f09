"""Words for images: what is missing, what is suggested, and what was decided."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import ProblemError
from ivory_thistle.api.routes.captures import Limit, capture_of
from ivory_thistle.api.services import Services, ServicesDep, SessionDep
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.at_hand import stored_at_hand
from ivory_thistle.workflows.worded import Place, decide, stored_wording
from ivory_thistle.workflows.wording import WordingRow, checked_name, decided, file_names, without_alternative

router = APIRouter(prefix="/captures/{capture_id}/wording", tags=["wording"])


@router.get("/{kind}")
def list_wording(
    capture_id: int,
    kind: schemas.WordingKind,
    session: SessionDep,
    services: ServicesDep,
    only: str = "",
    after: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    limit: Limit = 100,
) -> schemas.WordingList:
    """Images without alternative text, or image files by name; `only` "open" leaves out what is decided."""
    capture, site = capture_of(session, capture_id)
    rows = decided(_rows(session, capture.id, kind, services), stored_wording(session, site.id))
    shown = [row for row in rows if row.text is None] if only == "open" else rows
    part = shown[after : after + limit]
    paths = {row.path for row in part}
    found = select(t.CaptureFile.path, t.CaptureFile.image_id).where(
        t.CaptureFile.capture_id == capture_id, t.CaptureFile.path.in_(paths)
    )
    ids = dict(session.execute(found).all())
    return schemas.WordingList(
        items=[schemas.WordingRow.model_validate({**_plain(row), "image_id": ids.get(row.path)}) for row in part],
        total=len(shown),
        decided=sum(row.text is not None for row in rows),
        suggested=sum(row.text is None and row.suggestion is not None for row in rows),
    )


def _plain(row: WordingRow) -> dict[str, object]:
    return {name: getattr(row, name) for name in WordingRow.__dataclass_fields__}


def _rows(session: Session, capture_id: int, kind: schemas.WordingKind, services: Services) -> list[WordingRow]:
    def count() -> list[WordingRow]:
        at_hand = stored_at_hand(session, capture_id, services.blobs)
        if kind == "name":
            return file_names(at_hand.site, at_hand.read)
        return without_alternative(at_hand.site, at_hand.read, at_hand.roles)

    return services.counts.get(capture_id, f"wording {kind}", count)


@router.put("")
def put_wording(
    capture_id: int, body: schemas.WordingChoices, session: SessionDep, services: ServicesDep
) -> schemas.WordingChoices:
    """Keeps decisions, and answers with what was decided there before, which undoes them."""
    _, site = capture_of(session, capture_id)
    before = stored_wording(session, site.id)
    places: list[tuple[Place, str | None]] = []
    answer = []
    for choice in body.choices:
        text = choice.text
        if choice.kind == "name" and text is not None:
            text = _name(text)
        places.append(((choice.kind, "" if choice.kind == "name" else choice.page, choice.path), text))
        was = (
            before.names.get(choice.path)
            if choice.kind == "name"
            else before.alternatives.get((choice.page, choice.path))
        )
        answer.append(choice.model_copy(update={"text": was}))
    decide(session, site.id, places)
    return _answered(session, services, capture_id, answer)


@router.post("/{kind}/suggestions")
def take_suggestions(
    capture_id: int, kind: schemas.WordingKind, session: SessionDep, services: ServicesDep
) -> schemas.WordingChoices:
    """Takes every suggestion where nothing is decided yet, and answers with what undoes that."""
    capture, site = capture_of(session, capture_id)
    rows = decided(_rows(session, capture.id, kind, services), stored_wording(session, site.id))
    chosen = [row for row in rows if row.text is None and row.suggestion is not None]
    decide(session, site.id, [((row.kind, row.page, row.path), row.suggestion) for row in chosen])
    answer = [schemas.WordingChoice(kind=row.kind, page=row.page, path=row.path, text=None) for row in chosen]
    return _answered(session, services, capture_id, answer[:5000])


def _answered(
    session: Session, services: Services, capture_id: int, answer: list[schemas.WordingChoice]
) -> schemas.WordingChoices:
    session.commit()
    services.counts.forget(capture_id)
    return schemas.WordingChoices(choices=answer)


def _name(text: str) -> str:
    try:
        return checked_name(text)
    except UnusableInput as error:
        raise ProblemError(422, "unusable-name", "Unusable name", str(error)) from error
