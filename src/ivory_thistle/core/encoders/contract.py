"""What every encoder delivers."""

from __future__ import annotations

from dataclasses import dataclass

from ivory_thistle.core.images.sniff import ImageFormat


@dataclass(frozen=True, slots=True)
class Encoded:
    """A finished file: same pixel size as what went in, no metadata, sRGB; `settings` in words."""

    format: ImageFormat
    width: int
    height: int
    settings: str
    data: bytes

    @property
    def bytes(self) -> int:
        """Size of the file."""
        return len(self.data)
