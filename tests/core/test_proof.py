"""Proof: what is judged, and in which order images ask for eyes."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from ivory_thistle.core.proof.judging import Judged, SpotSeen, judge, judge_frames
from ivory_thistle.core.proof.queue import Candidate, in_order
from ivory_thistle.core.quality import Spot
from pictures import photograph


def blurred(part: np.ndarray) -> np.ndarray:
    return cv2.GaussianBlur(part, (0, 0), 2.5)


def test_sizes_must_be_equal() -> None:
    """A rendition of other pixels is no rendition of this picture."""
    with pytest.raises(ValueError, match="sizes differ"):
        judge(np.zeros((20, 20, 3), np.uint8), np.zeros((20, 21, 3), np.uint8))


def test_a_file_that_is_the_same_shows_nothing() -> None:
    """No spots, no shift of colours, the highest score."""
    original = np.asarray(photograph("coffee").convert("RGB"))
    found = judge(original, original)
    assert found.spots == () and found.shift == 0 and found.score > 99


def candidate(path: str, score: float, **others: object) -> Candidate:
    """A content photograph that must score 75."""
    given: dict[str, object] = {"role": "content", "kind": "photograph", "saved": 1000, "shift": 0.0, "spots": ()}
    given |= others
    judged = Judged(score, given["shift"], given["spots"])  # type: ignore[arg-type]
    return Candidate(path, given["role"], given["kind"], 75, given["saved"], judged)  # type: ignore[arg-type]


def test_the_queue_begins_where_eyes_are_needed() -> None:
    """What falls short, what is plainly damaged, lettering and faces of the site; then the largest savings."""
    block = (SpotSeen(Spot(0, 0, 32, 32, 0.2), "blocks"),)
    asked = in_order(
        [
            candidate("fine.jpg", 82), candidate("finer.jpg", 82, saved=9000), candidate("short.jpg", 66),
            candidate("blocks.jpg", 80, spots=block), candidate("letters.png", 80, kind="lettering"),
            candidate("near.jpg", 75.4), candidate("hero.jpg", 81, role="hero"),
        ]
    )  # fmt: skip
    assert [a.candidate.path for a in asked] == [
        "short.jpg", "blocks.jpg", "near.jpg", "hero.jpg", "letters.png", "finer.jpg", "fine.jpg",
    ]  # fmt: skip
    reasons = {a.candidate.path: a.reasons for a in asked}
    assert reasons["short.jpg"] == ("scores 66, 9 under what it must keep",)
    assert reasons["blocks.jpg"] == ("where it differs most, one sees: blocks",)
    assert reasons["near.jpg"] == ("scores 75, just over what it must keep (75)",)
    assert reasons["letters.png"] == ("it holds lettering",) and reasons["fine.jpg"] == ()


def test_the_worst_frame_of_an_animation_is_judged() -> None:
    """Its number, its score and its spots; another number of frames is no rendition."""
    picture = np.asarray(photograph("chelsea").convert("RGB"))
    frames = [np.roll(picture, 9 * n, 1) for n in range(5)]
    spoilt = [frame.copy() for frame in frames]
    spoilt[1][:, :, 0] ^= 1
    spoilt[3][80:200, 100:220] = blurred(spoilt[3][80:200, 100:220])
    found = judge_frames(frames, spoilt)
    assert found.frame == 3 and found.spots == judge(frames[3], spoilt[3]).spots
    assert Judged.from_dict(found.as_dict()) == found
    assert judge_frames(frames * 30, frames * 30).score > 99
    with pytest.raises(ValueError, match="frames"):
        judge_frames(frames, spoilt[:4])
