"""What all answers share."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

BudgetState = Literal["within", "near", "over"]


Bytes = Annotated[int, Field(ge=1, le=1_000_000_000_000)]


class Out(BaseModel):
    """Base of answers: built from rows as well as from values."""

    model_config = ConfigDict(from_attributes=True)


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
