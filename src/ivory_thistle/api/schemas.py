"""What goes over the wire. Sizes are in bytes, times in UTC (ISO 8601)."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

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


class Capture(Out):
    """One dated reading of a site, with its totals."""

    id: int
    site_id: int
    state: Literal["waiting", "reading", "ready", "stopped", "failed"]
    origin: Literal["folder", "zip", "crawl", "har"]
    label: str
    error: str | None
    files_done: int
    files_total: int
    pages: int
    images: int
    image_bytes: int
    used_bytes: int
    unused_images: int
    broken_references: int
    created_at: datetime
    finished_at: datetime | None


class Ledger(Out):
    """The site's line of totals. `after` and `saved` are those of the newest finished run (avif), if any."""

    before: int
    after: int | None
    saved: int | None
    pages: int
    pages_over: int
    pages_over_after: int | None
    images: int
    images_over_cap: int


class Screen(Out):
    """A viewport that pages are measured on, in CSS px, and its device pixels a CSS px."""

    name: Annotated[str, Field(pattern=r"^[\w-]{1,32}$")]
    width: Annotated[int, Field(ge=200, le=8000)]
    height: Annotated[int, Field(ge=200, le=8000)]
    density: Annotated[float, Field(ge=0.5, le=5)]


class Connection(Out):
    """A line that visitors have: bits a second, and the round trip before the first byte in ms."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    bits: Annotated[int, Field(ge=1000, le=10_000_000_000)]
    wait_ms: Annotated[int, Field(ge=0, le=10_000)]


def _distinct(values: list[Any]) -> list[Any]:
    names = [v.name for v in values]
    if len(set(names)) < len(names):
        raise ValueError("Two of them have the same name.")
    return values


Screens = Annotated[list[Screen], Field(min_length=1, max_length=8), AfterValidator(_distinct)]
Connections = Annotated[list[Connection], Field(min_length=1, max_length=10), AfterValidator(_distinct)]
LazyAttributes = Annotated[list[Annotated[str, Field(pattern=r"^[a-z][a-z0-9:_-]{0,60}$")]], Field(max_length=40)]


class Site(Out):
    """One website under care, with its newest capture and run."""

    id: int
    name: str
    page_budget: int
    screens: list[Screen]
    connections: list[Connection]
    lazy_attributes: list[str]
    created_at: datetime
    capture: Capture | None
    run_id: int | None
    run_state: str | None
    ledger: Ledger | None


class SiteFromFolder(BaseModel):
    """A site read from a folder on this machine."""

    name: Annotated[str, Field(max_length=190)] = ""
    folder: Annotated[str, Field(min_length=1, max_length=2000)]


class SiteFromAddress(BaseModel):
    """A live site, read page by page; patterns are of whole addresses, with * for anything.

    `image_hosts`: other hosts whose images are the site's own. `allow_private`: its address need not be public.
    """

    name: Annotated[str, Field(max_length=190)] = ""
    address: Annotated[str, Field(min_length=1, max_length=2000)]
    depth: Annotated[int, Field(ge=0, le=50)] = 8
    pages: Annotated[int, Field(ge=1, le=20_000)] = 500
    bytes: Annotated[int, Field(ge=1_000_000, le=100_000_000_000)] = 2_000_000_000
    include: Annotated[list[Annotated[str, Field(max_length=500)]], Field(max_length=50)] = []
    exclude: Annotated[list[Annotated[str, Field(max_length=500)]], Field(max_length=50)] = []
    image_hosts: Annotated[list[Annotated[str, Field(max_length=250)]], Field(max_length=50)] = []
    respect_robots: bool = True
    allow_private: bool = False
    seconds_between: Annotated[float, Field(ge=0, le=60)] = 0.2


class SiteChange(BaseModel):
    """What may be changed of a site; what is missing stays."""

    name: Annotated[str, Field(min_length=1, max_length=190)] | None = None
    page_budget: Bytes | None = None
    screens: Screens | None = None
    connections: Connections | None = None
    lazy_attributes: LazyAttributes | None = None


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


class Facet(Out):
    """How many images a filter value would show."""

    value: str
    count: int


RoleName = Literal["hero", "background", "content", "thumbnail", "logo", "icon", "decoration", "social card"]
Show = Literal["all", "over-cap", "unused", "copies", "unreadable"]
Texts = Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=60)]


class ImageFilter(BaseModel):
    """Which images of a capture: all conditions hold; of several values in one, any does.

    `search` is found in paths, `finding` are codes, `page_id` a page that names the image.
    """

    search: Annotated[str, Field(max_length=200)] = ""
    format: Texts = []
    kind: Texts = []
    role: Texts = []
    folder: Texts = []
    finding: Texts = []
    page_id: int | None = None
    show: Show = "all"


class Selection(BaseModel):
    """Images chosen one by one (`ids`), or all that a filter lets through but for some (`without`)."""

    ids: Annotated[list[int], Field(max_length=10_000)] = []
    filter: ImageFilter | None = None
    without: Annotated[list[int], Field(max_length=10_000)] = []


class Facets(Out):
    """How many images of the whole capture each filter value would show."""

    format: list[Facet]
    kind: list[Facet]
    role: list[Facet]
    folder: list[Facet]
    finding: list[Facet]


class RoleChange(BaseModel):
    """A role for images (`selection`) or for all paths that match `pattern`; null takes a choice back."""

    role: RoleName | None
    selection: Selection | None = None
    pattern: Annotated[str, Field(min_length=1, max_length=2000)] | None = None


class RoleChoice(Out):
    """A role given by hand to a path or a pattern."""

    pattern: str
    role: RoleName


class PastChoice(Out):
    """The choice that a path or pattern had; null where it had none."""

    pattern: str
    role: RoleName | None


class RolesBefore(Out):
    """What `changed` images' choices were before, for taking a change back."""

    changed: int
    before: list[PastChoice]


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


class AuditState(Out):
    """Whether the findings are current, and on what they rest."""

    state: Literal["waiting", "running", "done", "failed"]
    groups: list[FindingGroup]
    measured: bool


class BudgetFigures(Out):
    """Image bytes and requests of a page; null leaves the wider budget in force."""

    bytes: Annotated[int, Field(ge=1, le=10**12)] | None = None
    requests: Annotated[int, Field(ge=1, le=100_000)] | None = None


class PageBudget(BudgetFigures):
    """A budget for the pages that match a pattern, perhaps on one screen only."""

    pattern: Annotated[str, Field(min_length=1, max_length=2000)]
    screen: Annotated[str, Field(max_length=32)] = ""


class CapOut(Out):
    """What one image in a role may weigh, and how wide it may be in pixels."""

    bytes: Annotated[int, Field(ge=1, le=10**12)]
    width: Annotated[int, Field(ge=1, le=100_000)]


class Budgets(Out):
    """All budgets of a site."""

    page: BudgetFigures
    pages: Annotated[list[PageBudget], Field(max_length=200)]
    caps: dict[RoleName, CapOut]


class TomlText(Out):
    """A text in TOML."""

    toml: Annotated[str, Field(max_length=200_000)]


class ImageRow(Out):
    """One image of the library; `cap` is that of its role in bytes, `findings` are codes."""

    id: int
    path: str
    format: str
    width: int
    height: int
    bytes: int
    copies: int
    page_count: int
    unused: bool
    problem: str
    cap: int
    over_cap: bool
    has_thumbnail: bool
    kind: str
    role: str
    findings: list[str] = []


class ImageList(Out):
    """A stretch of the library; `total` counts what the filter lets through."""

    items: list[ImageRow]
    next: str | None
    total: int
    total_bytes: int


class PlacementOut(Out):
    """One use of an image by a page, with its place in the source."""

    id: int
    page_id: int
    page_path: str
    image_id: int | None
    file: str | None
    address: str
    element: str
    attribute: str
    source: str
    line: int
    descriptor: str
    use: str


class PageDetail(Out):
    """A page with its images and everything that it names."""

    id: int
    path: str
    title: str
    encoding: str
    bytes: int
    image_bytes: int
    data_bytes: int
    state: BudgetState
    broken: list[str]
    remote: list[str]
    images: list[ImageRow]
    placements: list[PlacementOut]
    allowed: int
    allowed_by: str


class RenditionOut(Out):
    """One file made of an image."""

    id: int
    tier: str
    format: str
    width: int
    height: int
    bytes: int
    settings: str


class ImageDetail(ImageRow):
    """An image with its facts, addresses, placements and what the newest run made of it."""

    sha256: str
    frames: int
    has_alpha: bool
    bit_depth: int
    colour: str
    profile_bytes: int
    metadata_bytes: int
    orientation: int
    metadata: dict[str, int]
    copyright: str
    profile: str
    progressive: bool
    subsampling: str
    quality: int | None
    palette: int
    lossless: bool | None
    alpha_used: bool | None
    kind_why: str
    features: dict[str, float]
    role_why: str
    role_by_hand: bool
    paths: list[str]
    placements: list[PlacementOut]
    renditions: list[RenditionOut]
    words: list[str]


class FaultOut(Out):
    """One thing wrong in a file."""

    kind: str
    path: str
    message: str
    line: int | None


class LeftAlone(Out):
    """How many images stay as they are for a reason."""

    reason: str
    count: int


class RulesOut(Out):
    """The rules that a treatment follows: encoder qualities, and the share a format must save to be kept."""

    avif_quality: int
    webp_quality: int
    jpeg_quality: int
    max_width: int
    worth_share: float


class Forecast(Out):
    """What a treatment would touch, before it is started."""

    rules: RulesOut
    images: int
    bytes: int
    renditions: int
    left_alone: list[LeftAlone]


class Run(Out):
    """One execution of treatments, with its progress. `rate` is images a second, `seconds_left` estimated."""

    id: int
    capture_id: int
    state: Literal["waiting", "running", "finishing", "done", "stopped", "failed"]
    error: str | None
    total: int
    done: int
    failed: int
    left_alone: int
    bytes_before: int
    bytes_after: int
    rate: float | None
    seconds_left: float | None
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None


class TaskRow(Out):
    """One image of a run and what became of it."""

    id: int
    image_id: int
    path: str
    state: Literal["waiting", "done", "failed", "left"]
    reason: str
    words: list[str]
    bytes_before: int
    bytes_after: int
    can_retry: bool


class TaskList(Out):
    """A stretch of a run's images."""

    items: list[TaskRow]
    next: str | None


class TierBytes(Out):
    """Bytes in each audience tier."""

    avif: int
    webp: int
    baseline: int


class PageSaving(Out):
    """One page before and after, with its weight strip's segments before."""

    page_id: int
    path: str
    before: int
    after: TierBytes
    state_before: BudgetState
    state_after: BudgetState
    segments: list[Segment]
    allowed: int


class SavingsOut(Out):
    """Savings of a run: the site (each file once) and its pages."""

    before: int
    after: TierBytes
    pages: list[PageSaving]
    pages_over_before: int
    pages_over_after: int
    heaviest: int


class HandoverOut(Out):
    """What a handover holds."""

    files: int
    new_files: int
    new_bytes: int
    rewritten: list[str]
    faults: list[FaultOut]
    archive_name: str


class Measurement(Out):
    """Pages of a capture loaded in a browser; `done` and `total` count pages times screens."""

    id: int
    capture_id: int
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    error: str | None
    screens: list[Screen]
    estimated: bool
    total: int
    done: int
    problems: int
    seconds_left: float | None
    created_at: datetime
    finished_at: datetime | None


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
    first_screen: bool
    lazy: bool
    bytes: int


class MeasuredPageDetail(MeasuredPage):
    """A measured page with its boxes; sizes of the whole page in CSS px, 0 where there is no screenshot."""

    width: int
    height: int
    slots: list[SlotOut]


class ImageSlot(Out):
    """A box in which one image was shown on one page and screen; `fit` is its object-fit or background-size."""

    kind: str
    screen: str
    density: float
    page_id: int
    page_path: str
    width: float
    height: float
    fit: str
    measured: bool
