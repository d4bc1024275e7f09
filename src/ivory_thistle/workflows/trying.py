"""One picture in hand: its reduced original, and settings tried on it, before anything is kept.

Each function runs in a worker, which keeps the last pictures decoded so that the next try begins at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from time import perf_counter

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.images.animation import decode_animation
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import Pixels, decode, decode_plain
from ivory_thistle.core.proof.judging import Judged
from ivory_thistle.core.quality import Prepared, prepare, score
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.proving import Shown, judged_pair, shown

_KEPT = 2
_LEAST_SIDE = 16
_NEAR = 4
"""A quality this near to one that was tried tells nothing new of the curve."""


@dataclass(frozen=True, slots=True)
class Sought:
    """A picture at a width (pixels), in a blob store."""

    blobs_url: str
    facts: ImageFacts
    width: int

    def __hash__(self) -> int:
        return hash((self.facts.sha256, self.width))


@dataclass(frozen=True, slots=True)
class Box:
    """A part of a picture, in its pixels."""

    x: int
    y: int
    width: int
    height: int

    def within(self, width: int, height: int) -> Box:
        """The same, where it lies inside of a picture; never smaller than can be judged."""
        wide, high = (min(max(side, _LEAST_SIDE), most) for side, most in ((self.width, width), (self.height, height)))
        return Box(min(max(self.x, 0), width - wide), min(max(self.y, 0), height - high), wide, high)


@dataclass(frozen=True, slots=True)
class Tried:
    """One setting tried: the file with its media type, its score, and seconds of work. `box`: of that part alone."""

    data: bytes
    mime: str
    score: float
    seconds: float
    box: Box | None = None


@lru_cache(_KEPT)
def _pixels(sought: Sought) -> Pixels:
    whole = decode(Blobs(sought.blobs_url).get(sought.facts.sha256), sought.facts, sought.width)
    if whole.width != sought.width:
        raise PictureError(f"The picture is {whole.width:,} px wide, not {sought.width:,}.")
    return whole.without_unused_alpha()


@lru_cache(_KEPT)
def _whole_side(sought: Sought) -> Prepared:
    return prepare(_pixels(sought).array)


def reduced_original(sought: Sought) -> bytes:
    """The original at that width, as renditions are held against it: WebP without loss. Raises PictureError."""
    image = _pixels(sought).as_vips()
    return bytes(image.webpsave_buffer(lossless=True, effort=0, keep="none"))


def judge_stored(blobs_url: str, facts: ImageFacts, rendition: str) -> Judged:
    """How a stored rendition (by its SHA-256) looks beside its original. Raises PictureError."""
    blobs = Blobs(blobs_url)
    judged, before, _ = judged_pair(blobs.get(facts.sha256), blobs.get(rendition), facts)
    return judged.scaled(facts.width / before.shape[1]) if facts.is_vector else judged


@lru_cache(2 * _KEPT)
def _frames(blobs_url: str, digest: str, width: int | None) -> list[NDArray[np.uint8]]:
    data = Blobs(blobs_url).get(digest)
    facts = read_facts("animation", data)[0]
    if facts is None or facts.problem:
        raise PictureError("The animation can't be read.")
    return [frame.array for frame in decode_animation(data, facts, width).frames]


def still(blobs_url: str, digest: str, width: int, frame: int) -> bytes:
    """One frame of a stored animation at a width, as WebP without loss. Raises PictureError."""
    frames = _frames(blobs_url, digest, width)
    if frame >= len(frames):
        raise PictureError(f"There are {len(frames)} frames.")
    image = Pixels(frames[frame]).as_vips()
    return bytes(image.webpsave_buffer(lossless=True, effort=0, keep="none"))


def show_stored(blobs_url: str, facts: ImageFacts, rendition: str) -> Shown:
    """What is seen of a stored rendition on a page of its own. Raises PictureError."""
    blobs = Blobs(blobs_url)
    return shown(blobs.get(facts.sha256), blobs.get(rendition), facts)[1]


def try_setting(sought: Sought, tier: Tier, quality: int, how: Settings, box: Box | None) -> Tried:
    """A tier's encoder at a quality (on its own scale, held to its range), and else as a rendition was made.

    Of a part of the picture by the quick encoder, of the whole by the rendition's own. Raises PictureError,
    EncodeError.
    """
    begun = perf_counter()
    whole, making = _pixels(sought), TIERS[tier].making
    low, high = making.limits
    settings = replace(how, quality=min(max(quality, low), high))
    if box is None:
        encoded = making.encoder.encode(whole, settings)
        reached = score(_whole_side(sought), decode_plain(encoded.data, encoded.format))
    else:
        box = box.within(whole.width, whole.height)
        part = np.ascontiguousarray(whole.array[box.y : box.y + box.height, box.x : box.x + box.width])
        encoded = making.encoder.encode(replace(whole, array=part), replace(settings, quick=True, sharp=False))
        reached = score(prepare(part), decode_plain(encoded.data, encoded.format))
    return Tried(encoded.data, f"image/{encoded.format}", reached, perf_counter() - begun, box)


@dataclass(frozen=True, slots=True)
class CurvePoint:
    """Bytes and score of the whole picture at a quality."""

    quality: int
    bytes: int
    score: float


def curve(
    sought: Sought, tier: Tier, how: Settings, known: Sequence[CurvePoint], scores: Sequence[float]
) -> list[CurvePoint]:
    """A format's curve: what the search has tried, and where that leaves gaps, encodes of the whole.

    Gaps are told by the settings that typical pictures take for some scores.
    """
    making = TIERS[tier].making
    low, high = making.limits
    found = list(known)
    for quality in sorted({min(max(round(making.scale.setting(wanted)), low), high) for wanted in scores}):
        if all(abs(point.quality - quality) > _NEAR for point in known):
            tried = try_setting(sought, tier, quality, how, None)
            found.append(CurvePoint(quality, len(tried.data), tried.score))
    return sorted(found, key=lambda point: point.quality)
