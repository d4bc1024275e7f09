"""Damage planted anywhere into files as codecs make them: it is found, told, and comes first in the queue."""

from __future__ import annotations

import random
from collections.abc import Callable
from functools import cache

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from ivory_thistle.core.proof.judging import Judged, judge
from ivory_thistle.core.proof.queue import Candidate, in_order
from pictures import encoded, opened, photograph

Picture = NDArray[np.uint8]
PHOTOGRAPHS = ("astronaut", "coffee", "chelsea", "rocket", "china", "flower", "brick", "grass", "retina")
CODECS = ("JPEG", "WEBP")
SPARE = 4
"""Points of score that a good file has over what it must keep."""


@cache
def original(name: str) -> Picture:
    image = photograph(name).convert("RGB")
    image.thumbnail((480, 480))
    return np.asarray(image)


@cache
def good_file(name: str, codec: str) -> Picture:
    return np.asarray(opened(encoded(photograph_of(original(name)), codec, quality=82)).convert("RGB"))


@cache
def judged_good(name: str, codec: str) -> Judged:
    return judge(original(name), good_file(name, codec))


def photograph_of(array: Picture) -> Image.Image:
    return Image.fromarray(array)


def blurred(part: Picture, chance: random.Random) -> Picture:
    return cv2.GaussianBlur(part, (0, 0), chance.uniform(1.8, 4))


def squares_of_jpeg(part: Picture, chance: random.Random) -> Picture:
    """Their grid begins where the part does: anywhere."""
    return np.asarray(opened(encoded(photograph_of(part), "JPEG", quality=chance.randint(4, 12))))


def coarse(part: Picture, chance: random.Random) -> Picture:
    side = chance.choice((6, 8, 10, 16))
    size = part.shape[1], part.shape[0]
    small = cv2.resize(part, (size[0] // side, size[1] // side), interpolation=cv2.INTER_AREA)
    return cv2.resize(small, size, interpolation=cv2.INTER_NEAREST)


def tinted(part: Picture, chance: random.Random) -> Picture:
    by = np.array([chance.randint(12, 25), chance.randint(-4, 4), -chance.randint(12, 25)])
    return np.clip(part.astype(int) + by, 0, 255).astype(np.uint8)


def moved(part: Picture, chance: random.Random) -> Picture:
    return np.roll(part, (chance.choice((-4, -3, 3, 5)), chance.choice((-5, -3, 2, 4))), (0, 1))


SPOILS = [
    (blurred, {"texture lost"}), (squares_of_jpeg, {"blocks"}), (coarse, {"blocks", "texture lost"}),
    (tinted, {"colour shifted"}), (moved, {"moved"}),
]  # fmt: skip


@pytest.mark.daily(2)
@pytest.mark.slow
@pytest.mark.parametrize(("spoil", "kinds"), SPOILS, ids=[spoil.__name__ for spoil, _ in SPOILS])
def test_planted_damage_is_found_and_told_and_comes_first(
    spoil: Callable[[Picture, random.Random], Picture], kinds: set[str]
) -> None:
    """Nine photographs, two codecs, places at random: all are found and come first, three of four are told rightly."""
    chance = random.Random(spoil.__name__)
    others = [
        candidate(f"{name}.{codec}", name, codec, judged_good(name, codec)) for name in PHOTOGRAPHS for codec in CODECS
    ]
    assert [asked.reasons for asked in in_order(others)] == [()] * len(others)
    told, planted = 0, 0
    for name in PHOTOGRAPHS:
        for codec in CODECS:
            spoilt = good_file(name, codec).copy()
            side = chance.randint(72, 120)
            y, x = (chance.randint(0, length - side) for length in spoilt.shape[:2])
            part = spoilt[y : y + side, x : x + side].copy()
            spoilt[y : y + side, x : x + side] = spoil(part, chance)
            if np.abs(spoilt[y : y + side, x : x + side].astype(int) - part).mean() < 2:
                continue  # A plain part: nothing is to be seen.
            planted += 1
            found = judge(original(name), spoilt)
            box = found.spots[0].box
            assert x - 20 < box.x + box.width / 2 < x + side + 20, (name, codec)
            assert y - 20 < box.y + box.height / 2 < y + side + 20, (name, codec)
            told += found.spots[0].damage in kinds
            order = in_order([*others, candidate("planted", name, codec, found)])
            assert order[0].candidate.path == "planted", (name, codec)
            assert order[0].reasons
    assert planted >= 12
    assert told >= 0.75 * planted, f"{told} of {planted}"


def candidate(path: str, name: str, codec: str, judged: Judged) -> Candidate:
    goal = judged_good(name, codec).score - SPARE
    return Candidate(path, "content", "photograph", goal, 1000, judged)
