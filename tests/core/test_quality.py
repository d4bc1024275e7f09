"""The score agrees with the reference package; the damage map finds what was planted."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pillow_avif  # noqa: F401 - teaches Pillow to write AVIF
import pytest
from PIL import Image
from skimage.metrics import structural_similarity
from ssimulacra2 import compute_ssimulacra2

from ivory_thistle.core.quality import damage_map, prepare, score, worst_spots
from ivory_thistle.core.quality.squares import Squares, has_squares
from pictures import encoded, opened, photograph, translucent_graphic


def drawn() -> Image.Image:
    """A flat graphic."""
    return translucent_graphic(400).convert("RGB")


PICTURES = {n: photograph(n) for n in ("chelsea", "coffee", "rocket", "astronaut", "china", "flower")} | {
    "drawn": drawn()
}
SIZES = [None, (333, 217), (97, 61)]
ENCODINGS = [("JPEG", 92), ("JPEG", 35), ("WEBP", 60), ("AVIF", 45)]


def lossy(image: Image.Image, format_: str, quality: int) -> Image.Image:
    """A picture encoded and decoded."""
    return Image.open(io.BytesIO(encoded(image, format_, quality=quality))).convert("RGB")


def array(image: Image.Image) -> np.ndarray:
    """Its pixels."""
    return np.asarray(image)


@pytest.mark.daily(1)
@pytest.mark.slow
@pytest.mark.parametrize("name", PICTURES)
def test_agreement_with_the_reference_package(name: str, tmp_path: Path) -> None:
    """ssimulacra2 0.3.0 from PyPI: 84 pairs in all, within 0.5 points, photographs and a graphic, all encoders, odd sizes."""
    for size in SIZES:
        original = PICTURES[name].convert("RGB")
        original = original.resize(size) if size else original
        original.save(tmp_path / "a.png")
        for format_, quality in ENCODINGS:
            rendition = lossy(original, format_, quality)
            rendition.save(tmp_path / "b.png")
            theirs = compute_ssimulacra2(tmp_path / "a.png", tmp_path / "b.png")
            ours = score(prepare(array(original)), array(rendition))
            assert ours == pytest.approx(theirs, abs=0.5), (name, size, format_, quality)


@pytest.mark.parametrize("size", [(8, 8), (9, 31), (16, 40), (33, 17), (70, 9)])
def test_agreement_on_tiny_pictures(size: tuple[int, int], tmp_path: Path) -> None:
    """With fewer scales than six, the published weights are read on without gaps."""
    original = photograph("chelsea").resize(size)
    rendition = lossy(original, "JPEG", 50)
    original.save(tmp_path / "a.png")
    rendition.save(tmp_path / "b.png")
    theirs = compute_ssimulacra2(tmp_path / "a.png", tmp_path / "b.png")
    assert score(prepare(array(original)), array(rendition)) == pytest.approx(theirs, abs=0.5)


def test_no_difference_is_100() -> None:
    """Equal pictures, also grey and with alpha; below 8 pixels nothing can be judged."""
    for image in (photograph("coffee"), photograph("coffee").convert("L"), translucent_graphic(200)):
        assert score(prepare(array(image)), array(image)) == 100
    dot = np.zeros((3, 3, 3), np.uint8)
    assert score(prepare(dot), dot + 99) == 100


def test_another_size_is_a_broken_promise() -> None:
    """An error, not a number."""
    with pytest.raises(ValueError, match="the original is 451 x 300"):
        score(prepare(array(photograph("chelsea"))), np.zeros((10, 10, 3), np.uint8))


def test_more_loss_scores_less_as_ssim_says_too() -> None:
    """scikit-image's SSIM moves the same way over JPEG qualities."""
    original = photograph("coffee")
    side, grey = prepare(array(original)), array(original.convert("L"))
    renditions = [lossy(original, "JPEG", q) for q in (95, 80, 60, 40, 20, 8)]
    ours = [score(side, array(r)) for r in renditions]
    theirs = [structural_similarity(grey, array(r.convert("L"))) for r in renditions]
    assert ours == sorted(ours, reverse=True)
    assert theirs == sorted(theirs, reverse=True)


@pytest.mark.whole
def test_squares_tell_about_the_same_as_the_whole() -> None:
    """Three published photographs put together, so large that squares are less: within 2.5 points, 0.7 on average."""
    sides = [photograph(name).resize((640, 800)) for name in ("coffee", "chelsea", "china")]
    whole = np.hstack([np.asarray(side) for side in sides])
    upright = np.ascontiguousarray(whole.transpose(1, 0, 2))
    off = []
    for picture in (whole, upright):
        prepared, squares = prepare(picture), Squares(picture)
        for name, quality in (("JPEG", 40), ("JPEG", 80), ("WEBP", 60), ("AVIF", 55), ("AVIF", 75)):
            seen = np.asarray(opened(encoded(Image.fromarray(picture), name, quality=quality)).convert("RGB"))
            off.append(squares.score(seen) - score(prepared, seen))
    assert np.max(np.abs(off)) < 2.5 and abs(np.mean(off)) < 0.7, off
    assert not has_squares(np.asarray(sides[0]))


def test_alpha_counts_over_the_ground_where_it_shows_most() -> None:
    """A dark shadow that vanishes is nothing over black and much over white: the worse one counts."""
    original = np.zeros((200, 200, 4), np.uint8)
    original[50:150, 50:150, 3] = 200
    gone = np.zeros_like(original)
    assert score(prepare(original), gone) < 30
    opaque = np.full((200, 200, 4), 255, np.uint8)
    assert len(prepare(opaque).grounds) == 1


def test_planted_damage_is_found() -> None:
    """A blurred patch and a patch of noise are the two worst spots, at their places, and no spot touches another."""
    rng = np.random.default_rng(1)
    original = array(photograph("astronaut"))
    spoilt = original.copy()
    patch = Image.fromarray(original[100:164, 300:364]).resize((8, 8)).resize((64, 64))
    spoilt[100:164, 300:364] = array(patch)
    spoilt[400:464, 60:124] = np.clip(original[400:464, 60:124] + rng.normal(0, 60, (64, 64, 3)), 0, 255)
    damage = damage_map(prepare(original), spoilt)
    assert damage.shape == (512, 512) and damage[10, 10] < 0.01
    spots = worst_spots(damage, 2)
    centres = sorted((s.x + s.width // 2, s.y + s.height // 2) for s in spots)
    assert centres[0] == pytest.approx((92, 432), abs=24) and centres[1] == pytest.approx((332, 132), abs=24)
    many = worst_spots(damage_map(prepare(original), array(lossy(photograph("astronaut"), "JPEG", 20))), 6)
    assert len(many) == 6 and [s.damage for s in many] == sorted((s.damage for s in many), reverse=True)
    for n, a in enumerate(many):
        assert 0 <= a.x <= 512 - a.width and 0 <= a.y <= 512 - a.height
        for b in many[n + 1 :]:
            assert a.x + a.width <= b.x or b.x + b.width <= a.x or a.y + a.height <= b.y or b.y + b.height <= a.y


def test_blocks_of_a_poor_jpeg_show_in_the_map() -> None:
    """JPEG at quality 10 (common practice, no source): much damage, and more at its 8 x 8 grid than within."""
    original = photograph("chelsea")
    poor = array(lossy(original, "JPEG", 10))
    damage = damage_map(prepare(array(original)), poor)
    assert float(damage.mean()) > 10 * float(
        damage_map(prepare(array(original)), array(lossy(original, "JPEG", 95))).mean()
    )
    steps = np.abs(np.diff(poor[:, :448].astype(int).mean(axis=2), axis=1)).mean(axis=0)
    assert steps[7::8].mean() > 1.5 * np.delete(steps, np.s_[7::8]).mean()


def test_nothing_wrong_has_no_spots() -> None:
    """An untouched picture."""
    original = array(photograph("coffee"))
    assert worst_spots(damage_map(prepare(original), original)) == []
