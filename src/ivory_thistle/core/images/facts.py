"""Facts about one image file, read from its header without decoding its pixels."""

from __future__ import annotations

import io
import math
import re
import warnings
from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import sha256

import pillow_heif
import pyvips
from PIL import Image as PillowImage

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.images.segments import profile_name, read_segments
from ivory_thistle.core.images.sniff import (
    EXTENSIONS,
    IMAGE_EXTENSIONS,
    NAMES,
    ImageFormat,
    extension_of,
    sniff_format,
)

MAX_PIXELS = 120_000_000
"""Pictures that claim more pixels than this are refused: no camera makes them, and memory stays bounded."""


@dataclass(frozen=True, slots=True)
class ImageFacts:
    """What the bytes say. `width` and `height` are as shown (EXIF rotation applied), in pixels.

    `frames` is 1 for a still picture; sizes are 0 where the header can't be read. `problem` says in words
    why the picture can't be treated, and is empty for a sound one. The fields from `metadata` on are those of
    `Segments`; `profile` is the name of the colour profile.
    """

    format: ImageFormat
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
    metadata: Mapping[str, int] = field(default_factory=dict)
    copyright: str = ""
    profile: str = ""
    progressive: bool = False
    subsampling: str = ""
    quality: int | None = None
    palette: int = 0
    lossless: bool | None = None

    @property
    def is_raster(self) -> bool:
        """True for every format made of pixels that could be read."""
        return self.format not in ("svg", "unknown") and self.width > 0

    @property
    def treatable(self) -> bool:
        """True for a sound, still raster picture that a browser's `img` shows."""
        return (
            self.is_raster
            and not self.problem
            and self.frames == 1
            and self.format in ("jpeg", "png", "webp", "gif", "bmp", "avif", "tiff", "heic")
        )


def read_facts(path: str, data: bytes) -> tuple[ImageFacts | None, tuple[Fault, ...]]:
    """Facts and faults of a file named `path` with content `data`; (None, ()) when it is no picture.

    A file with a picture's extension that holds no picture gives facts of format "unknown" and a fault.
    """
    kind = sniff_format(data[:4096])
    extension = extension_of(path)
    digest = sha256(data).hexdigest()
    if kind is None:
        if extension not in IMAGE_EXTENSIONS:
            return None, ()
        message = f"{path} is named .{extension} but holds no picture; replace or remove it."
        facts = ImageFacts("unknown", 0, 0, len(data), digest, problem="holds no picture")
        return facts, (Fault("unreadable-image", path, message),)
    facts = _svg_facts(data, digest) if kind == "svg" else _raster_facts(kind, data, digest)
    return facts, tuple(_faults(path, extension, facts))


def _faults(path: str, extension: str, facts: ImageFacts) -> list[Fault]:
    found = []
    if facts.format in EXTENSIONS and extension not in EXTENSIONS[facts.format]:
        said = f"is named .{extension}" if extension else "has no extension"
        found.append(Fault("wrong-extension", path, f"{path} {said} but its bytes are {NAMES[facts.format]}."))
    if facts.problem.startswith("claims"):
        found.append(Fault("too-many-pixels", path, f"{path} {facts.problem}; it is left as it is."))
    elif facts.problem.startswith("is cut off"):
        found.append(Fault("truncated-image", path, f"{path} {facts.problem}; get a whole copy of it."))
    elif facts.problem:
        found.append(Fault("unreadable-image", path, f"{path} can't be read: {facts.problem}."))
    return found


def _raster_facts(kind: ImageFormat, data: bytes, digest: str) -> ImageFacts:
    try:
        if kind == "heic":
            return _by_heif(data, digest)
        facts = _by_pillow(kind, data, digest) if kind in ("bmp", "ico") else _by_vips(kind, data, digest)
    except (pyvips.Error, OSError, ValueError, SyntaxError) as error:
        reason = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        return ImageFacts(kind, 0, 0, len(data), digest, problem=f"its header is broken ({reason})")
    return facts


# Position and thumbnail stand inside the EXIF segment.
_PRIVATE = ("exif", "xmp", "iptc", "text", "comment", "preview")


# Asked for by name: the library can't list fields whose own names are no UTF-8, as the texts of a PNG may be.
_EMBEDDED = ("exif-data", "xmp-data", "iptc-data", "icc-profile-data")


def _by_vips(kind: ImageFormat, data: bytes, digest: str) -> ImageFacts:
    image = pyvips.Image.new_from_buffer(data, "")

    def field(name: str, default: int) -> int:
        return int(image.get(name)) if image.get_typeof(name) else default

    orientation = field("orientation", 1)
    width, height = image.width, field("page-height", image.height)
    if orientation in (5, 6, 7, 8) and kind not in ("avif", "heic"):
        width, height = height, width
    sizes = {n: len(image.get(n)) for n in _EMBEDDED if image.get_typeof(n)}
    segments = read_segments(kind, data)
    metadata = dict(segments.metadata) or {n.removesuffix("-data"): size for n, size in sizes.items() if size}
    profile = profile_name(image.get("icc-profile-data")) if "icc-profile-data" in sizes else ""
    problem = ""
    if width * height * max(1, field("n-pages", 1)) > MAX_PIXELS * (4 if field("n-pages", 1) > 1 else 1):
        problem = f"claims {width:,} × {height:,} pixels, more than the {MAX_PIXELS // 1_000_000} million taken"
    elif _cut_off(kind, data):
        problem = "is cut off before its end"
    return ImageFacts(
        format=kind,
        width=width,
        height=height,
        bytes=len(data),
        sha256=digest,
        frames=field("n-pages", 1) if kind in ("gif", "webp", "avif") else _png_frames(kind, data),
        has_alpha=bool(image.hasalpha()),
        bit_depth={"uchar": 8, "ushort": 16, "float": 32}.get(str(image.format), 8),
        colour=str(image.interpretation),
        profile_bytes=sizes.get("icc-profile-data", 0),
        orientation=orientation,
        metadata_bytes=sum(metadata.get(n, 0) for n in _PRIVATE),
        problem=problem,
        metadata=metadata,
        copyright=segments.copyright,
        profile=profile,
        progressive=segments.progressive,
        subsampling=segments.subsampling,
        quality=segments.quality,
        palette=segments.palette,
        lossless=segments.lossless,
    )


def _by_pillow(kind: ImageFormat, data: bytes, digest: str) -> ImageFacts:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
        try:
            with PillowImage.open(io.BytesIO(data), formats=["BMP", "ICO", "CUR"]) as image:
                width, height, alpha = image.width, image.height, "A" in image.getbands()
        except PillowImage.DecompressionBombError:
            problem = f"claims more than the {MAX_PIXELS // 1_000_000} million pixels taken"
            return ImageFacts(kind, 0, 0, len(data), digest, problem=problem)
    return ImageFacts(kind, width, height, len(data), digest, has_alpha=alpha)


def _by_heif(data: bytes, digest: str) -> ImageFacts:
    """A HEIC picture, as phones make them; its own rotation is applied by the library."""
    opened = pillow_heif.open_heif(data, convert_hdr_to_8bit=False)
    width, height = opened.size
    problem = ""
    if width * height > MAX_PIXELS:
        problem = f"claims {width:,} × {height:,} pixels, more than the {MAX_PIXELS // 1_000_000} million taken"
    sizes = {"exif": len(opened.info.get("exif") or b""), "xmp": len(opened.info.get("xmp") or b"")}
    metadata = {n: size for n, size in sizes.items() if size}
    profile = opened.info.get("icc_profile") or b""
    return ImageFacts(
        "heic", width, height, len(data), digest, has_alpha=opened.has_alpha,
        bit_depth=int(opened.info.get("bit_depth", 8)), profile_bytes=len(profile),
        metadata_bytes=sum(metadata.values()), problem=problem, metadata=metadata,
        profile=profile_name(profile) if profile else "", lossless=False,
    )  # fmt: skip


def _png_frames(kind: ImageFormat, data: bytes) -> int:
    """Frames of an animated PNG from its acTL chunk, which stands before IDAT (PNG, third edition)."""
    at = data.find(b"acTL", 0, 65536) if kind == "png" else -1
    return int.from_bytes(data[at + 4 : at + 8], "big") if at > 0 and b"IDAT" not in data[:at] else 1


def _cut_off(kind: ImageFormat, data: bytes) -> bool:
    """True when the end that the format demands is missing. Trailing rubbish is no cut."""
    if kind == "jpeg":
        return b"\xff\xd9" not in data[-65536:]
    if kind == "png":
        return b"IEND" not in data[-65536:]
    if kind == "gif":
        return _gif_cut_off(data)
    if kind == "webp":
        return len(data) < int.from_bytes(data[4:8], "little") + 8
    if kind == "avif":
        return _boxes_cut_off(data)
    return False


def _gif_cut_off(data: bytes) -> bool:
    """Walks the blocks of a GIF89a file; true when they end before its trailer."""
    if len(data) < 13:
        return True
    at = 13 + (3 << ((data[10] & 7) + 1) if data[10] & 0x80 else 0)
    while at < len(data) and data[at] != 0x3B:
        if data[at] == 0x2C and at + 10 <= len(data):
            packed = data[at + 9]
            at += 11 + (3 << ((packed & 7) + 1) if packed & 0x80 else 0)
        else:
            at += 2
        while at < len(data) and data[at]:
            at += data[at] + 1
        at += 1
    return at >= len(data)


def _boxes_cut_off(data: bytes) -> bool:
    """Walks the top-level boxes of an ISO base media file; true when one reaches past the end."""
    at = 0
    while at + 8 <= len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        if size == 1:
            size = int.from_bytes(data[at + 8 : at + 16], "big")
        if size == 0:
            return False
        if size < 8:
            return True
        at += size
    return at > len(data)


_SVG_SIZE = re.compile(rb"<(?:[A-Za-z]{1,40}+:)?svg\b([^<>]*+)>", re.IGNORECASE | re.DOTALL)
_SVG_VIEWBOX = re.compile(rb"viewBox\s*=\s*[\"']\s*[-\d.e]+[\s,]+[-\d.e]+[\s,]+([\d.e]+)[\s,]+([\d.e]+)", re.IGNORECASE)


_MOST_SIDE = 1_000_000.0


def _svg_side(attributes: bytes, name: bytes) -> float:
    """One side in px; 0 where it is missing, a share, or no number."""
    found = re.search(rb"(?:^|\s)" + name + rb"\s*=\s*[\"']\s*([\d.]{1,40})(?:px)?\s*[\"']", attributes)
    return _svg_number(found.group(1)) if found else 0.0


def _svg_number(text: bytes) -> float:
    """A positive number; 0 for what is none or not finite."""
    try:
        value = float(text)
    except ValueError:
        return 0.0
    return value if 0 < value < math.inf else 0.0


def _svg_facts(data: bytes, digest: str) -> ImageFacts:
    """Width and height of an SVG from its attributes in px, else from its viewBox, else 0."""
    tag = _SVG_SIZE.search(data[:65536])
    attributes = tag.group(1) if tag else b""
    width, height = (_svg_side(attributes, name) for name in (b"width", b"height"))
    found = _SVG_VIEWBOX.search(attributes)
    box = (_svg_number(found.group(1)), _svg_number(found.group(2))) if found else (0.0, 0.0)
    if all(box) and not (width and height):
        # One side alone takes the other from the box's proportions.
        scale = width / box[0] if width else height / box[1] if height else 1.0
        width, height = box[0] * scale, box[1] * scale
    return ImageFacts(
        "svg",
        round(min(width, _MOST_SIDE)),
        round(min(height, _MOST_SIDE)),
        len(data),
        digest,
        has_alpha=True,
        colour="vector",
    )
