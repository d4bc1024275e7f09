"""What all answers share."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

BudgetState = Literal["within", "near", "over"]


Bytes = Annotated[int, Field(ge=1, le=1_000_000_000_000)]


class Out(BaseModel):
    """Base of answers: built from rows as well as from values."""

    model_config = ConfigDict(from_attributes=True)


def _in_utc(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
"""A time with its offset: the database keeps UTC without one."""


class Room(Out):
    """What a part of the data folder takes; `spare` bytes are needed by nothing any more."""

    kind: Literal["contents", "database", "uploads", "staging"]
    bytes: int
    files: int
    spare: int


class Cleared(Out):
    """How many bytes were freed."""

    bytes: int


class Problem(BaseModel):
    """RFC 9457 problem details. `type` is a stable code of ours, `detail` is written for the person."""

    type: str
    title: str
    status: int
    detail: str


class Health(Out):
    """Whether the application and its database answer."""

    status: Literal["ok"]
    version: str
