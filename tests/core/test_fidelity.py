"""Renditions keep the look that was asked for, in every format and at every width, by the full picture."""

from __future__ import annotations

import io
import re
from pathlib import Path

import numpy as np
import pytest
from ivory_thistle.core.treatment.fidelity import FIDELITIES, Levels, encode_to_fidelity
from PIL import Image
from ssimulacra2 import compute_ssimulacra2

from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.pixels import Pixels, decode, reduce
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.selection.tier import TIERS, Tier
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from pictures import encoded, photograph, translucent_graphic


def ladder(image: Image.Image, *widths: int) -> list[Pixels]:
    """A picture's rungs by rising width, as a treatment makes them."""
    data = encoded(image, "PNG")
    facts = read_facts("x.png", data)[0]
    assert facts is not None
    top = decode(data, facts, widths[-1])
    return [*(reduce(top, w) for w in widths[:-1]), top]


def pixels(data: bytes) -> np.ndarray:
    """A file decoded by Pillow, another decoder than the search's."""
    image = Image.open(io.BytesIO(data))
    return np.asarray(image.convert("RGBA" if "A" in image.getbands() else "RGB"))


@pytest.mark.parametrize("name", list(FIDELITIES))
@pytest.mark.parametrize("tier", TIERS)
def test_every_lossy_file_keeps_the_fidelity(name: str, tier: Tier, tmp_path: Path) -> None:
    """By our score and by the reference package's, at every width."""
    fidelity = FIDELITIES[name]  # type: ignore[index]
    levels = ladder(photograph("coffee"), 200, 400)
    files, missed = encode_to_fidelity(tier, Levels(levels), False, fidelity)
    assert [f.width for f in files] == [200, 400]
    if tier == "webp":
        # WebP halves chroma always: strong colours at small sizes are beyond it, which is said.
        files = [f for f in files if not any(f"at {f.width} px" in sentence for sentence in missed)]
        levels = [level for level in levels if any(f.width == level.width for f in files)]
    else:
        assert missed == []
    for level, file in zip(levels, files, strict=True):
        ours = score(prepare(level.array), pixels(file.data))
        said = re.search(r"score (\d+\.\d)", file.settings)
        assert said and float(said.group(1)) == pytest.approx(ours, abs=0.3)
        assert ours >= fidelity - 0.1
        Image.fromarray(level.array).save(tmp_path / "a.png")
        Image.fromarray(pixels(file.data)).save(tmp_path / "b.png")
        assert compute_ssimulacra2(tmp_path / "a.png", tmp_path / "b.png") >= fidelity - 0.5


@pytest.mark.parametrize("tier", TIERS)
def test_a_higher_fidelity_costs_more_bytes(tier: Tier) -> None:
    """In every format."""
    levels = Levels(ladder(photograph("chelsea"), 300))
    rising = [encode_to_fidelity(tier, levels, False, f)[0][0].bytes for f in (50, 65, 75, 85)]
    assert rising == sorted(rising) and rising[0] < 0.7 * rising[-1]


def test_graphics_stay_lossless_but_for_avif() -> None:
    """Nothing is searched where nothing is lost."""
    levels = Levels(ladder(translucent_graphic(300), 300))
    words = {tier: encode_to_fidelity(tier, levels, True, 75)[0][0].settings for tier in TIERS}
    assert "score" in words["avif"] and words["webp"] == "lossless" and "score" not in words["baseline"]


def test_a_fidelity_out_of_reach_is_said() -> None:
    """Noise that no encoder keeps at that score: the best it can do, in words, also in those of the treatment."""
    noise = Image.fromarray(np.random.default_rng(1).integers(0, 255, (120, 160, 3), dtype=np.uint8))
    data = encoded(noise, "PNG")
    facts = read_facts("x.png", data)[0]
    assert facts is not None
    words = treat_image(data, facts, (160,), Rules(fidelity=99)).words
    assert words[0] == "Photograph, kept at a score of 99."
    assert "WebP dropped: it can't keep this look." in words
    assert any(re.fullmatch(r"\w+ at 160 px scores \d+ at its best; 99 was asked for\.", w) for w in words)
