"""Treatments: forecast, runs, savings, handover."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, BudgetState, Job, Moment, Out, TierFigures
from ivory_thistle.api.schemas.library import Selection
from ivory_thistle.api.schemas.pages import FaultOut, Segment
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.narrowing import Fidelity
from ivory_thistle.core.treatment.sentences import Part as RulePart


class LeftAlone(Out):
    """How many images stay as they are for a reason."""

    reason: str
    count: int


class RulesOut(Out):
    """The rules of a treatment: fidelities by role, qualities where they are fixed, and what a file must save.

    `tier_share` and `tier_bytes` are a modern format's, over the next older one; `dense_less` are points of score.
    """

    fidelity: dict[str, int]
    lettering: int
    dense_less: int
    qualities: TierFigures
    max_width: int
    tier_share: float
    tier_bytes: int
    fixed: bool
    cap: int
    metadata: MetadataPolicy
    form: HandoverForm
    keep_p3: bool
    sharpen: bool
    svg_scripts: bool
    background_widths: bool
    demand_check: bool


class RuleSaid(Out):
    """A sentence of the rules: which part it tells (of "rule", the number), what it is about, and what holds.

    A rule for some images also tells of how many it decides anything; `override`: it is a decision for one image.
    """

    part: RulePart
    number: int
    said: str
    asks: str
    images: int | None
    override: bool


Share = Annotated[float, Field(ge=0, le=1)]


class OverrideSettings(Asked):
    """What single images get, against the rules; what is missing stays as it was for them.

    `focus` is what a cut keeps in its middle: shares of width and height.
    """

    leave: bool | None = None
    fidelity: Fidelity | Annotated[int, Field(ge=1, le=100)] | None = None
    cap: Annotated[int, Field(ge=1, le=10**9)] | None = None
    max_width: Annotated[int, Field(ge=1, le=20_000)] | None = None
    focus: Annotated[list[Share], Field(min_length=2, max_length=2)] | None = None


class Override(Asked):
    """Which images are overruled, and in what: settings, or the entries of a rule; neither takes back what was said."""

    selection: Selection
    settings: OverrideSettings | None = None
    entries: dict[str, Any] | None = None


class Overruled(Out):
    """So many images were overruled; `toml` are the rules before, for taking that back."""

    changed: int
    toml: str


class Run(Job):
    """One execution of treatments, with its progress. `rate` is megapixels of originals a second.

    `can_be_tried_again` of the failed images could be treated at all.

    `compared` of `to_compare` pages and screens were compared in a browser, once its images are done. `sketched` images
    wait with quick files that are not confirmed; `sketching`: these are being made.
    """

    id: int
    capture_id: int
    total: int
    done: int
    failed: int
    can_be_tried_again: int
    left_alone: int
    sketched: int
    sketching: bool
    bytes_before: int
    bytes_after: int
    rate: float | None
    seconds_left: float | None
    compared: int
    to_compare: int
    created_at: Moment
    started_at: Moment | None
    finished_at: Moment | None


class PageFirst(Asked):
    """The page whose images are to be treated first."""

    page_id: int


class PutFirst(Out):
    """So many images that still wait go first."""

    images: int


class TaskRow(Out):
    """One image of a run and what became of it; `sketched`: `bytes_after` is what is expected by a quick file."""

    id: int
    image_id: int
    path: str
    state: Literal["waiting", "done", "failed", "left"]
    reason: str
    words: list[str]
    bytes_before: int
    bytes_after: int
    sketched: bool


class TaskList(Out):
    """A stretch of a run's images."""

    items: list[TaskRow]
    next: str | None


class PageSaving(Out):
    """One page before and after, with its weight strip's segments before."""

    page_id: int
    path: str
    before: int
    after: TierFigures
    state_before: BudgetState
    segments: list[Segment]
    allowed: int


class LoadTotal(Out):
    """All pages on one screen in one tier, scrolled through, as predicted from their markup.

    `overshoot` are bytes over those of the narrowest files that would do, None without measured boxes; `heavier` are
    pages that load more than before.
    """

    screen: str
    tier: str
    before: int
    after: int
    requests_before: int
    requests_after: int
    overshoot: int | None
    heavier: list[str]


class StillLoaded(Out):
    """An original that treated pages load as it was, on how many of them, and why."""

    path: str
    bytes: int
    pages: int
    reason: str


class Difference(Out):
    """What a browser saw change on one page and screen."""

    page: str
    screen: str
    words: str


class Comparison(Out):
    """Treated and original pages compared in a browser: `safer` images took a safer form than planned for that."""

    pages: int
    screens: int
    safer: int
    different: list[Difference]
    unsure: list[str]


class LoadReport(Out):
    """What the pages of a run load; `unused_files` were made and nothing uses them.

    `forms` counts the rewritten images by what was done to their markup. `unknown` pages stay as they were, for the
    reason told.
    """

    totals: list[LoadTotal]
    still_loaded: list[StillLoaded]
    unused_files: int
    unused_bytes: int
    forms: dict[str, int]
    comparison: Comparison | None
    unknown: dict[str, str] = Field(default_factory=dict)


class HandoverOut(Out):
    """What a handover holds. `demands_check`: nothing leaves before a check has passed.

    `taken_back` images were given a safer form by hand.
    """

    files: int
    new_files: int
    new_bytes: int
    rewritten: list[str]
    faults: list[FaultOut]
    archive_name: str
    patch_name: str
    form: HandoverForm
    demands_check: bool
    not_renamed: dict[str, str]
    renamed: int
    taken_back: int


class ElsewhereImage(Out):
    """A place in a file that can't be rewritten, and what could stand there (empty: nothing was made)."""

    source: str
    line: int
    path: str
    written: str
    suggested: str


class ElsewhereList(Out):
    """A stretch of them, of `total` in so many `files`."""

    items: list[ElsewhereImage]
    total: int
    files: int


class Markup(Out):
    """What an `img` tag of one image could become; empty where nothing was made of it."""

    text: str


class ChangesOut(Out):
    """Lines of a unified diff of one file: each begins with a blank, `-`, `+`, or `@@` where lines are left out.

    Long lines are cut; `more` counts the lines that are not told.
    """

    path: str
    lines: list[str]
    more: int
