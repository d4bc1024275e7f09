"""Decisions on words as they are stored: they belong to a site and outlive its captures."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import sha256

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ivory_thistle.store import tables as t
from ivory_thistle.workflows.wording import Kind, Wording

Place = tuple[Kind, str, str]
"""Kind, page (empty for a name), and image path."""


def stored_wording(session: Session, site_id: int) -> Wording:
    """All that was decided for a site."""
    rows = session.scalars(select(t.WordingChoice).where(t.WordingChoice.site_id == site_id)).all()
    return Wording(
        {(row.page, row.path): row.text for row in rows if row.kind == "alternative"},
        {row.path: row.text for row in rows if row.kind == "name"},
    )


def decide(session: Session, site_id: int, choices: Sequence[tuple[Place, str | None]]) -> None:
    """Keeps decisions; None takes one back."""
    gone = [_hash(place) for place, text in choices if text is None]
    if gone:
        session.execute(
            delete(t.WordingChoice).where(t.WordingChoice.site_id == site_id, t.WordingChoice.place_hash.in_(gone))
        )
    rows = [
        {"site_id": site_id, "kind": p[0], "page": p[1], "path": p[2], "place_hash": _hash(p), "text": text}
        for p, text in choices
        if text is not None
    ]
    if rows:
        written = insert(t.WordingChoice)
        session.execute(written.on_duplicate_key_update(text=written.inserted.text), rows)


def _hash(place: Place) -> bytes:
    return sha256("\0".join(place).encode()).digest()
