"""Savings: what pages load before and after, who visits, and what a report holds."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, BudgetState, Out, TierFigures
from ivory_thistle.api.schemas.pages import Segment
from ivory_thistle.api.schemas.runs import LoadReport, PageSaving

Part = Literal["opening", "scrolled"]
Share = Annotated[float, Field(ge=0, le=1_000_000)]


class GroupOut(Out):
    """Images that have something in common: how many are in use, their bytes before, and after in each tier."""

    by: Literal["role", "format", "folder", "kind"]
    name: str
    images: int
    before: int
    after: TierFigures


class TotalOut(Out):
    """All pages on one screen in one tier, in one part of a visit. `measured_*`: Chromium loaded every page.

    `heavier` are pages that weigh more than before.
    """

    screen: str
    tier: str
    part: Part
    pages: int
    before: int
    after: int
    requests_before: int
    requests_after: int
    over_before: int
    over_after: int
    heavier: list[str]
    measured_before: int | None
    measured_after: int | None


class ExpectedOut(Out):
    """A page view in the mean of all visitors: bytes at opening and scrolled through; `plan_share` of 10 GB."""

    before_opening: float
    after_opening: float
    before: float
    after: float
    plan_share: float


class AudienceOut(Out):
    """Shares of visitors, each with a sum of 1; `own_*`: a person gave them. `views` a month, where they are known.

    `views_pages` have any. `source` and `date` are of the usual shares of browsers.
    """

    tiers: dict[str, float]
    screens: dict[str, float]
    own_tiers: bool
    own_screens: bool
    views: int
    views_pages: int
    source: str
    date: str


class AudienceChange(Asked):
    """Shares by tier and screen, in any unit; null for the usual ones."""

    tiers: Annotated[dict[str, Share], Field(max_length=20)] | None = None
    screens: Annotated[dict[str, Share], Field(max_length=20)] | None = None


class ViewsOut(Out):
    """Page views that were read: for so many pages, so many a month, and what was not taken."""

    pages: int
    views: int
    problems: list[str]


class Outcome(Out):
    """What became of a run's images: so many in each state, with their bytes."""

    state: Literal["treated", "left", "held", "failed", "waiting"]
    images: int
    bytes: int


class SavingsOut(Out):
    """Savings of a run: by reference (each file once), its pages so, and what they load.

    `totals` are empty for a run of long ago and for pictures without pages; `loads` is None for a run of long ago.
    """

    before: int
    after: TierFigures
    groups: list[GroupOut]
    new_files: int
    new_bytes: int
    pages: list[PageSaving]
    pages_over_before: int
    pages_over_after: int
    heaviest: int
    totals: list[TotalOut]
    expected: ExpectedOut | None
    audience: AudienceOut
    outcomes: list[Outcome]
    loads: LoadReport | None


class WeightOut(Out):
    """Image bytes and requests of one visit."""

    bytes: int
    requests: int


class PageSaved(Out):
    """One page in one part of a visit on one screen in one tier. `seconds_*` for each of the site's connections.

    `measured_*`: as Chromium loaded it; `paint_*` its largest paint in milliseconds.
    """

    page_id: int
    path: str
    before: WeightOut
    after: WeightOut
    measured_before: WeightOut | None
    measured_after: WeightOut | None
    paint_before: float | None
    paint_after: float | None
    heavier: bool
    allowed: int
    allowed_by: str
    state_before: BudgetState
    state_after: BudgetState
    seconds_before: list[float]
    seconds_after: list[float]
    segments: list[Segment]


class PagesSaved(Out):
    """A stretch of pages, of `total`; `heaviest` is of them all."""

    items: list[PageSaved]
    total: int
    heaviest: int


class FileLoaded(Out):
    """A file that a page loads, and whether that is before any scrolling."""

    path: str
    bytes: int
    opening: bool


class ChangeOut(Out):
    """One picture of a page: the file before and the one after. `reason`: why it stays as it was."""

    image_id: int | None
    before: FileLoaded | None
    after: FileLoaded | None
    reason: str


class PageChanges(Out):
    """The pictures of one page; `needed` says what would bring it within its budget, where it is over."""

    page_id: int
    path: str
    changes: list[ChangeOut]
    needed: str
