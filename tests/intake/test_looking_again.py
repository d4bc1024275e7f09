"""A page looks different only where it does so each time: a busy machine may not have painted a picture yet."""

from __future__ import annotations

import asyncio
from itertools import chain, repeat

import pytest

from ivory_thistle.core.quality.likeness import Likeness
from ivory_thistle.intake.comparing import _compared
from ivory_thistle.intake.differences import Seen

ALIKE, OTHER = b"alike", b"other"


@pytest.mark.parametrize(("unpainted", "told"), [(0, 0), (1, 0), (2, 0), (3, 0), (99, 1)])
def test_what_looks_different_is_looked_at_again(unpainted: int, told: int) -> None:
    """The first looks at the new page may show something else; what always does is told."""
    pictures = chain(repeat(OTHER, unpainted), repeat(ALIKE))

    async def old() -> Seen:
        return Seen(picture=ALIKE)

    async def new() -> Seen:
        return Seen(picture=next(pictures))

    def judge(before: Seen, after: Seen) -> Likeness:
        score = 100.0 if before.picture == after.picture else -53.0
        return Likeness(score, score)

    async def pair() -> int:
        found = await _compared("a.html", "phone", await old(), await new(), (old, new), judge)
        return len(found.different)

    assert asyncio.run(pair()) == told
