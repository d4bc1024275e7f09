"""Images: lists, filters, selections, roles, and one image whole."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, Out
from ivory_thistle.core.treatment.roles import Role


class Facet(Out):
    """How many images a filter value would show."""

    value: str
    count: int


Show = Literal["all", "over-cap", "unused", "copies", "unreadable"]


Texts = Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=60)]


class ImageNarrowing(Asked):
    """What images are narrowed by: all conditions hold; of several values in one, any does.

    `search` is found in paths, `finding` are codes, `page_id` a page that names the image.
    """

    search: Annotated[str, Field(max_length=200)] = ""
    format: Texts = []
    kind: Texts = []
    role: Texts = []
    folder: Texts = []
    finding: Texts = []
    page_id: int | None = None


class ImageFilter(ImageNarrowing):
    """Which images of a capture."""

    show: Show = "all"


class Selection(Asked):
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


class RoleChange(Asked):
    """A role for images (`selection`) or for all paths that match `pattern`; null takes a choice back."""

    role: Role | None
    selection: Selection | None = None
    pattern: Annotated[str, Field(min_length=1, max_length=2000)] | None = None


class RoleChoice(Out):
    """A role given by hand to a path or a pattern."""

    pattern: str
    role: Role


class PastChoice(Out):
    """The choice that a path or pattern had; null where it had none."""

    pattern: str
    role: Role | None


class RolesBefore(Out):
    """What `changed` images' choices were before, for taking a change back."""

    changed: int
    before: list[PastChoice]


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
    findings: list[str]


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


class RenditionOut(Out):
    """One file made of an image; `score` is how it looks (SSIMULACRA 2; None: it was not judged)."""

    id: int
    tier: str
    format: str
    width: int
    height: int
    bytes: int
    settings: str
    score: float | None


class ImageDetail(ImageRow):
    """An image with its facts, addresses, placements and what the newest run made of it.

    `decided` says which of the site's rules decide what of it, as they are now; `focus` is what a cut is made around.
    `sketched`: its renditions are quick ones that are not confirmed, with the bytes that are expected of those to come.
    """

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
    sketched: bool
    renditions: list[RenditionOut]
    words: list[str]
    decided: list[str]
    focus: list[float] | None
