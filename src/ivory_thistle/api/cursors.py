"""Keyset pages: where the last page ended, as an opaque text."""

from __future__ import annotations

import base64
import json
from typing import Any

from sqlalchemy import ColumnElement, and_, or_
from sqlalchemy.orm import InstrumentedAttribute

from ivory_thistle.api.errors import ProblemError

_MOST = 2**62
"""No number in the database is larger."""


def encode(value: Any, row_id: int) -> str:
    """The cursor after a row with this sort value and id."""
    return base64.urlsafe_b64encode(json.dumps([value, row_id]).encode()).decode().rstrip("=")


def after(
    query: Any,
    column: InstrumentedAttribute[Any],
    row_id: InstrumentedAttribute[int],
    descending: bool,
    cursor: str | None,
) -> Any:
    """The query ordered by column and id, from after the cursor on. Raises ProblemError for a broken one."""
    if cursor:
        try:
            value, last = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
            kinds = (str,) if column.type.python_type is str else (int, float)
            numbers = [last] if kinds == (str,) else [last, value]
            if not isinstance(value, kinds) or not all(type(n) in (int, float) and abs(n) < _MOST for n in numbers):
                raise ValueError("not what a list of this order gives")
            last = int(last)
        except (ValueError, TypeError, RecursionError) as error:
            raise ProblemError(422, "invalid-cursor", "Unusable cursor", "Ask for the list from its start.") from error
        past: ColumnElement[bool] = column < value if descending else column > value
        past_id = row_id < last if descending else row_id > last
        query = query.where(or_(past, and_(column == value, past_id)))
    if descending:
        return query.order_by(column.desc(), row_id.desc())
    return query.order_by(column, row_id)
