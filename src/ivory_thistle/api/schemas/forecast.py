"""Forecasts of a treatment, the rules that it follows, and samples that make it surer."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import Field, StringConstraints, model_validator

from ivory_thistle.api.schemas.base import Asked, BudgetState, Job, Out
from ivory_thistle.api.schemas.pages import Segment
from ivory_thistle.api.schemas.runs import LeftAlone, RuleSaid, RulesOut
from ivory_thistle.api.schemas.savings import Part


class RangeOut(Out):
    """What is most likely, and between which figures eight cases of ten will lie."""

    low: int
    likely: int
    high: int


class TotalForecast(Out):
    """All pages on one screen (empty: as their markup names files) in one tier: bytes, and pages over their budgets."""

    screen: str
    tier: str
    part: Part
    before: int
    after: RangeOut
    pages: int
    over_before: int
    over_after: RangeOut


class SampleOut(Job):
    """Images treated in advance for a forecast: `done` of `total`."""

    id: int
    capture_id: int
    done: int
    total: int


class RanTotal(Out):
    """All pages on one screen in one tier, in one part of a visit: what was foretold, and what came of it.

    `sketched`: what was foretold once all images had been sketched, where they were.
    """

    screen: str
    tier: str
    part: Part
    foretold: RangeOut
    sketched: RangeOut | None
    after: int
    over_foretold: RangeOut
    over_after: int


class RanOut(Out):
    """A finished run beside what was foretold when it was started.

    Of its `images`, `near` came within 30 % of what was foretold; `files` were foretold and `made`; it `took` seconds.
    `seconds_sketched`, `files_sketched` and `near_sketched` are the same by the forecast that rests on sketches, where
    there was one.
    """

    totals: list[RanTotal]
    seconds: RangeOut
    took: float
    files: int
    made: int
    images: int
    near: int
    seconds_sketched: RangeOut | None
    files_sketched: int | None
    near_sketched: int | None


class Forecast(Out):
    """What a treatment by the site's rules would bring, before it is started; `sentences` are its rules.

    `seconds` is the time of the whole run on this machine. `known` images were made before by the same rules, and the
    forecast tells them as they are; of `sketched` ones there are quick files. `measured`: pages were weighed in
    a browser.
    """

    rules: RulesOut
    images: int
    bytes: int
    renditions: int
    left_alone: list[LeftAlone]
    sentences: list[RuleSaid]
    totals: list[TotalForecast]
    seconds: RangeOut
    storage: RangeOut
    known: int
    sketched: int
    measured: bool
    pictures_alone: bool
    sample: SampleOut | None


class PageForecastOut(Out):
    """One page now and after the treatment."""

    page_id: int
    path: str
    before: int
    after: RangeOut
    allowed: int
    state_before: BudgetState
    state_after: BudgetState
    segments: list[Segment]


class PageForecasts(Out):
    """The heaviest pages, and the bytes of the heaviest of all for one scale."""

    items: list[PageForecastOut]
    total: int
    heaviest: int


class RuleTables(Asked):
    """Rules in the shape of their TOML (docs/rules.md): for the site, for all images, and for some."""

    site: dict[str, Any] = Field(default_factory=dict)
    all: dict[str, Any] = Field(default_factory=dict)
    rule: Annotated[list[dict[str, Any]], Field(max_length=1_000)] = Field(default_factory=list)


class RulesPreview(Out):
    """What other rules would change: how many images, and what they would bring."""

    changed: int
    now: list[TotalForecast]
    then: list[TotalForecast]
    seconds: RangeOut
    files: int


class NamedRulesOut(Out):
    """Rules under a name, in sentences."""

    name: str
    said: list[str]
    tables: RuleTables


class NameRules(Asked):
    """A name, and the rules that get it: a site's, or these."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=100)]
    site_id: int | None = None
    tables: RuleTables | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.site_id is None) == (self.tables is None):
            raise ValueError("Give one of site_id and tables.")
        return self


class Decision(Out):
    """What the rules make of one image, and why, in words; `bytes` are those that a modern browser loads at most."""

    image_id: int
    said: str
    why: str
    bytes: RangeOut | None
