"""What an encoder takes and delivers, and what it says of itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, Protocol

from ivory_thistle.core.errors import EncodeError
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.images.metadata import NO_METADATA, Metadata
from ivory_thistle.core.images.pixels import Pixels

Chroma = Literal["4:2:0", "4:2:2", "4:4:4"]
Engine = Literal["", "svt"]
MOST_COLOURS = 256
"""Of a palette."""


@dataclass(frozen=True, slots=True)
class Settings:
    """How a file is to be encoded; what an encoder can't do it refuses.

    `quality` is on the encoder's own scale (None: without loss). `quick` takes an effort meant for searching: about the
    score of the thorough one, for a fraction of its time and more bytes. `sharp` converts colours so that edges of
    strong colour keep more within halved chroma. `near` (0 to 100) is lossless after a small change of pixels that
    compresses better. `dither` draws a palette's colours mixed, `colours` is how many it has at most. `engine` picks
    another codec for the same format.
    """

    quality: int | None = None
    chroma: Chroma = "4:2:0"
    depth: Literal[8, 10] = 8
    quick: bool = False
    sharp: bool = False
    near: int | None = None
    palette: bool = False
    dither: float = 1.0
    colours: int = MOST_COLOURS
    engine: Engine = ""


@dataclass(frozen=True, slots=True)
class Encoded:
    """A finished file of the same pixel size as what went in; `settings` in words, `how` as they were given."""

    format: FormatName
    width: int
    height: int
    settings: str
    data: bytes
    how: Settings = Settings()

    @property
    def bytes(self) -> int:
        """Size of the file."""
        return len(self.data)


@dataclass(frozen=True, slots=True)
class Ability:
    """What an encoder can do. `qualities` is its range of settings.

    `speed` is CPU seconds a megapixel on one thread, thorough and quick, as measured with the project
    (docs/decisions/0009).
    """

    format: FormatName
    qualities: tuple[int, int]
    speed: tuple[float, float]
    chromas: tuple[Chroma, ...] = ("4:2:0",)
    depths: tuple[int, ...] = (8,)
    alpha: bool = True
    lossless: bool = True
    near: bool = False
    palette: bool = False
    sharp: bool = False
    engines: tuple[Engine, ...] = ("",)
    max_side: int = 65_535


class Writer(Protocol):
    """The codec itself: a file's bytes and its settings in words; raises OSError, ValueError or `EncodeError`."""

    def __call__(self, pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
        """Encodes."""
        ...


@dataclass(frozen=True, slots=True)
class Encoder:
    """One format behind the contract that all share (tests/core/test_encoders.py).

    `put_exif` puts an EXIF block into a file that `write` made; None where `write` does so itself.
    """

    can: Ability
    write: Writer
    faults: tuple[type[Exception], ...] = (OSError, ValueError)
    put_exif: Callable[[bytes, bytes], bytes] | None = None

    @property
    def label(self) -> str:
        """The format in sentences."""
        return FORMATS[self.can.format].label

    def refusal(self, pixels: Pixels, settings: Settings) -> str:
        """In words, what the encoder can't do of this; empty when it can all."""
        can, name = self.can, self.label
        lossy = settings.quality is not None
        low, high = can.qualities
        checks = (
            (pixels.has_alpha and not can.alpha, f"{name} keeps no transparency."),
            (max(pixels.width, pixels.height) > can.max_side, f"{name} can't be over {can.max_side:,} pixels a side."),
            (lossy and not low <= (settings.quality or 0) <= high, f"{name} takes qualities from {low} to {high}."),
            (not lossy and not can.lossless, f"{name} can't be without loss."),
            (lossy and settings.chroma not in can.chromas, f"{name} can't keep chroma at {settings.chroma}."),
            (settings.depth not in can.depths, f"{name} has no {settings.depth} bits."),
            (settings.near is not None and not can.near, f"{name} has no near-lossless mode."),
            (settings.palette and not can.palette, f"{name} has no palette."),
            (settings.sharp and not can.sharp, f"{name} has no sharper conversion of colours."),
            (settings.engine not in can.engines, f"{name} has no engine {settings.engine}."),
        )
        return next((words for wrong, words in checks if wrong), "")

    def encode(self, pixels: Pixels, settings: Settings, metadata: Metadata = NO_METADATA) -> Encoded:
        """Pixels (8 bits, sRGB or Display P3) as a file. Raises EncodeError with what it refuses or where it failed."""
        refused = self.refusal(pixels, settings)
        if refused:
            raise EncodeError(refused)
        try:
            data, words = self.write(pixels, settings, metadata)
        except self.faults as error:
            raise EncodeError(f"{self.label} encoder: {error}") from error
        if self.put_exif and metadata.exif:
            data = self.put_exif(data, metadata.exif)
        return Encoded(self.can.format, pixels.width, pixels.height, words, data, settings)
