"""Two pictures of a page: what is alike passes though it moved by a pixel, what is not is found where it is."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from ivory_thistle.core.quality import damage_map, prepare
from ivory_thistle.core.quality.likeness import aligned, likeness
from pictures import encoded, photograph


def page() -> np.ndarray:
    """A tall page with a photograph, lines of text, and another one."""
    canvas = np.full((1500, 400, 3), 250, np.uint8)
    for row in range(380, 900, 14):
        canvas[row : row + 5, 20 : 20 + (row * 37) % 350] = 40
    canvas[20:320, 20:380] = np.asarray(photograph("chelsea").convert("RGB").resize((360, 300)))
    canvas[1000:1300, 20:380] = np.asarray(photograph("coffee").convert("RGB").resize((360, 300)))
    return canvas


def lossy(picture: np.ndarray, quality: int) -> np.ndarray:
    """Encoded as WebP and decoded."""
    data = encoded(Image.fromarray(picture), "WEBP", quality=quality)
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB"))


def test_the_same_and_the_like_pass() -> None:
    """Itself scores 100; good files pass, also where everything below the first picture moved by a pixel or two."""
    before = page()
    same = likeness(before, before.copy())
    assert (same.score, same.worst, same.words) == (100.0, 100.0, "")
    after = before.copy()
    after[20:320, 20:380] = lossy(before[20:320, 20:380], 80)
    assert likeness(before, after).words == ""
    for shift in (1, 2):
        moved = np.vstack([after[:350], np.repeat(after[349:350], shift, axis=0), after[350:-shift]])
        found = likeness(before, moved)
        assert found.words == "" and found.score > 70, found


@pytest.mark.parametrize("top", [20, 1000])
def test_what_was_spoilt_is_found_where_it_is(top: int) -> None:
    """Another picture in its place, a grey box, the picture upside down: named, with a spot that lies in it."""
    before = page()
    place = np.s_[top : top + 300, 20:380]
    for spoilt in (np.full((300, 360, 3), 120, np.uint8), before[place][::-1], before[1020 - top : 1320 - top, 20:380]):
        after = before.copy()
        after[place] = spoilt
        found = likeness(before, after)
        assert found.words.startswith("The page looks different"), found
        assert found.spot and top - 40 <= found.spot.y <= top + 300 and found.spot.x < 380


def test_one_small_place_is_enough() -> None:
    """A button of 60 x 24 px that is gone from a long page: the whole is alike, the spot is not."""
    before = np.full((6000, 1200, 3), 250, np.uint8)
    before[3000:3024, 500:560] = np.asarray(photograph("coffee").convert("RGB").resize((60, 24)))
    after = np.full((6000, 1200, 3), 250, np.uint8)
    found = likeness(before, after)
    assert found.words and found.spot and 2900 < found.spot.y < 3030


def test_rows_are_taken_from_where_they_are() -> None:
    """Each band by itself, and nothing is invented at the ends."""
    before = page()
    after = np.vstack([before[:700], before[699:700], before[700:-1]])
    assert (aligned(before, after)[:640] == before[:640]).all()
    assert (aligned(before, after)[736:1472] == before[736:1472]).all()


@pytest.mark.parametrize("size", [(8, 8), (9, 200), (31, 17), (64, 64), (130, 40), (250, 250), (300, 90)])
def test_small_pictures_have_a_map_too(size: tuple[int, int]) -> None:
    """Whatever scales they have: some of these tell nothing of the luminance."""
    picture = np.asarray(photograph("chelsea").convert("RGB").resize(size))
    damage = damage_map(prepare(picture), picture[::-1].copy())
    assert damage.shape == picture.shape[:2] and np.isfinite(damage).all()
    assert likeness(picture, picture[:, : max(1, size[0] - 3)]).score <= 100
