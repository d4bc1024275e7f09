"""Facts from bytes, decoding, encoders and the treatment of one image."""

from __future__ import annotations

import io

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms
from skimage.metrics import structural_similarity

from ivory_thistle.core.encoders import encode_avif, encode_jpeg, encode_png, encode_webp
from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import Pixels, decode, reduce
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from pictures import camera_picture, encoded, opened, photograph, png_that_claims, translucent_graphic


def facts_of(data: bytes, path: str = "x.jpg") -> ImageFacts:
    facts, _ = read_facts(path, data)
    assert facts is not None
    return facts


@pytest.mark.parametrize(
    ("format_", "options"),
    [
        ("JPEG", {}),
        ("PNG", {}),
        ("WEBP", {}),
        ("AVIF", {}),
        ("GIF", {}),
        ("BMP", {}),
        ("TIFF", {}),
        ("ICO", {}),
    ],
)
def test_format_and_size_come_from_the_bytes(format_: str, options: dict[str, object]) -> None:
    """Every format is known under a name that lies; the size is Pillow's."""
    data = encoded(photograph("coffee").resize((64, 48)), format_, **options)
    facts, faults = read_facts("lies.xyz.jpg" if format_ != "JPEG" else "lies.png", data)
    assert facts is not None
    assert facts.format == format_.lower()
    assert (facts.width, facts.height) == opened(data).size
    assert [f.kind for f in faults] == ["wrong-extension"]


def test_svg_is_known_and_html_is_not() -> None:
    """SVG from its root element, with its size from the viewBox; a web page is no picture."""
    facts = facts_of(
        b'<?xml version="1.0"?><!-- x --><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 12"/>',
        "a.svg",
    )
    assert (facts.format, facts.width, facts.height) == ("svg", 24, 12)
    assert read_facts("a.html", b"<!doctype html><svg></svg>") == (None, ())
    facts, faults = read_facts("a.png", b"<html>404</html>")
    assert facts is not None and facts.format == "unknown"
    assert faults[0].message == "a.png is named .png but holds no picture; replace or remove it."


@pytest.mark.parametrize("format_", ["JPEG", "PNG", "GIF", "WEBP", "AVIF"])
def test_a_cut_off_file_is_a_fault_and_not_treated(format_: str) -> None:
    """Whatever the format, half a file is told and refused."""
    data = encoded(photograph("coffee"), format_)
    facts, faults = read_facts("x." + format_.lower().replace("jpeg", "jpg"), data[: len(data) // 2])
    assert facts is not None and facts.problem
    assert faults and faults[0].kind in ("truncated-image", "unreadable-image")
    with pytest.raises(PictureError):
        decode(data[: len(data) // 2], facts)


def test_a_huge_claim_is_refused_without_memory() -> None:
    """60,000 x 60,000 pixels in a hundred bytes: a fault at once."""
    facts, faults = read_facts("bomb.png", png_that_claims(60_000, 60_000))
    assert facts is not None and not facts.treatable
    assert (
        faults[0].message
        == "bomb.png claims 60,000 × 60,000 pixels, more than the 120 million taken; it is left as it is."
    )


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_rotation_is_applied(orientation: int) -> None:
    """All eight orientations stand upright, like Pillow's exif_transpose."""
    from PIL import ImageOps

    exif = Image.Exif()
    exif[0x0112] = orientation
    data = encoded(photograph("coffee").resize((90, 60)), "JPEG", quality=95, exif=exif.tobytes())
    expected = ImageOps.exif_transpose(opened(data))
    pixels = decode(data, facts_of(data))
    assert (pixels.width, pixels.height) == expected.size == (facts_of(data).width, facts_of(data).height)
    assert np.abs(pixels.array.astype(int) - np.asarray(expected).astype(int)).mean() < 1.5


def test_a_profile_is_converted_and_dropped() -> None:
    """A picture in another RGB profile has the colours that Pillow's CMS gives in sRGB."""
    source = photograph("astronaut").resize((96, 96))
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
    # Swap red and green primaries: a wide, wrong profile that shows at once when it is ignored.
    wide = pyvips.Image.new_from_memory(source.tobytes(), 96, 96, 3, "uchar").copy(interpretation="srgb")
    data = bytes(wide.icc_transform("p3", input_profile="srgb").jpegsave_buffer(Q=100, keep="icc"))
    assert facts_of(data).profile_bytes > 0
    opened_image = opened(data)
    profile = ImageCms.ImageCmsProfile(io.BytesIO(opened_image.info["icc_profile"]))
    expected = np.asarray(ImageCms.profileToProfile(opened_image, profile, lab, outputMode="RGB")).astype(int)
    got = decode(data, facts_of(data)).array.astype(int)
    assert np.abs(got - expected).mean() < 2
    assert "icc_profile" not in opened(encode_jpeg(Pixels(got.astype(np.uint8)), 90).data).info


def test_cmyk_and_sixteen_bits_become_plain_colours() -> None:
    """Printers' and scientists' pictures come out as 8-bit sRGB of the same size."""
    coffee = photograph("coffee").resize((80, 60))
    cmyk = encoded(coffee.convert("CMYK"), "JPEG", quality=95)
    assert decode(cmyk, facts_of(cmyk)).array.shape == (60, 80, 3)
    wide = np.asarray(coffee).astype(np.uint16) * 257
    sixteen = bytes(pyvips.Image.new_from_array(wide).copy(interpretation="rgb16").pngsave_buffer())
    assert facts_of(sixteen).bit_depth == 16
    assert np.abs(decode(sixteen, facts_of(sixteen)).array.astype(int) - np.asarray(coffee)).max() <= 1


def test_reduction_is_in_linear_light_and_premultiplied() -> None:
    """A fine black and white chequer averages to 188 (half the light, IEC 61966-2-1), not 128;
    colour under full transparency does not bleed."""
    chequer = (np.indices((128, 128)).sum(axis=0) % 2 * 255).astype(np.uint8)[:, :, None].repeat(3, axis=2)
    small = reduce(Pixels(chequer), 16)
    assert abs(float(small.array[4:12, 4:12].mean()) - 188) < 3
    bleed = np.zeros((64, 64, 4), np.uint8)
    bleed[:, :, 0] = 255
    bleed[:, 32:] = (0, 255, 0, 255)
    edge = reduce(Pixels(bleed), 8).array
    assert edge[edge[:, :, 3] > 128][:, 0].max() < 30


ENCODERS = {
    "jpeg": lambda p: encode_jpeg(p, 85),
    "png": encode_png,
    "webp": lambda p: encode_webp(p, 85),
    "webp-lossless": lambda p: encode_webp(p, None),
    "avif": lambda p: encode_avif(p, 70),
    "avif-444": lambda p: encode_avif(p, 70, full_colour=True),
}


@pytest.mark.parametrize("name", ENCODERS)
def test_encoders_keep_their_contract(name: str) -> None:
    """Size as given, no metadata, and Pillow and pyvips decode it to the same picture, close to the original."""
    original = np.asarray(photograph("chelsea").resize((301, 201)))
    made = ENCODERS[name](Pixels(np.ascontiguousarray(original)))
    assert made.bytes == len(made.data) and (made.width, made.height) == (301, 201)
    by_pillow = opened(made.data)
    by_vips = pyvips.Image.new_from_buffer(made.data, "").colourspace("srgb").numpy()[:, :, :3].astype(int)
    assert by_pillow.size == (301, 201)
    assert not by_pillow.getexif() and "icc_profile" not in by_pillow.info
    a = np.asarray(by_pillow.convert("RGB"))
    assert np.abs(a.astype(int) - by_vips).mean() < 1.5
    assert structural_similarity(original, a, channel_axis=2) > 0.9


@pytest.mark.parametrize("name", ["png", "webp", "webp-lossless", "avif"])
def test_transparency_survives(name: str) -> None:
    """Alpha within two steps of what went in."""
    graphic = np.asarray(translucent_graphic(200))
    made = opened(ENCODERS[name](Pixels(np.ascontiguousarray(graphic))).data).convert("RGBA")
    assert np.abs(np.asarray(made)[:, :, 3].astype(int) - graphic[:, :, 3]).mean() < 2


def test_jpeg_refuses_transparency() -> None:
    """An encoder says what it can't do."""
    with pytest.raises(EncodeError, match="JPEG keeps no transparency"):
        encode_jpeg(Pixels(np.zeros((4, 4, 4), np.uint8)), 80)


def test_camera_pictures_at_a_quarter_end_95_per_cent_lighter() -> None:
    """Common practice, no source: 40 camera pictures, 104 MB, at a quarter of their sides became 5.4 MB."""
    data = encoded(camera_picture(), "JPEG", quality=95)
    treated = treat_image(data, facts_of(data), [750], Rules())
    fallback = next(r for r in treated.renditions if r.tier == "baseline")
    assert 0.90 <= 1 - fallback.bytes / len(data) <= 0.99


def test_a_translucent_truecolour_png_of_few_colours_ends_60_per_cent_lighter() -> None:
    """Common practice, no source: a palette takes about 70 % off, up to 90."""
    data = encoded(translucent_graphic(), "PNG", compress_level=6)
    treated = treat_image(data, facts_of(data), [600], Rules())
    fallback = next(r for r in treated.renditions if r.tier == "baseline")
    assert fallback.format == "png" and fallback.settings == "palette, dithered"
    assert fallback.bytes <= len(data) * 0.4
    assert opened(fallback.data).convert("RGBA").getpixel((2, 2))[3] == 0


def test_renditions_are_never_larger_nor_wider() -> None:
    """A picture that is small already keeps its file, with the reason in words."""
    tiny = encoded(photograph("coffee").resize((300, 200)), "JPEG", quality=40)
    treated = treat_image(tiny, facts_of(tiny), [150, 300], Rules())
    assert all(r.bytes < len(tiny) and r.width <= 300 for r in treated.renditions)
    assert any(w.startswith("The original (") for w in treated.words)


def test_opaque_alpha_is_dropped_and_metadata_too() -> None:
    """An opaque photograph saved with alpha gets a JPEG fallback without any EXIF."""
    exif = Image.Exif()
    exif[0x010F] = "Lumen Works"
    data = encoded(photograph("chelsea").convert("RGBA"), "PNG", exif=exif.tobytes())
    treated = treat_image(data, facts_of(data), [451], Rules())
    assert [(r.tier, r.format) for r in treated.renditions] == [
        ("avif", "avif"),
        ("webp", "webp"),
        ("baseline", "jpeg"),
    ]
    assert all(b"Lumen" not in r.data for r in treated.renditions)


def test_the_kind_decides_what_stays_lossless() -> None:
    """Looked at or told, the same drawing gives the same files; a drawing that JPEG has spoilt is treated with loss."""
    drawn = translucent_graphic(300)
    png = encoded(drawn, "PNG")
    looked, told = (treat_image(png, facts_of(png), [300], Rules(), kind) for kind in (None, "graphic"))
    assert [r.sha256 for r in looked.renditions] == [r.sha256 for r in told.renditions]
    assert looked.words[0] == "Flat graphic: lossless."
    jpeg = encoded(drawn.convert("RGB"), "JPEG", quality=96)
    assert treat_image(jpeg, facts_of(jpeg), [300], Rules(), "graphic").words[0] == "Photograph."
