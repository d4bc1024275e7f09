"""TIFF: read through libvips, never written."""

from ivory_thistle.core.formats.table import Format, register

register(
    Format(
        name="tiff",
        label="TIFF",
        mimes=("image/tiff",),
        extensions=("tif", "tiff"),
        begins=lambda head: head.startswith((b"II*\x00", b"MM\x00*")),
        modern_saves=0.9,
    )
)
