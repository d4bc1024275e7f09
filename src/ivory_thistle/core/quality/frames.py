"""How an animation looks: its worst frame and the mean of all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.quality.ssimulacra2 import Prepared, score


@dataclass(frozen=True, slots=True)
class FrameScores:
    """Scores over frames; `worst_at` is the number of the worst one, from 0."""

    worst: float
    mean: float
    worst_at: int


def score_frames(originals: Sequence[Prepared], frames: Sequence[NDArray[np.uint8]]) -> FrameScores:
    """Each frame against its original. Raises ValueError where their number or size differs."""
    scores = [score(original, frame) for original, frame in zip(originals, frames, strict=True)]
    worst = min(range(len(scores)), key=scores.__getitem__)
    return FrameScores(scores[worst], sum(scores) / len(scores), worst)
