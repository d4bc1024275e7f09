"""Proof: renditions beside their originals, what a person says of them, and settings tried."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, Out, TierName
from ivory_thistle.api.schemas.library import ImageNarrowing

Said = Literal["accept", "hold", "tighter", "lighter"]
ProofShow = Literal["open", "asking", "accept", "hold", "redo", "all"]


class ProofFilter(ImageNarrowing):
    """Which images of a run: narrowed as in the library, and by what people said of them."""

    show: ProofShow = "all"


class CurvePointOut(Out):
    """Bytes and score of the whole picture at a quality."""

    quality: int
    bytes: int
    score: float


class ProofFile(Out):
    """A rendition; `quality` is on its encoder's scale, null for one that has none.

    `tried` is what the search tried for it, by rising quality.
    """

    id: int
    tier: TierName
    format: str
    width: int
    height: int
    bytes: int
    settings: str
    score: float | None
    quality: int | None
    tried: list[CurvePointOut]


class ProofRow(Out):
    """An image in its place in the queue. `chosen` is the file that is judged, `score` how that looks now.

    `narrow_id` is its narrowest file, for lists; `goal` is what it must keep (0: nothing was asked), `reasons` why eyes
    are asked for, `why_not` why it has no score.
    """

    image_id: int
    path: str
    role: str
    kind: str
    bytes_before: int
    chosen: ProofFile
    narrow_id: int
    score: float | None
    goal: float
    reasons: list[str]
    why_not: str
    said: Said | None
    note: str
    has_thumbnail: bool


class ProofProgress(Out):
    """Of `total` images `looked` have a score, `said` a verdict, `held` stay; `redo` (ids) are to be made anew."""

    total: int
    looked: int
    said: int
    held: int
    redo: list[int]


class ProofList(Out):
    """A part of the queue, of as many as a filter leaves."""

    items: list[ProofRow]
    matching: int
    progress: ProofProgress


class ProofSpot(Out):
    """A box in the rendition's pixels where much differs, and what that looks like."""

    x: int
    y: int
    width: int
    height: int
    damage: str


class ProofBox(Out):
    """The largest box that a screen gives the image, in CSS px, and the screen's density."""

    screen: str
    width: float
    height: float
    density: float


class ProofDetail(Out):
    """One image: its files, the worst spots of the one that is judged, its boxes, and its decisions in words.

    The spots of an animation are those of its worst frame, which is told by its number from 0.
    """

    row: ProofRow
    files: list[ProofFile]
    spots: list[ProofSpot]
    boxes: list[ProofBox]
    words: list[str]
    frames: int
    worst_frame: int


class Verdict(Asked):
    """What is said of an image (null: nothing any more), and a note."""

    said: Said | None
    note: Annotated[str, Field(max_length=2000)] = ""


class VerdictOut(Out):
    """What is said now, and what was said before; `rules_before` is the rules' TOML where the verdict changed them."""

    said: Said | None
    note: str
    before: Said | None
    note_before: str
    rules_before: str | None = None


class Accepted(Asked, Out):
    """The images (ids) that were accepted together, or no longer are."""

    images: Annotated[list[int], Field(max_length=100_000)]


class PartOf(Asked):
    """A part of a picture, in its pixels."""

    x: Annotated[int, Field(ge=0, le=20_000)]
    y: Annotated[int, Field(ge=0, le=20_000)]
    width: Annotated[int, Field(ge=1, le=20_000)]
    height: Annotated[int, Field(ge=1, le=20_000)]


class Trial(Asked):
    """A quality to try in place of a rendition's: of a part (quickly), or of the whole."""

    rendition: int
    quality: Annotated[int, Field(ge=0, le=100)]
    part: PartOf | None = None


class TrialOut(Out):
    """What came of it: bytes and score of the part or the whole, the picture as a data URL, seconds of work."""

    bytes: int
    score: float
    seconds: float
    picture: str
    part: ProofSpot | None
