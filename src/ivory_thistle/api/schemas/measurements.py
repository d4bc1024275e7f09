"""Pages as a browser loads them."""

from __future__ import annotations

from ivory_thistle.api.schemas.base import BudgetState, Job, Moment, Out
from ivory_thistle.api.schemas.sites import Screen


class Measurement(Job):
    """Pages of a capture loaded in a browser; `done` and `total` count pages times screens."""

    id: int
    capture_id: int
    screens: list[Screen]
    estimated: bool
    total: int
    done: int
    problems: int
    seconds_left: float | None
    created_at: Moment
    finished_at: Moment | None


class LoadedImage(Out):
    """One image file that a page loaded; `opening` says whether without any scrolling."""

    image_id: int | None
    path: str
    bytes: int
    opening: bool


class MeasuredPage(Out):
    """One page on one screen, as Chromium loaded it; for older tiers chosen anew from its markup.

    Seconds are those of the site's connections, in their order.
    """

    page_id: int
    path: str
    title: str
    screen: str
    opening: int
    scrolled: int
    requests: int
    lcp_path: str | None
    lcp_element: str
    layout_shift: float
    shifting: list[str]
    errors: list[str]
    problem: str
    state_opening: BudgetState
    state_scrolled: BudgetState
    seconds_opening: list[float]
    seconds_scrolled: list[float]
    loaded: list[LoadedImage]
    allowed: int
    allowed_by: str


class MeasuredPages(Out):
    """All pages on one screen in one tier, the heaviest first; `over` counts those over budget."""

    items: list[MeasuredPage]
    next: str | None
    heaviest: int
    over: int


class SlotOut(Out):
    """A box that shows a picture, in CSS px from the page's top left."""

    id: int
    image_id: int | None
    path: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    lazy: bool
    bytes: int


class MeasuredPageDetail(MeasuredPage):
    """A measured page with its boxes; sizes of the whole page in CSS px, 0 where there is no screenshot."""

    width: int
    height: int
    slots: list[SlotOut]


class ImageSlot(Out):
    """A box in which one image was shown on one page and screen; `fit` is its object-fit or background-size.

    `needed_width` and `needed_height` are the pixels that the image needs there; 0 for one painted at its own size.
    """

    kind: str
    screen: str
    density: float
    page_id: int
    page_path: str
    width: float
    height: float
    fit: str
    needed_width: float
    needed_height: float
    measured: bool
