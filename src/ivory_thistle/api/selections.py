"""Filters and selections of images as database queries."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import exists, func, select

from ivory_thistle.api import schemas
from ivory_thistle.api.errors import ProblemError
from ivory_thistle.store import tables as t


def filtered(
    capture_id: int, wanted: schemas.ImageFilter, found: Sequence[int] | None = None, common: bool = False
) -> Any:
    """The images of a capture that a filter lets through, as a query.

    `found` are the images (ids) whose paths hold what is searched, where that is known already. `common`: so many have
    the findings asked for that a sorted walk soon meets enough of them.
    """
    query = select(t.Image).where(t.Image.capture_id == capture_id)
    if wanted.search and found is not None:
        query = query.where(t.Image.id.in_(found))
    elif wanted.search:
        escaped = wanted.search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        query = query.where(func.lower(t.Image.path).like(f"%{escaped.lower()}%"))
    for values, column in (
        (wanted.format, t.Image.format),
        (wanted.kind, t.Image.kind),
        (wanted.role, t.Image.role),
        (wanted.folder, t.Image.folder),
    ):
        if values:
            query = query.where(column.in_(values))
    codes = codes_of(wanted)
    if codes:
        if common:
            here = (t.Finding.image_id == t.Image.id, t.Finding.code.in_(codes))
            query = query.where(exists(select(t.Finding.id).where(*here)))
        else:
            query = query.where(t.Image.id.in_(having(capture_id, codes)))
    if wanted.page_id is not None:
        named = select(t.Placement.image_id).where(
            t.Placement.page_id == wanted.page_id, t.Placement.image_id.is_not(None)
        )
        query = query.where(t.Image.id.in_(named))
    if wanted.show == "unused":
        query = query.where(t.Image.unused.is_(True))
    elif wanted.show == "copies":
        query = query.where(t.Image.copies > 1)
    elif wanted.show == "unreadable":
        query = query.where(t.Image.problem != "")
    return query


def codes_of(wanted: schemas.ImageFilter) -> list[str]:
    """The finding codes of which an image must have one; none where that does not matter."""
    return [*wanted.finding, *(["over-cap"] if wanted.show == "over-cap" else [])]


def having(capture_id: int, codes: Sequence[str]) -> Any:
    """The images (ids) with a finding of one of these codes."""
    among = (t.Finding.capture_id == capture_id, t.Finding.code.in_(codes), t.Finding.image_id.is_not(None))
    return select(t.Finding.image_id).where(*among)


def selected(capture_id: int, selection: schemas.Selection) -> Any:
    """The images that a selection means, as a query. Raises ProblemError for an empty one."""
    if selection.filter is not None:
        query = filtered(capture_id, selection.filter)
        return query.where(t.Image.id.not_in(selection.without)) if selection.without else query
    if not selection.ids:
        raise ProblemError(422, "nothing-selected", "Nothing selected", "Choose at least one image.")
    return select(t.Image).where(t.Image.capture_id == capture_id, t.Image.id.in_(selection.ids))
