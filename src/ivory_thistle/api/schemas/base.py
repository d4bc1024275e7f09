"""What all answers share."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, computed_field

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.narrowing import Fidelity
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.workflows.room import RoomKind

BudgetState = Literal["within", "near", "over"]


Bytes = Annotated[int, Field(ge=1, le=1_000_000_000_000)]


class Asked(BaseModel):
    """Base of what is asked: a number is no truth value, and a text is no number."""

    model_config = ConfigDict(strict=True)


class Out(BaseModel):
    """Base of answers: built from rows as well as from values."""

    model_config = ConfigDict(from_attributes=True)


def _in_utc(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


Moment = Annotated[datetime, AfterValidator(_in_utc)]
"""A time with its offset: the database keeps UTC without one."""


def _known_tier(name: str) -> str:
    if name not in TIERS:
        raise ValueError(f"There is no tier {name}; there are {', '.join(TIERS)}.")
    return name


TierName = Annotated[str, AfterValidator(_known_tier)]
"""The name of an audience tier."""

TierFigures = dict[str, int]
"""A figure for each audience tier by its name."""


class TierOut(Out):
    """An audience tier: its visitors in words, the name of its format; `measured`: Chromium's own.

    `fixed` is the quality of its files where qualities are fixed; `modern`: rules may leave it out.
    """

    name: str
    words: str
    format: str
    measured: bool
    fixed: int
    modern: bool


class FidelityOut(Out):
    """A fidelity and the score that its files keep."""

    name: Fidelity
    score: int


class Vocabulary(Out):
    """The words that the interface offers: tiers (the most modern first), roles, and fidelities.

    `usual` are the scores that roles keep unless the rules say otherwise.
    """

    tiers: list[TierOut]
    roles: list[Role]
    fidelities: list[FidelityOut]
    usual: dict[str, int]


class Job(Out):
    """What all jobs tell. `going`: it waits or is under way, and can be stopped. `can_go_on`: it ended unfinished."""

    state: State
    error: str | None

    @computed_field  # type: ignore[prop-decorator]
    @property
    def going(self) -> bool:
        """Whether it waits or is under way."""
        return self.state.is_going

    @computed_field  # type: ignore[prop-decorator]
    @property
    def can_go_on(self) -> bool:
        """Whether it ended before it was done."""
        return self.state.can_go_on


class Room(Out):
    """What a part of the data folder takes; `spare` bytes are needed by nothing any more."""

    kind: RoomKind
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
