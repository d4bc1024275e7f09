"""Facts about one image file, read from its header without decoding its pixels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Literal

import pyvips

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.segments import profile_name
from ivory_thistle.core.formats.table import FORMATS, UNKNOWN, FormatName, extension_of, image_extensions, sniff_format

MAX_PIXELS = 120_000_000
"""Pictures that claim more pixels than this are refused: no camera makes them, and memory stays bounded."""
_MORE_FOR_FRAMES = 4


ImageFault = Literal["unreadable-image", "truncated-image", "too-many-pixels"]
_ADVICE: Mapping[ImageFault, str] = {
    "unreadable-image": "replace it",
    "truncated-image": "get a whole copy of it",
    "too-many-pixels": "it is left as it is",
}


@dataclass(frozen=True, slots=True)
class ImageFacts:
    """What the bytes say. `width` and `height` are as shown (EXIF rotation applied), in pixels.

    `frames` is 1 for a still picture; sizes are 0 where the header can't be read. `problem` says why the picture can't
    be treated, as it follows on "It", and is empty for a sound one; `fault` is its kind. The fields from `metadata` on
    are those of `Segments`; `profile` is the name of the colour profile.
    """

    format: FormatName
    width: int
    height: int
    bytes: int
    sha256: str
    frames: int = 1
    has_alpha: bool = False
    bit_depth: int = 8
    colour: str = "srgb"
    profile_bytes: int = 0
    orientation: int = 1
    metadata_bytes: int = 0
    problem: str = ""
    fault: ImageFault = "unreadable-image"
    metadata: Mapping[str, int] = field(default_factory=dict)
    copyright: str = ""
    profile: str = ""
    progressive: bool = False
    subsampling: str = ""
    quality: int | None = None
    palette: int = 0
    lossless: bool | None = None

    @property
    def is_vector(self) -> bool:
        """True for a drawing that has no pixels of its own."""
        return FORMATS[self.format].vector

    @property
    def is_raster(self) -> bool:
        """True for every format made of pixels that could be read."""
        return not self.is_vector and self.width > 0

    @property
    def treatable(self) -> bool:
        """True for a sound, still raster picture that a browser's `img` shows."""
        return self.is_raster and not self.problem and self.frames == 1 and FORMATS[self.format].treatable


def too_many_pixels(width: int, height: int, frames: int = 1) -> str:
    """What is wrong with a picture of so many pixels, in words; empty where that is within the limits."""
    if width * height * max(1, frames) <= MAX_PIXELS * (_MORE_FOR_FRAMES if frames > 1 else 1):
        return ""
    return f"claims {width:,} × {height:,} pixels, more than the {MAX_PIXELS // 1_000_000} million taken"


def read_facts(path: str, data: bytes) -> tuple[ImageFacts | None, tuple[Fault, ...]]:
    """Facts and faults of a file named `path` with content `data`; (None, ()) when it is no picture.

    A file with a picture's extension that holds no picture gives facts of format "unknown" and a fault.
    """
    kind = sniff_format(data[:4096])
    extension = extension_of(path)
    digest = sha256(data).hexdigest()
    if kind is None:
        if extension not in image_extensions():
            return None, ()
        message = f"{path} is named .{extension} but holds no picture; replace or remove it."
        facts = ImageFacts(UNKNOWN, 0, 0, len(data), digest, problem="holds no picture")
        return facts, (Fault("unreadable-image", path, message),)
    facts = _facts_of(kind, data, digest)
    return facts, tuple(_faults(path, extension, facts))


def _faults(path: str, extension: str, facts: ImageFacts) -> list[Fault]:
    found = []
    row = FORMATS[facts.format]
    if extension not in row.extensions:
        said = f"is named .{extension}" if extension else "has no extension"
        found.append(Fault("wrong-extension", path, f"{path} {said} but its bytes are {row.label}."))
    if facts.problem:
        found.append(Fault(facts.fault, path, f"{path} {facts.problem}; {_ADVICE[facts.fault]}."))
    return found


def _facts_of(kind: FormatName, data: bytes, digest: str) -> ImageFacts:
    read = FORMATS[kind].read_facts
    try:
        return read(data, digest) if read else _by_vips(kind, data, digest)
    except (pyvips.Error, OSError, ValueError, SyntaxError) as error:
        reason = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        return ImageFacts(kind, 0, 0, len(data), digest, problem=f"has a broken header ({reason})")


# Position and thumbnail stand inside the EXIF segment.
_PRIVATE = ("exif", "xmp", "iptc", "text", "comment", "preview")


# Asked for by name: the library can't list fields whose own names are no UTF-8, as the texts of a PNG may be.
_EMBEDDED = ("exif-data", "xmp-data", "iptc-data", "icc-profile-data")


def _by_vips(kind: FormatName, data: bytes, digest: str) -> ImageFacts:
    image, row = pyvips.Image.new_from_buffer(data, ""), FORMATS[kind]

    def field(name: str, default: int) -> int:
        return int(image.get(name)) if image.get_typeof(name) else default

    orientation, pages = field("orientation", 1), field("n-pages", 1)
    width, height = image.width, field("page-height", image.height)
    if orientation in (5, 6, 7, 8) and not row.upright:
        width, height = height, width
    sizes = {n: len(image.get(n)) for n in _EMBEDDED if image.get_typeof(n)}
    segments = row.segments(data)
    metadata = dict(segments.metadata) or {n.removesuffix("-data"): size for n, size in sizes.items() if size}
    huge, cut_off = too_many_pixels(width, height, pages), row.cut_off(data)
    return ImageFacts(
        format=kind,
        width=width,
        height=height,
        bytes=len(data),
        sha256=digest,
        frames=row.frames(data) if row.frames else pages,
        has_alpha=bool(image.hasalpha()),
        bit_depth={"uchar": 8, "ushort": 16, "float": 32}.get(str(image.format), 8),
        colour=str(image.interpretation),
        profile_bytes=sizes.get("icc-profile-data", 0),
        orientation=orientation,
        metadata_bytes=sum(metadata.get(n, 0) for n in _PRIVATE),
        problem=huge or ("is cut off before its end" if cut_off else ""),
        fault="too-many-pixels" if huge else "truncated-image",
        metadata=metadata,
        copyright=segments.copyright,
        profile=profile_name(image.get("icc-profile-data")) if "icc-profile-data" in sizes else "",
        progressive=segments.progressive,
        subsampling=segments.subsampling,
        quality=segments.quality,
        palette=segments.palette,
        lossless=segments.lossless,
    )
