"""New sizes: exact, never enlarged, cut around what matters, and sharpened only where nobody is harmed."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.images.resize import Resize, cut, focal_point, resize, sharpened, target_size
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.treatment.treat import sharpened_where_harmless
from pictures import photograph, translucent_graphic

SIZES = [
    (Resize("width", 300), (300, 200)),
    (Resize("height", 0, 100), (150, 100)),
    (Resize("longest", 480), (480, 320)),
    (Resize("percent", 25), (150, 100)),
    (Resize("fit", 300, 150), (225, 150)),
    (Resize("fill", 200, 200), (200, 200)),
    (Resize("width", 4000), (600, 400)),
    (Resize("percent", 300), (600, 400)),
    (Resize("fill", 800, 800), (400, 400)),
    (Resize("fill", 1200, 400), (600, 200)),
]


@pytest.mark.parametrize(("how", "size"), SIZES, ids=lambda v: v.mode if isinstance(v, Resize) else str(v))
def test_sizes_of_a_picture_of_600_by_400(how: Resize, size: tuple[int, int]) -> None:
    """Proportions stay, nothing grows; a box that is too large shrinks in its own proportions."""
    assert target_size(600, 400, how) == size
    made = resize(Pixels(np.ascontiguousarray(np.asarray(photograph("coffee")))), how)
    assert (made.width, made.height) == size


def test_an_upright_picture_is_measured_by_its_height() -> None:
    """The longest side of a portrait is its height."""
    assert target_size(400, 1600, Resize("longest", 800)) == (200, 800)


@given(st.integers(1, 9000), st.integers(1, 9000), st.integers(1, 4000), st.integers(1, 4000))
def test_no_size_enlarges_or_vanishes(width: int, height: int, w: int, h: int) -> None:
    """Whatever is asked of whatever picture."""
    for how in (
        Resize("width", w),
        Resize("longest", w),
        Resize("percent", w),
        Resize("fit", w, h),
        Resize("fill", w, h),
    ):
        new = target_size(width, height, how)
        assert 1 <= new[0] <= width and 1 <= new[1] <= height


@given(
    st.integers(1, 3000), st.integers(1, 3000), st.floats(0.05, 20), st.floats(0, 1), st.floats(0, 1),
)  # fmt: skip
def test_a_cut_lies_within_the_picture(width: int, height: int, proportion: float, x: float, y: float) -> None:
    """As large as the proportion allows, whole in one direction, its middle as near to the focus as can be."""
    left, top, w, h = cut(width, height, proportion, (x, y))
    assert left >= 0 and top >= 0 and left + w <= width and top + h <= height
    assert w == width or h == height
    assert abs(left + w / 2 - x * width) <= max(1, abs(width - w) / 2 + w / 2)


def test_the_focus_is_found_where_the_detail_is() -> None:
    """A busy patch on a calm ground is kept by a square cut; a point given by hand goes before it."""
    rng = np.random.default_rng(1)
    array = np.full((200, 600, 3), 90, np.uint8)
    array[60:140, 430:510] = rng.integers(0, 255, (80, 80, 3))
    pixels = Pixels(array)
    x, y = focal_point(pixels)
    assert x == pytest.approx(470 / 600, abs=0.06) and y == pytest.approx(0.5, abs=0.1)
    found = resize(pixels, Resize("fill", 200, 200)).array
    assert (np.abs(found.astype(int) - 90).max(axis=2) > 30).mean() > 0.1
    by_hand = resize(pixels, Resize("fill", 200, 200, focus=(0.1, 0.5))).array
    assert (by_hand == 90).all()
    assert focal_point(Pixels(np.full((50, 80, 3), 7, np.uint8))) == (0.5, 0.5)


def test_a_face_like_subject_is_kept() -> None:
    """The astronaut's head and suit, off the middle of the picture, stay in an upright cut."""
    x, y = focal_point(Pixels(np.asarray(photograph("astronaut"))))
    assert 0.25 < x < 0.75 and 0.1 < y < 0.9


def test_sharpening_is_slight_and_only_after_strong_reduction() -> None:
    """Edges grow steeper, the picture still scores as nothing lost, alpha and size stay."""
    soft = Image.new("L", (120, 80), 60)
    ImageDraw.Draw(soft).rectangle([60, 0, 120, 80], fill=180)
    pixels = Pixels(np.dstack([np.asarray(soft.resize((60, 40), Image.Resampling.BILINEAR))] * 3))
    sharp = sharpened(pixels, 240)
    assert int(np.ptp(sharp.array)) > int(np.ptp(pixels.array))
    assert sharpened(pixels, 100) is pixels
    graphic = Pixels(np.ascontiguousarray(np.asarray(translucent_graphic(100))))
    assert (sharpened(graphic, 400).array[:, :, 3] == graphic.array[:, :, 3]).all()


@pytest.mark.parametrize("name", ["chelsea", "coffee", "astronaut"])
def test_the_score_judges_the_sharpening(name: str) -> None:
    """What is given out scores 90 or more against the picture as it is."""
    pixels = Pixels(np.ascontiguousarray(np.asarray(photograph(name).resize((150, 100)))))
    sharp = sharpened_where_harmless(pixels, 600)
    assert sharp is pixels or score(prepare(pixels.array), sharp.array) >= 90
    assert sharpened_where_harmless(pixels, 160) is pixels
