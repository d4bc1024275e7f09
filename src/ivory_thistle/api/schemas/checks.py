"""Checks: a handover held against the original in a browser."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, Job, Moment, Out


class Check(Job):
    """A check with its progress: loads of pages in all, those done, and those where something is wrong.

    `current`: it was of the handover as it is now. `unsure` loads are of pages that are never twice the same.
    """

    id: int
    run_id: int
    screens: list[str]
    tiers: list[str]
    total: int
    done: int
    failed: int
    unsure: int
    current: bool
    seconds_left: float | None
    created_at: Moment
    finished_at: Moment | None


class PlacedImage(Out):
    """An `img` of the original page: where its tag begins, its line, and the file it names."""

    at: int
    line: int
    path: str


class WrongOut(Out):
    """One thing that is wrong, and the images that it is about, where that is known."""

    words: str
    placed: list[PlacedImage]


class SpotOut(Out):
    """Where a page's picture differs most, in CSS px from the page's top left."""

    x: int
    y: int
    width: int
    height: int


class VitalsOut(Out):
    """A page's largest contentful paint (element and milliseconds) and its layout shift."""

    element: str
    milliseconds: float
    shift: float


class CheckedLoad(Out):
    """One page on one screen in one tier: bytes of its images, what is wrong, and how it looks (100 for the same)."""

    id: int
    path: str
    screen: str
    tier: str
    before: int
    after: int
    foretold: int | None
    failed: bool
    sure: bool
    wrong: list[WrongOut]
    score: float | None
    spot: SpotOut | None
    vitals_before: VitalsOut | None
    vitals_after: VitalsOut | None
    has_pictures: bool


class CheckedLoads(Out):
    """A stretch of what was checked."""

    items: list[CheckedLoad]
    next: str | None


class TakeBack(Asked):
    """Which `img` of which page gets a safer form, or is left alone."""

    path: str = Field(max_length=2048)
    at: int = Field(ge=0, le=2**40)
    how: Literal["safer", "leave"]


class TakenBack(Out):
    """How many images were given a safer form by hand, and can be given back one by one."""

    count: int
