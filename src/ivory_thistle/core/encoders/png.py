"""PNG: truecolour with the filter that compresses best, or a dithered palette (libvips, libspng or libpng)."""

from __future__ import annotations

from ivory_thistle.core.encoders.contract import Ability, Encoder, Settings
from ivory_thistle.core.encoders.vips import FAULTS, tagged
from ivory_thistle.core.images.metadata import Metadata
from ivory_thistle.core.images.pixels import Pixels

_FILTERS = ("all", "none")


def _write(pixels: Pixels, settings: Settings, metadata: Metadata) -> tuple[bytes, str]:
    """A palette's quality (1 to 100) is how near its colours must come; fewer are taken where fewer will do."""
    image, keep = tagged(pixels, metadata)
    if settings.palette:
        data = image.pngsave_buffer(
            palette=True, Q=settings.quality or 95, dither=settings.dither, effort=3 if settings.quick else 8,
            compression=9, keep=keep,
        )  # fmt: skip
        return bytes(data), f"palette of quality {settings.quality or 95}, dithered"
    if settings.quick:
        return bytes(image.pngsave_buffer(compression=6, filter="all", keep=keep)), "truecolour, lossless, quick"
    # Flat graphics compress best unfiltered, all else with a filter chosen for each row.
    tried = [bytes(image.pngsave_buffer(compression=9, filter=name, keep=keep)) for name in _FILTERS]
    return min(tried, key=len), "truecolour, lossless"


PNG = Encoder(
    Ability("png", (1, 100), (0.6, 0.1), chromas=("4:2:0", "4:2:2", "4:4:4"), palette=True, max_side=1_000_000),
    _write,
    FAULTS,
)
