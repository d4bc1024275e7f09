"""Proof: planted damage is found, told for what it is, and comes first in the queue."""

from __future__ import annotations

import io
from collections.abc import Callable

import cv2
import numpy as np
import pytest
from PIL import Image

from ivory_thistle.core.proof.judging import Judged, SpotSeen, judge, judge_frames
from ivory_thistle.core.proof.queue import Candidate, in_order
from ivory_thistle.core.quality import Spot
from pictures import photograph


def blurred(part: np.ndarray) -> np.ndarray:
    return cv2.GaussianBlur(part, (0, 0), 2.5)


def blocked(part: np.ndarray) -> np.ndarray:
    """JPEG at quality 8: its 8 x 8 squares are seen (common practice, no source)."""
    held = io.BytesIO()
    Image.fromarray(part).save(held, "JPEG", quality=8)
    return np.asarray(Image.open(held))


def tinted(part: np.ndarray) -> np.ndarray:
    return np.clip(part.astype(int) + np.array([18, 0, -14]), 0, 255).astype(np.uint8)


def moved(part: np.ndarray) -> np.ndarray:
    return np.roll(part, (3, 4), (0, 1))


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize(
    ("spoil", "damage"),
    [(blurred, "texture lost"), (blocked, "blocks"), (tinted, "colour shifted"), (moved, "moved")],
)
def test_planted_damage_is_told_for_what_it_is(
    name: str, spoil: Callable[[np.ndarray], np.ndarray], damage: str
) -> None:
    """On three photographs, in a square of 120 px; the worst spot lies on it."""
    original = np.asarray(photograph(name).convert("RGB"))
    y, x = (side // 3 // 8 * 8 for side in original.shape[:2])
    spoilt = original.copy()
    spoilt[y : y + 120, x : x + 120] = spoil(original[y : y + 120, x : x + 120])
    found = judge(original, spoilt)
    worst = found.spots[0]
    assert worst.damage == damage
    middle = worst.box.x + worst.box.width / 2, worst.box.y + worst.box.height / 2
    assert x - 40 < middle[0] < x + 160 and y - 40 < middle[1] < y + 160
    assert judge(original, original).score > 99 and judge(original, original).shift == 0


def test_sizes_must_be_equal() -> None:
    """A rendition of other pixels is no rendition of this picture."""
    with pytest.raises(ValueError, match="sizes differ"):
        judge(np.zeros((20, 20, 3), np.uint8), np.zeros((20, 21, 3), np.uint8))


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
