"""Facts from bytes, decoding, encoders and the treatment of one image."""

from __future__ import annotations

import io
import struct
import zlib

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.jpeg import JPEG
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.kind import look_at
from ivory_thistle.core.images.pixels import Pixels, decode, reduce
from pictures import encoded, opened, photograph, png_that_claims


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
    assert "icc_profile" not in opened(JPEG.encode(Pixels(got.astype(np.uint8)), Settings(90)).data).info


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


def test_texts_of_a_png_may_be_latin_1() -> None:
    """PNG, third edition, 11.3.3.2: keyword and text of tEXt are Latin-1. Such a picture is as good as any."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    plain = encoded(Image.new("RGB", (5, 4)), "PNG")
    at = plain.index(b"IDAT") - 4
    data = plain[:at] + chunk(b"tEXt", b"Schl\xfcssel\0W\xe4rter") + plain[at:]
    facts, faults = read_facts("a.png", data)
    assert facts is not None and (facts.width, facts.height, facts.problem) == (5, 4, "") and faults == ()
    assert look_at(data, facts) is not None
