"""What is kept of a picture's metadata when it is written anew. Each format's module puts it into its files."""

from __future__ import annotations

import io
import re
import struct
import warnings
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from PIL import Image as PillowImage

MetadataPolicy = Literal["none", "copyright", "keep"]
_ORIENTATION, _ARTIST, _COPYRIGHT = 0x0112, 0x013B, 0x8298
_XMP_ORIENTATION = re.compile(rb'(tiff:Orientation(?:="|>))\d')
_EXIF_NAME = b"Exif\0\0"


@dataclass(frozen=True, slots=True)
class Metadata:
    """What goes into a file beside its pixels: EXIF (a TIFF block) and XMP (a packet), empty for none."""

    exif: bytes = b""
    xmp: bytes = b""

    def __bool__(self) -> bool:
        return bool(self.exif or self.xmp)


NO_METADATA = Metadata()


def kept_metadata(data: bytes, policy: MetadataPolicy) -> Metadata:
    """What a policy keeps of a file's metadata; what can't be read is nothing.

    "copyright" keeps its holder and the artist. "keep" keeps EXIF and XMP but the orientation, which is baked into the
    pixels, and the thumbnail.
    """
    if policy == "none":
        return NO_METADATA
    with suppress(OSError, ValueError, SyntaxError, struct.error, PillowImage.DecompressionBombError):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
            opened = PillowImage.open(io.BytesIO(data))
        with opened:
            found = opened.getexif()
            if policy == "copyright":
                tags = {tag: found[tag] for tag in (_ARTIST, _COPYRIGHT) if found.get(tag)}
                return Metadata(_block(tags)) if tags else NO_METADATA
            found.pop(_ORIENTATION, None)
            xmp = opened.info.get("xmp") or b""
            xmp = xmp.encode() if isinstance(xmp, str) else xmp
            exif = found.tobytes().removeprefix(_EXIF_NAME) if len(found) else b""
            return Metadata(exif, _XMP_ORIENTATION.sub(rb"\g<1>1", xmp))
    return NO_METADATA


def _block(tags: dict[int, object]) -> bytes:
    exif = PillowImage.Exif()
    for tag, value in tags.items():
        exif[tag] = value
    return exif.tobytes().removeprefix(_EXIF_NAME)
