"""Every encoder keeps one contract: it refuses what it can't do, and what it makes decodes to what went in."""

from __future__ import annotations

import io
import os
from pathlib import Path

import numpy as np
import pytest
import pyvips
from PIL import Image
from skimage.metrics import structural_similarity

from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.formats.avif import AVIF
from ivory_thistle.core.formats.encoder import Encoder, Settings
from ivory_thistle.core.formats.jpeg import JPEG
from ivory_thistle.core.formats.png import PNG
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.webp import WEBP
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.quality import prepare, score
from pictures import opened, photograph, translucent_graphic

ENCODERS = [row.encoder for row in FORMATS.values() if row.encoder]
PHOTOGRAPH = Pixels(np.ascontiguousarray(np.asarray(photograph("chelsea").resize((301, 201)))))
GRAPHIC = Pixels(np.ascontiguousarray(np.asarray(translucent_graphic(200))))
WAYS = {
    "jpeg": (JPEG, Settings(85)),
    "jpeg quick": (JPEG, Settings(85, quick=True)),
    "jpeg 4:4:4": (JPEG, Settings(85, "4:4:4")),
    "png": (PNG, Settings()),
    "png quick": (PNG, Settings(quick=True)),
    "png palette": (PNG, Settings(95, palette=True)),
    "webp": (WEBP, Settings(85)),
    "webp quick": (WEBP, Settings(85, quick=True)),
    "webp sharp": (WEBP, Settings(85, sharp=True)),
    "webp lossless": (WEBP, Settings()),
    "webp near": (WEBP, Settings(near=60)),
    "avif": (AVIF, Settings(70)),
    "avif quick": (AVIF, Settings(70, quick=True)),
    "avif 4:2:2": (AVIF, Settings(70, "4:2:2")),
    "avif 4:4:4": (AVIF, Settings(70, "4:4:4")),
    "avif 10 bit": (AVIF, Settings(70, depth=10)),
    "avif svt": (AVIF, Settings(70, engine="svt")),
    "avif lossless": (AVIF, Settings()),
}
LOSSLESS = ("png", "png quick", "webp lossless", "avif lossless")


def by_pillow(data: bytes) -> np.ndarray:
    """Decoded by Pillow."""
    image = opened(data)
    return np.asarray(image.convert("RGBA" if "A" in image.getbands() or image.mode == "P" else "RGB"))


@pytest.mark.parametrize("name", WAYS)
def test_the_contract(name: str) -> None:
    """Size as given, no metadata, the same twice; Pillow and pyvips decode it alike, close to the original."""
    encoder, settings = WAYS[name]
    made = encoder.encode(PHOTOGRAPH, settings)
    assert made.bytes == len(made.data) and (made.width, made.height) == (301, 201)
    assert made.format == encoder.can.format and made.how == settings and made.settings
    assert encoder.encode(PHOTOGRAPH, settings).data == made.data
    image = opened(made.data)
    assert image.size == (301, 201) and not image.getexif() and "icc_profile" not in image.info
    ours, theirs = by_pillow(made.data)[:, :, :3], pyvips.Image.new_from_buffer(made.data, "").colourspace("srgb")
    assert np.abs(ours.astype(int) - theirs.numpy()[:, :, :3]).mean() < 1.5
    assert structural_similarity(PHOTOGRAPH.array, ours, channel_axis=2) > 0.9
    facts, faults = read_facts(f"x.{made.format}", made.data)
    assert facts and not facts.problem and faults == () and (facts.width, facts.height) == (301, 201)
    if name in LOSSLESS:
        assert (ours == PHOTOGRAPH.array).all()


@pytest.mark.slow
@pytest.mark.parametrize("name", [n for n, (e, _) in WAYS.items() if e.can.alpha and n != "avif 10 bit"])
def test_transparency_survives(name: str) -> None:
    """Alpha within two steps of what went in; without loss it is the same."""
    encoder, settings = WAYS[name]
    alpha = by_pillow(encoder.encode(GRAPHIC, settings).data)[:, :, 3].astype(int)
    assert np.abs(alpha - GRAPHIC.array[:, :, 3]).mean() < 2
    if name in LOSSLESS:
        assert (alpha == GRAPHIC.array[:, :, 3]).all()


@pytest.mark.parametrize("encoder", ENCODERS, ids=lambda e: e.can.format)
def test_what_an_encoder_says_it_can_it_does(encoder: Encoder) -> None:
    """Its lowest and highest quality, each chroma and depth; one quality beyond its range is refused."""
    low, high = encoder.can.qualities
    lossy = Settings(low, palette=encoder.can.palette)
    small = Pixels(PHOTOGRAPH.array[:32, :48].copy())
    assert encoder.encode(small, lossy).bytes <= encoder.encode(small, Settings(high, palette=lossy.palette)).bytes
    for beyond in (low - 1, high + 1):
        with pytest.raises(EncodeError, match=rf"takes qualities from {low} to {high}\."):
            encoder.encode(small, Settings(beyond))
    for chroma in encoder.can.chromas:
        assert encoder.encode(small, Settings(60, chroma, palette=lossy.palette)).bytes
    for depth in encoder.can.depths:
        assert encoder.encode(small, Settings(60, depth=depth, palette=lossy.palette)).bytes  # type: ignore[arg-type]


REFUSALS = [
    (JPEG, GRAPHIC, Settings(80), "JPEG keeps no transparency."),
    (JPEG, PHOTOGRAPH, Settings(), "JPEG can't be without loss."),
    (JPEG, PHOTOGRAPH, Settings(80, "4:2:2"), "JPEG can't keep chroma at 4:2:2."),
    (JPEG, PHOTOGRAPH, Settings(80, depth=10), "JPEG has no 10 bits."),
    (JPEG, PHOTOGRAPH, Settings(80, palette=True), "JPEG has no palette."),
    (WEBP, PHOTOGRAPH, Settings(80, "4:4:4"), "WebP can't keep chroma at 4:4:4."),
    (WEBP, Pixels(np.zeros((1, 16_384, 3), np.uint8)), Settings(80), "WebP can't be over 16,383 pixels a side."),
    (PNG, PHOTOGRAPH, Settings(near=60), "PNG has no near-lossless mode."),
    (AVIF, PHOTOGRAPH, Settings(60, sharp=True), "AVIF has no sharper conversion of colours."),
    (AVIF, PHOTOGRAPH, Settings(60, "4:4:4", engine="svt"), "SVT-AV1 can't keep chroma but at 4:2:0."),
    (WEBP, PHOTOGRAPH, Settings(60, engine="svt"), "WebP has no engine svt."),
]


@pytest.mark.parametrize(
    ("encoder", "pixels", "settings", "words"), REFUSALS, ids=lambda x: x if isinstance(x, str) else ""
)
def test_refusals(encoder: Encoder, pixels: Pixels, settings: Settings, words: str) -> None:
    """Whole sentences, before anything is encoded."""
    with pytest.raises(EncodeError) as refused:
        encoder.encode(pixels, settings)
    assert str(refused.value) == words


@pytest.mark.parametrize("shape", [(1, 1, 3), (1, 1, 4), (1, 300, 3), (300, 1, 1), (2, 3, 2), (64, 64, 1)])
@pytest.mark.parametrize("encoder", ENCODERS, ids=lambda e: e.can.format)
def test_odd_shapes(encoder: Encoder, shape: tuple[int, int, int]) -> None:
    """One pixel, one row, one column, grey, grey with alpha: a file of that size, or a refusal."""
    pixels = Pixels(np.random.default_rng(1).integers(0, 255, shape, dtype=np.uint8))
    settings = Settings(80, palette=encoder.can.palette)
    if encoder.refusal(pixels, settings):
        assert encoder is JPEG and pixels.has_alpha
        return
    assert opened(encoder.encode(pixels, settings).data).size == (shape[1], shape[0])


def test_the_quick_effort_scores_about_the_same_for_more_bytes() -> None:
    """Within eight points at the same setting, and not smaller at the same score by more than a little."""
    pixels = Pixels(np.asarray(photograph("coffee")))
    side = prepare(pixels.array)
    for encoder, quality in ((AVIF, 55), (WEBP, 75), (JPEG, 70)):
        thorough, quick = (encoder.encode(pixels, Settings(quality, quick=q)) for q in (False, True))
        scores = [score(side, by_pillow(e.data)) for e in (thorough, quick)]
        assert abs(scores[0] - scores[1]) < 8
        assert thorough.bytes < quick.bytes * 1.02


def test_avif_without_loss_is_bad_at_logos_and_photographs() -> None:
    """Common practice, no source: a logo's lossless AVIF is several times its lossless WebP (210 kB against 42);
    a photograph without loss is about twice its JPEG as AVIF and four times as PNG."""
    logo = Pixels(np.ascontiguousarray(np.asarray(translucent_graphic(400))))
    assert AVIF.encode(logo, Settings()).bytes > 1.5 * WEBP.encode(logo, Settings()).bytes
    photo = Pixels(np.asarray(photograph("coffee")))
    jpeg = JPEG.encode(photo, Settings(92)).bytes
    assert AVIF.encode(photo, Settings()).bytes > 1.5 * jpeg
    assert PNG.encode(photo, Settings()).bytes > 2.5 * jpeg


@pytest.mark.parametrize("encoder", ENCODERS, ids=lambda e: e.can.format)
def test_metadata_and_profile_go_in(encoder: Encoder) -> None:
    """Pillow and pyvips read the copyright and the profile back; the pixels stay the same."""
    exif = Image.Exif()
    exif[0x8298] = "Ida Falk"
    settings = Settings(90, palette=encoder.can.palette)
    profile = bytes(pyvips.Image.profile_load("p3"))
    wide = Pixels(PHOTOGRAPH.array, profile)
    block = Metadata(exif.tobytes().removeprefix(b"Exif\0\0"), b'<x:xmpmeta xmlns:x="x:ns">words</x:xmpmeta>')
    data = encoder.encode(wide, settings, block).data
    image = opened(data)
    assert image.getexif()[0x8298] == "Ida Falk"
    assert image.info["icc_profile"] == profile
    fields = pyvips.Image.new_from_buffer(data, "")
    assert b"words" in fields.get("xmp-data")
    assert fields.get("icc-profile-data") == profile
    assert fields.get("exif-ifd0-Copyright").startswith("Ida Falk")
    assert (by_pillow(data) == by_pillow(encoder.encode(PHOTOGRAPH, settings).data)).all()


@pytest.mark.slow
def test_transparent_webp_keeps_its_alpha_flag_with_metadata() -> None:
    """RFC 9649: a plain file becomes an extended one whose flags tell of alpha and EXIF."""
    exif = Image.Exif()
    exif[0x013B] = "Ida Falk"
    for pixels in (GRAPHIC, Pixels(GRAPHIC.array[:, :, :3].copy())):
        for settings in (Settings(80), Settings()):
            data = WEBP.encode(pixels, settings, Metadata(exif.tobytes().removeprefix(b"Exif\0\0"))).data
            assert int.from_bytes(data[4:8], "little") == len(data) - 8
            assert opened(data).mode == ("RGBA" if pixels.has_alpha else "RGB")
            assert Image.open(io.BytesIO(data)).getexif()[0x013B] == "Ida Falk"


def scheduling() -> dict[str, int]:
    """How each thread of this process is scheduled."""
    return {t.name: os.sched_getscheduler(int(t.name)) for t in Path("/proc/self/task").iterdir()}


@pytest.mark.slow
def test_no_encoder_changes_how_the_process_is_scheduled() -> None:
    """As root, SVT-AV1 would leave its thread in real time: every browser started later would starve the machine."""
    before = scheduling()
    for encoder, settings in WAYS.values():
        encoder.encode(PHOTOGRAPH, settings)
    assert set(before.values()) | set(scheduling().values()) == {os.SCHED_OTHER}
