"""What a picture file holds besides its pixels: metadata by sort, and how it was encoded."""

from __future__ import annotations

import io
import struct
import warnings
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import wraps

from PIL import Image as PillowImage
from PIL.ExifTags import IFD

_COPYRIGHT, _THUMBNAIL_LENGTH = 0x8298, 0x0202
_ENTRY_BYTES = 12
"""An entry of a TIFF directory (TIFF 6.0, section 2)."""


@dataclass(frozen=True, slots=True)
class Segments:
    """`metadata` in bytes of payload by sort (exif, gps, thumbnail, xmp, iptc, icc, text, comment, preview).

    `quality` is that of a JPEG's luminance table by the IJG's scaling formula (None: no JPEG); `palette` the number of
    a PNG's or GIF's colours, 0 without one.
    """

    metadata: Mapping[str, int] = field(default_factory=dict)
    copyright: str = ""
    progressive: bool = False
    subsampling: str = ""
    quality: int | None = None
    palette: int = 0
    lossless: bool | None = None


def no_segments(data: bytes) -> Segments:
    """Nothing known besides the pixels."""
    return Segments()


def forgiving(read: Callable[[bytes], Segments]) -> Callable[[bytes], Segments]:
    """A reader that takes a file whose segments are broken for one that has none."""

    @wraps(read)
    def forgives(data: bytes) -> Segments:
        try:
            return read(data)
        except (struct.error, IndexError, ValueError):
            return Segments()

    return forgives


def note_exif(block: bytes, sizes: dict[str, int]) -> str:
    """Adds the bytes of position and thumbnail that an EXIF block holds; gives its copyright (Exif 2.32, section 4.6).

    What is broken is left out.
    """
    with warnings.catch_warnings(), suppress(OSError, ValueError, SyntaxError, struct.error, KeyError, TypeError):
        warnings.simplefilter("ignore")
        exif = PillowImage.Exif()
        exif.load(block)
        positions = exif.get_ifd(IFD.GPSInfo)
        if set(positions) - {0}:  # the version alone tells nothing
            sizes["gps"] = _ENTRY_BYTES * len(positions)
        thumbnail = exif.get_ifd(IFD.IFD1).get(_THUMBNAIL_LENGTH, 0)
        if isinstance(thumbnail, int) and 0 < thumbnail <= len(block):
            sizes["thumbnail"] = thumbnail
        said = exif.get(_COPYRIGHT, "")
        if isinstance(said, str):
            return said.encode("latin-1", "replace").decode("utf-8", "replace").replace("\0", " ").strip()
    return ""


def profile_name(profile: bytes) -> str:
    """What an ICC profile calls itself; empty where it does not say."""
    from PIL import ImageCms  # loads a library of its own, so only when a profile is met

    try:
        return ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile))).strip()
    except (ImageCms.PyCMSError, OSError):
        return ""


# Display P3 adapted to D50 as ICC profiles have it (SMPTE EG 432-1 primaries, white D65).
_P3_COLORANTS = (
    ("red_colorant", (0.5151, 0.2412, -0.0011)),
    ("green_colorant", (0.2919, 0.6922, 0.0419)),
    ("blue_colorant", (0.1572, 0.0666, 0.7841)),
)
_COLORANTS_NEAR = 0.004


def is_display_p3(profile: bytes) -> bool:
    """Whether an ICC profile has the primaries of Display P3, whatever it is called (ICC.1:2022, 7.3 and 10.31)."""
    from PIL import ImageCms

    try:
        opened = ImageCms.ImageCmsProfile(io.BytesIO(profile)).profile
    except (ImageCms.PyCMSError, OSError):
        return False
    for name, theirs in _P3_COLORANTS:
        found = getattr(opened, name)
        if not found or any(abs(a - b) > _COLORANTS_NEAR for a, b in zip(found[0], theirs, strict=True)):
            return False
    return True
