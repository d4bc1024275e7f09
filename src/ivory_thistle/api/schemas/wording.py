"""Words for images: alternative texts and names of files."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ivory_thistle.api.schemas.base import Asked, Out

WordingKind = Literal["alternative", "name"]


class WordingRow(Out):
    """One line of work: an image without alternative text on a page, or an image file.

    `text` is what was decided (null: nothing yet), `suggestion` what is proposed (null: nothing is), `why` its source.
    """

    kind: WordingKind
    page: str
    path: str
    image_id: int | None
    line: int
    text: str | None
    suggestion: str | None
    why: str
    heading: str
    before: str
    after: str


class WordingList(Out):
    """A stretch of them, of `total`; `decided` of these have a text, `suggested` could take what is proposed."""

    items: list[WordingRow]
    total: int
    decided: int
    suggested: int


class WordingChoice(Asked):
    """A decision; null takes one back, an empty alternative text says that the image decorates."""

    kind: WordingKind
    page: str = Field(default="", max_length=2048)
    path: str = Field(max_length=2048)
    text: str | None = Field(max_length=1000)


class WordingChoices(Asked):
    """Decisions, as they are made or as they were before."""

    choices: list[WordingChoice] = Field(max_length=5000)
