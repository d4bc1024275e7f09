"""Findings and budgets."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, Job, Out
from ivory_thistle.core.budgets.policy import MOST, MOST_PAGES, MOST_PATTERN, MOST_SCREEN
from ivory_thistle.core.handed_in import MOST_CHARACTERS
from ivory_thistle.core.treatment.roles import Role


class FindingGroup(Out):
    """All findings of one code; `stake` in bytes, estimated where `measured` is false.

    `ease`: 1 is mended by treating, 2 in the markup, 3 by hand.
    """

    code: str
    title: str
    threshold: str
    mend: str
    ease: int
    count: int
    images: int
    pages: int
    stake: int
    measured: bool


class FindingOut(Out):
    """One thing wrong."""

    id: int
    code: str
    sentence: str
    image_id: int | None
    page_id: int | None
    source: str
    line: int | None
    stake: int
    measured: bool


class FindingList(Out):
    """A stretch of findings of one code, those with most bytes at stake first."""

    items: list[FindingOut]
    next: str | None


class AuditState(Job):
    """Whether the findings are current, and on what they rest."""

    groups: list[FindingGroup]
    measured: bool


class BudgetFigures(Asked, Out):
    """Image bytes and requests of a page; null leaves the wider budget in force."""

    bytes: Annotated[int, Field(ge=1, le=MOST["bytes"])] | None = None
    requests: Annotated[int, Field(ge=1, le=MOST["requests"])] | None = None


class PageBudget(BudgetFigures):
    """A budget for the pages that match a pattern, perhaps on one screen only."""

    pattern: Annotated[str, Field(min_length=1, max_length=MOST_PATTERN)]
    screen: Annotated[str, Field(max_length=MOST_SCREEN)] = ""


class CapOut(Asked, Out):
    """What one image in a role may weigh, and how wide it may be in pixels."""

    bytes: Annotated[int, Field(ge=1, le=MOST["bytes"])]
    width: Annotated[int, Field(ge=1, le=MOST["width"])]


class Budgets(Asked, Out):
    """All budgets of a site."""

    page: BudgetFigures
    pages: Annotated[list[PageBudget], Field(max_length=MOST_PAGES)]
    caps: dict[Role, CapOut]


class TomlText(Asked, Out):
    """A text in TOML."""

    toml: Annotated[str, Field(max_length=MOST_CHARACTERS)]
