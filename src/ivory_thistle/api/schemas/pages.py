"""Pages of a capture, and what is wrong in its files."""

from __future__ import annotations

from ivory_thistle.api.schemas.base import BudgetState, Out
from ivory_thistle.api.schemas.library import ImageRow, PlacementOut


class Segment(Out):
    """One image's share of a page's weight."""

    image_id: int
    path: str
    bytes: int


class PageRow(Out):
    """One page with its image weight against the budget; the heaviest images as segments."""

    id: int
    path: str
    title: str
    image_count: int
    image_bytes: int
    broken_count: int
    state: BudgetState
    segments: list[Segment]
    allowed: int
    allowed_by: str


class PageList(Out):
    """A stretch of pages; `next` asks for the following one. `heaviest` is the scale of the list."""

    items: list[PageRow]
    next: str | None
    heaviest: int


class PageDetail(Out):
    """A page with its images and what it names: the first thousands, and how many there are."""

    id: int
    path: str
    title: str
    bytes: int
    image_bytes: int
    data_bytes: int
    state: BudgetState
    broken: list[str]
    broken_count: int
    remote: list[str]
    remote_count: int
    images: list[ImageRow]
    placements: list[PlacementOut]
    placement_count: int
    allowed: int
    allowed_by: str


class FaultOut(Out):
    """One thing wrong in a file."""

    kind: str
    path: str
    message: str
    line: int | None
