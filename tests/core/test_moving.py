"""Animations treated: frames, timing and plays kept, in the formats that are worth it."""

from __future__ import annotations

import io

import pytest
from PIL import Image, ImageDraw

from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from ivory_thistle.core.words import kb
from pictures import as_if_heavy, encoded, facts_of

pytestmark = pytest.mark.slow


def moving(format_: str, frames: int = 10, **options: object) -> bytes:
    """A disc that crosses a ground, in so many frames of 40 to 130 ms."""
    drawn = []
    for n in range(frames):
        image = Image.new("RGB", (320, 200), "#203040")
        ImageDraw.Draw(image).ellipse([20 + n * 20, 60, 100 + n * 20, 140], fill=(230, 190 - n * 5, 90))
        drawn.append(image)
    delays = [40 + 10 * n for n in range(frames)]
    return encoded(drawn[0], format_, save_all=True, append_images=drawn[1:], duration=delays, **options)


@pytest.mark.parametrize(
    ("format_", "options", "plays"),
    [
        ("GIF", {"loop": 0}, 0),
        ("GIF", {}, 1),
        ("GIF", {"loop": 2}, 3),
        ("PNG", {"loop": 2}, 2),
        ("WEBP", {"loop": 5}, 5),
    ],
)
def test_animations_keep_frames_timing_and_plays(format_: str, options: dict[str, int], plays: int) -> None:
    """From GIF (NETSCAPE2.0 counts repeats), animated PNG (num_plays) and WebP (loop count) to WebP."""
    data = moving(format_, **options)
    facts = as_if_heavy(facts_of(data, f"x.{format_.lower()}"))
    webp, avif = (
        treat_image(data, facts, [Step(320)], Rules(formats=(tier,)), "content", "animation")
        for tier in ("webp", "avif")
    )
    (file,) = webp.renditions
    image = Image.open(io.BytesIO(file.data))
    assert image.n_frames == 10 and image.info["loop"] == plays
    delays = []
    for n in range(10):
        image.seek(n)
        image.load()
        delays.append(image.info["duration"])
    assert delays == [40 + 10 * n for n in range(10)]
    assert ("AVIF left out: it can't be told how often to play." in avif.words) is (plays > 0)
    assert [r.tier for r in avif.renditions] == ([] if plays else ["avif"])
    assert all((r.score or 0) >= 75 for r in (*webp.renditions, *avif.renditions))
    assert webp.words[-1] == f"The original ({kb(facts.bytes)}) stays as the fallback."


def test_animations_grow_smaller_with_their_width() -> None:
    """A narrower slot, a narrower animation, premultiplied and of whole frames."""
    data = moving("GIF", loop=0)
    found = treat_image(data, as_if_heavy(facts_of(data, "x.gif")), [Step(160)], Rules())
    assert {(r.width, r.height) for r in found.renditions} == {(160, 100)}


def test_of_two_formats_the_lighter_stays() -> None:
    """Where both together are not worth their files, whichever of them was looked at first."""
    data = moving("GIF", loop=0)
    facts = as_if_heavy(facts_of(data, "x.gif"))
    alone = {
        tier: treat_image(data, facts, [Step(320)], Rules(formats=(tier,))).renditions[0].bytes
        for tier in ("webp", "avif")
    }
    both = treat_image(data, facts, [Step(320)], Rules(tier_bytes=100_000)).renditions
    assert {r.tier: r.bytes for r in both} == dict([min(alone.items(), key=lambda one: one[1])])
