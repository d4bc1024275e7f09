"""Facts and kinds of other people's pictures: Pillow's own test images, IJG qualities, Debian's screenshots and icons."""

from __future__ import annotations

import io
import json
import subprocess
import tarfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from ivory_thistle.core.formats import jpeg, png, webp
from ivory_thistle.core.formats.jpeg import scaled_table
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.kind import look_at
from pictures import encoded, photograph
from registries import debian_package, python_source

PILLOW = "13.0.0"
# Formats that we read; the archive holds many more.
_READ = (".jpg", ".jpeg", ".png", ".webp", ".gif", ".bmp", ".tif", ".tiff", ".avif", ".ico", ".apng")


@pytest.fixture(scope="module")
def pillow_images(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """The test images in Pillow's source archive (Tests/images), those of up to 4 MB."""
    archive = python_source("pillow", PILLOW, tmp_path_factory.mktemp("pillow"))
    found = {}
    with tarfile.open(archive) as opened:
        for member in opened:
            if "/Tests/images/" in member.name and member.name.lower().endswith(_READ) and member.size < 4_000_000:
                file = opened.extractfile(member)
                if file:
                    found[member.name.split("/Tests/images/")[1]] = file.read()
    return found


def facts(name: str, data: bytes) -> ImageFacts | None:
    """Facts of a picture, which never raise."""
    return read_facts(name, data)[0]


@pytest.mark.whole
def test_no_picture_brings_the_reader_down(pillow_images: dict[str, bytes]) -> None:
    """Truncated, crafted, bombs, odd: facts or a problem in words, and a look or none."""
    assert len(pillow_images) > 400
    for name, data in pillow_images.items():
        known = facts(name, data)
        if known:
            look_at(data, known)
            assert known.width >= 0 and isinstance(known.problem, str)


@pytest.mark.whole
def test_pixels_and_frames_are_pillows(pillow_images: dict[str, bytes]) -> None:
    """Of all sound pictures; turned by EXIF as they are shown."""
    wrong, judged = [], 0
    for name, data in pillow_images.items():
        known = facts(name, data)
        if not known or known.problem or known.format in ("ico", "tiff", "svg"):
            continue
        try:
            with Image.open(io.BytesIO(data)) as opened:
                opened.load()
                size, frames = opened.size, getattr(opened, "n_frames", 1)
                turned = opened.getexif().get(0x0112, 1) in (5, 6, 7, 8)
        except Exception:
            continue
        judged += 1
        size = size[::-1] if turned and known.format in ("jpeg",) else size
        if {(known.width, known.height)} != {size} and (known.height, known.width) != size:
            wrong.append((name, (known.width, known.height), size))
        if known.format in ("gif", "webp") and known.frames != frames:
            wrong.append((name, known.frames, frames))
    assert judged > 250
    assert wrong == []


@pytest.mark.parametrize("n", range(1, 9))
def test_all_eight_orientations(n: int) -> None:
    """A picture in every EXIF orientation is read as it is shown: two directions lie across."""
    exif = Image.Exif()
    exif[0x0112] = n
    known = facts("x.jpg", encoded(photograph("chelsea").resize((90, 60)), "JPEG", exif=exif))
    assert known is not None
    assert (known.width, known.height, known.orientation) == ((60, 90) if n >= 5 else (90, 60)) + (n,)


@pytest.mark.whole
def test_metadata_as_exiftool_reads_it(pillow_images: dict[str, bytes], tmp_path: Path) -> None:
    """Debian's libimage-exiftool-perl: a GPS position, a thumbnail and its length in a JPEG's EXIF, exactly as it says."""
    for name, data in pillow_images.items():
        if name.endswith((".jpg", ".jpeg")):
            (tmp_path / name.replace("/", "_")).write_bytes(data)
    call = ["exiftool", "-j", "-G1", "-n", "-GPS:all", "-IFD1:ThumbnailLength", str(tmp_path)]
    told = json.loads(subprocess.run(call, capture_output=True, check=False).stdout)
    assert sum("IFD1:ThumbnailLength" in tags for tags in told) > 15
    wrong = []
    for tags in told:
        name = Path(tags["SourceFile"]).name
        ours = jpeg.read_segments((tmp_path / name).read_bytes()).metadata
        has_position = any(k.startswith("GPS:") and k != "GPS:GPSVersionID" for k in tags)
        # One file's thumbnail is said to be longer than its EXIF: then there is none.
        length = min(tags.get("IFD1:ThumbnailLength", 0), ours.get("exif", 0))
        if name == "exif_gps_typeerror.jpg":
            continue  # Its positions have impossible types: exiftool shows none of them, we count them as private.
        if has_position != ("gps" in ours) or length != ours.get("thumbnail", 0):
            wrong.append((name, has_position, length, dict(ours)))
    assert wrong == []


@pytest.mark.parametrize("quality", [1, 10, 25, 40, 50, 60, 75, 80, 85, 90, 92, 95, 99, 100])
def test_qualities_of_a_known_encoder(quality: int) -> None:
    """libjpeg by Pillow at known qualities: our estimate is the very number (IJG scaling formula)."""
    data = encoded(photograph("chelsea"), "JPEG", quality=quality)
    assert jpeg.read_segments(data).quality == quality
    with Image.open(io.BytesIO(data)) as opened:
        assert sorted(opened.quantization[0]) == sorted(scaled_table(quality))


@pytest.mark.parametrize(("code", "name"), [(0, "4:4:4"), (1, "4:2:2"), (2, "4:2:0")])
@pytest.mark.parametrize("progressive", [True, False])
def test_how_a_jpeg_was_made(code: int, name: str, progressive: bool) -> None:
    """Chroma subsampling and progressive scans, as the encoder was told."""
    data = encoded(photograph("chelsea"), "JPEG", subsampling=code, progressive=progressive)
    found = jpeg.read_segments(data)
    assert (found.subsampling, found.progressive) == (name, progressive)


def test_palettes_and_losslessness() -> None:
    """Colours of a palette; WebP with and without loss."""
    small = photograph("chelsea").quantize(32)
    assert png.read_segments(encoded(small, "PNG")).palette == 32
    assert webp.read_segments(encoded(photograph("chelsea"), "WEBP", lossless=True)).lossless is True
    assert webp.read_segments(encoded(photograph("chelsea"), "WEBP")).lossless is False


# Kinds, told by what the packages are: a handbook's figures are screenshots, an icon theme holds drawn icons.
@pytest.fixture(scope="module")
def labelled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[list[tuple[str, str, bytes]]]:
    """Name, kind and content."""
    place = tmp_path_factory.mktemp("debian")
    found: list[tuple[str, str, bytes]] = []
    icons = debian_package("tango-icon-theme", place, "*/32x32/*.png", "*/22x22/*.png")
    found += [(str(p), "graphic", p.read_bytes()) for p in sorted(icons.rglob("*.png"))[::12]]
    figures = debian_package("gnucash-docs", place, "*/gnucash-guide-de/figures/*.png")
    found += [(str(p), "lettering", p.read_bytes()) for p in sorted(figures.rglob("*.png"))]
    from skimage import data

    photos = ("astronaut", "coffee", "chelsea", "rocket", "camera", "coins", "moon", "brick", "grass", "gravel", "cat",
              "hubble_deep_field", "retina", "immunohistochemistry", "clock", "cell")  # fmt: skip
    for name in photos:
        try:
            array = np.asarray(getattr(data, name)())
        except (FileNotFoundError, ModuleNotFoundError, OSError):
            continue  # Some of scikit-image's pictures are not in its package but would be downloaded.
        if array.dtype != np.uint8:
            array = (array * 255).astype(np.uint8) if array.max() <= 1 else array.astype(np.uint8)
        found.append((f"scikit-image {name}", "photograph", encoded(Image.fromarray(array), "PNG")))
    yield found


@pytest.mark.whole
def test_kinds_are_right(labelled: list[tuple[str, str, bytes]]) -> None:
    """At least 95 % of the whole set, and 90 % of every kind."""
    wrong: dict[str, list[str]] = {"graphic": [], "lettering": [], "photograph": []}
    totals = dict.fromkeys(wrong, 0)
    for name, kind, content in labelled:
        known = facts(name.rsplit("/", 1)[-1] if "/" in name else "x.png", content)
        look = look_at(content, known) if known else None
        totals[kind] += 1
        if not look or look.kind != kind:
            wrong[kind].append(f"{name}: {look.kind if look else None}")
    assert all(n >= 10 for n in totals.values()), totals
    assert sum(map(len, wrong.values())) <= 0.05 * len(labelled), wrong
    assert all(len(wrong[k]) <= 0.1 * totals[k] for k in totals), wrong


def test_a_graphic_saved_as_jpeg_is_still_a_drawing() -> None:
    """Flat drawings at high JPEG qualities keep their kind; a photograph stays one at any."""
    from pictures import translucent_graphic

    drawn = encoded(translucent_graphic().convert("RGB"), "JPEG", quality=95)
    known = facts("x.jpg", drawn)
    assert known and (look := look_at(drawn, known)) and look.kind in ("graphic", "lettering")
    for quality in (30, 60, 95):
        photo = encoded(photograph("coffee"), "JPEG", quality=quality)
        known = facts("x.jpg", photo)
        assert known and (look := look_at(photo, known)) and look.kind == "photograph"
