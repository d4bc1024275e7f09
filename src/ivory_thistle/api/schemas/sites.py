"""Sites, their captures, screens and connections."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field

from ivory_thistle.api.schemas.base import Asked, Bytes, Job, Moment, Out
from ivory_thistle.core.states import State


class Capture(Job):
    """One dated reading of a site, with its totals."""

    id: int
    site_id: int
    origin: Literal["folder", "zip", "crawl", "har"]
    label: str
    files_done: int
    files_total: int
    pages: int
    images: int
    image_bytes: int
    used_bytes: int
    unused_images: int
    broken_references: int
    created_at: Moment


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


class Screen(Asked, Out):
    """A viewport that pages are measured on, in CSS px, and its device pixels a CSS px.

    `dark`: by night; `touch`: without a mouse.
    """

    name: Annotated[str, Field(pattern=r"^[\w-]{1,32}$")]
    width: Annotated[int, Field(ge=200, le=8000)]
    height: Annotated[int, Field(ge=200, le=8000)]
    density: Annotated[float, Field(ge=0.5, le=5)]
    dark: bool = False
    touch: bool = False


class Connection(Asked, Out):
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
    """One website under care, with its newest capture and run. `pictures_alone`: it holds no web page."""

    id: int
    name: str
    page_budget: int
    screens: list[Screen]
    connections: list[Connection]
    lazy_attributes: list[str]
    created_at: Moment
    capture: Capture | None
    run_id: int | None
    run_state: State | None
    run_going: bool
    ledger: Ledger | None
    pictures_alone: bool


class SiteFromFolder(Asked):
    """A site read from a folder on this machine."""

    name: Annotated[str, Field(max_length=190)] = ""
    folder: Annotated[str, Field(min_length=1, max_length=2000)]


class SiteFromAddress(Asked):
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


class SiteChange(Asked):
    """What may be changed of a site; what is missing stays."""

    name: Annotated[str, Field(min_length=1, max_length=190)] | None = None
    page_budget: Bytes | None = None
    screens: Screens | None = None
    connections: Connections | None = None
    lazy_attributes: LazyAttributes | None = None
