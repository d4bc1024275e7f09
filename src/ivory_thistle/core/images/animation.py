"""Animations: their frames with timing. Each format's module says how it writes them."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from typing import Any

import numpy as np
from PIL import Image as PillowImage
from PIL import ImageSequence

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.pixels import Pixels, reduce

MAX_FRAME_PIXELS = 120_000_000
"""Frames times pixels that are taken; they are all in memory at once (4 bytes each)."""


@dataclass(frozen=True, slots=True, eq=False)
class Animation:
    """Whole frames of one size, how long each is shown (milliseconds), and how often it plays (0: for ever)."""

    frames: tuple[Pixels, ...]
    delays: tuple[int, ...]
    plays: int


def decode_animation(data: bytes, facts: ImageFacts, width: int | None = None) -> Animation:
    """All frames, composed as a browser shows them, at `width` pixels (never enlarged). Raises PictureError."""
    if facts.frames * facts.width * facts.height > MAX_FRAME_PIXELS:
        raise PictureError(f"The animation holds {facts.frames} frames, more than are taken at this size.")
    frames, delays = [], []
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", PillowImage.DecompressionBombWarning)
            with PillowImage.open(io.BytesIO(data)) as opened:
                plays = _plays(opened)
                for frame in ImageSequence.Iterator(opened):
                    whole = Pixels(np.asarray(frame.convert("RGBA"), dtype=np.uint8))
                    frames.append(reduce(whole, width or whole.width))
                    delays.append(int(frame.info.get("duration", 0)))
    except (OSError, ValueError, SyntaxError, EOFError, MemoryError, PillowImage.DecompressionBombError) as error:
        raise PictureError(f"The animation can't be decoded: {error}.") from error
    if all((f.array[:, :, 3] == 255).all() for f in frames):
        frames = [f.without_unused_alpha() for f in frames]
    return Animation(tuple(frames), tuple(delays), plays)


def _plays(opened: PillowImage.Image) -> int:
    """A GIF counts repetitions after the first time and plays once where it says nothing; the others count plays."""
    loop = opened.info.get("loop")
    if opened.format == "GIF":
        return 1 if loop is None else loop + 1 if loop else 0
    return int(loop or 0)


def write_frames(animation: Animation, format_: str, **options: Any) -> bytes:
    """The animation through Pillow's writer of that name. Raises EncodeError."""
    first, *others = (f.as_pillow() for f in animation.frames)
    out = io.BytesIO()
    try:
        first.save(out, format_, save_all=True, append_images=others, duration=list(animation.delays), **options)
    except (OSError, ValueError) as error:
        raise EncodeError(f"{format_} encoder: {error}") from error
    return out.getvalue()
