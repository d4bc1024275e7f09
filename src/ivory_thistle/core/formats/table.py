"""The table of formats: everything that the product knows of a format stands in its row, and its row in its module.

Whoever needs to know something of formats asks a row; nobody compares names. A row is registered by `register`, which
the modules of this package do for their own, and a module from outside may do for another (docs/decisions/0012).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ivory_thistle.core.formats.segments import Segments, no_segments

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from ivory_thistle.core.formats.encoder import Encoder
    from ivory_thistle.core.images.facts import ImageFacts

FormatName = str
"""The name of a format in the table, e.g. "avif": in facts, in the database, on the wire."""

UNKNOWN: FormatName = "unknown"


def _never(data: bytes) -> bool:
    return False


def _one_frame(data: bytes) -> int:
    return 1


@dataclass(frozen=True, slots=True)
class Format:
    """One format: how it is told, read, decoded and written, and what holds for its files.

    `label` is for sentences. The first of `mimes` is the registered media type, the others are names that servers and
    pages use for it too; the first of `extensions` is given to new files. `begins` tells the format from the first
    4 kB of a file.

    Reading: `read_facts` where libvips does not read the header (None: it does); `segments`, `cut_off` and `frames` of
    a whole file (`frames` None: libvips counts them). `upright`: its decoder turns a picture as EXIF asks by itself.

    Decoding: `load` gives a libvips image of a file that is to be reduced by at least a factor, or None where libvips
    had better load it itself. `decode_as_browsers` gives the pixels of a file that our encoder made, where libvips
    would give others.

    Files of it: `shown_by_all` browsers without asking; `kept` as they are, whatever the rules, or `treatable` at all;
    a `lossy` one has blurred what was drawn; `flat`: drawings are common in it; `vector`: it is drawn, not made of
    pixels; `modern_saves`: the share of bytes that modern formats save at like looks (0: it is modern itself; common
    practice, no source). `encoder` writes it (None: nothing does).
    """

    name: FormatName
    label: str
    mimes: tuple[str, ...]
    extensions: tuple[str, ...]
    begins: Callable[[bytes], bool] = _never
    read_facts: Callable[[bytes, str], ImageFacts] | None = None
    segments: Callable[[bytes], Segments] = no_segments
    cut_off: Callable[[bytes], bool] = _never
    frames: Callable[[bytes], int] | None = _one_frame
    upright: bool = False
    load: Callable[[bytes, float], Any] | None = None
    decode_as_browsers: Callable[[bytes], NDArray[Any]] | None = None
    encoder: Encoder | None = None
    shown_by_all: bool = False
    kept: bool = False
    treatable: bool = True
    lossy: bool = False
    flat: bool = False
    vector: bool = False
    modern_saves: float = 0.0

    @property
    def mime(self) -> str:
        """The registered media type."""
        return self.mimes[0]


class _Table(dict[FormatName, Format]):
    """Names that are not registered (any more: a module from outside may be gone) are unknown formats."""

    def __missing__(self, name: FormatName) -> Format:
        return self[UNKNOWN]


FORMATS = _Table({UNKNOWN: Format(UNKNOWN, "an unknown format", ("application/octet-stream",), (), treatable=False)})
"""Every format by its name, in the order in which files are tried."""


def register(row: Format) -> None:
    """Adds a format to the table, or replaces the row of its name."""
    FORMATS[row.name] = row


def sniff_format(head: bytes) -> FormatName | None:
    """The format that the first bytes (4 kB are enough) tell, or None when they are no picture's.

    Never by a file's name: WHATWG MIME Sniffing, section 6.1
    (https://mimesniff.spec.whatwg.org/#matching-an-image-type-pattern), with AVIF, HEIC, TIFF and SVG from their own
    specifications.
    """
    return next((row.name for row in FORMATS.values() if row.begins(head)), None)


def extension_of(path: str) -> str:
    """The lower-case extension of a path without its dot; empty when there is none."""
    name = path.rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[-1].lower() if "." in name[1:] else ""


def image_extensions() -> frozenset[str]:
    """The extensions of all formats."""
    return frozenset(e for row in FORMATS.values() for e in row.extensions)


def is_named_as_image(path: str) -> bool:
    """Whether a path has the extension of a format."""
    extension = extension_of(path)
    return any(extension in row.extensions for row in FORMATS.values())


def format_of_mime(mime: str) -> FormatName | None:
    """The format of a media type; None for none of the table's."""
    return next((row.name for row in FORMATS.values() if mime in row.mimes and row.name != UNKNOWN), None)
