"""One file of a folder inspected: facts, faults, look, thumbnail, and what a page names.

Workers do this while a site is read.
"""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from functools import cache, lru_cache
from hashlib import sha256
from pathlib import Path

import cv2
import numpy as np
import pyvips

from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import UNKNOWN, is_named_as_image, sniff_format
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look, look_of, pixels_to_judge
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.references.joining import unreadable_page
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES, PageReading
from ivory_thistle.core.references.site import SiteFile, is_page
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.clock import seconds_for
from ivory_thistle.workflows.page_readings import kept_reading, reading_of
from ivory_thistle.workflows.versions import code_version
from ivory_thistle.workflows.workers import Call, CallFailedError

THUMBNAIL_SIDE, _EFFORT = 320, 2
_SECONDS, _SECONDS_A_MEGABYTE = 60.0, 5.0
_MEMORY, _MEMORY_A_BYTE = 1_500_000_000, 6


@dataclass(frozen=True, slots=True)
class Inspected:
    """A file (None where it can't be read), what is wrong with it, and the SHA-256 of its thumbnail.

    `page`: what an HTML page names.
    """

    file: SiteFile | None
    faults: tuple[Fault, ...] = ()
    thumbnail: str | None = None
    page: PageReading | None = None


def inspection(folder: Folder, path: str, blobs: Blobs | None, lazy: tuple[str, ...] = LAZY_ATTRIBUTES) -> Call:
    """The call that inspects a file, with limits by its size; `lazy` as in `inspect_file`."""
    size = 0
    with suppress(OSError):
        size = (folder.root / path).stat().st_size
    arguments = (str(folder.root), path, blobs.url if blobs else None, lazy)
    seconds = seconds_for(size) if is_page(path) else _SECONDS + _SECONDS_A_MEGABYTE * size / 1e6
    return Call(path, inspect_file, arguments, seconds, _MEMORY + _MEMORY_A_BYTE * size)


def inspect_file(root: str, path: str, blobs_url: str | None, lazy: tuple[str, ...] = LAZY_ATTRIBUTES) -> Inspected:
    """Inspects a file, and keeps its content and a thumbnail in a blob store where one is given. Raises OSError.

    `lazy` are the attributes from which the site's scripts load images.
    """
    folder, blobs = _folder(root), _blobs(blobs_url) if blobs_url else None
    file, faults, data = folder.inspect(path)
    if file is None:
        return Inspected(None, faults)
    if data is None:
        if blobs:
            with folder.open(path) as opened:
                blobs.put_file(opened, file.sha256)
        return Inspected(file, faults)
    if blobs:
        blobs.put(data, file.sha256)
    if file.image is None:
        return _page_inspected(file, faults, data, lazy, blobs) if is_page(path) else Inspected(file, faults)
    if blobs and (seen := _seen_before(blobs, file.sha256)):
        return Inspected(replace(file, look=seen.look), faults, seen.thumbnail)
    pixels = pixels_to_judge(data, file.image)
    look = look_of(pixels, file.image)
    small = thumbnail(pixels) if pixels and blobs else None
    kept = blobs.put(small) if small and blobs else None
    if blobs and look:
        blobs.put_note(_note(file.sha256), json.dumps({"look": asdict(look), "thumbnail": kept}).encode())
    return Inspected(replace(file, look=look), faults, kept)


# A worker inspects thousands of files of one folder.
@lru_cache(maxsize=1)
def _folder(root: str) -> Folder:
    return Folder(Path(root))


@lru_cache(maxsize=1)
def _blobs(url: str) -> Blobs:
    return Blobs(url)


def _page_inspected(
    file: SiteFile, faults: tuple[Fault, ...], data: bytes, lazy: tuple[str, ...], blobs: Blobs | None
) -> Inspected:
    """A page with what it names; where that can't be read, a fault says so."""
    try:
        if blobs:
            page = kept_reading(file.path, file.sha256, lambda: data, lazy, blobs)
        else:
            page = reading_of(file.path, data, lazy)
    except Exception as error:
        # Whatever one page holds, the others are read.
        return Inspected(file, (*faults, unreadable_page(file.path, error)))
    return Inspected(file, faults, page=page)


@dataclass(frozen=True, slots=True)
class _Seen:
    look: Look
    thumbnail: str | None


def _seen_before(blobs: Blobs, digest: str) -> _Seen | None:
    """What was seen of the same content by the same code: nobody has to look again. None where it is gone."""
    note = blobs.note(_note(digest))
    with suppress(ValueError, TypeError, KeyError):
        values = json.loads(note or b"")
        look, small = Look(**values["look"]), values["thumbnail"]
        if small is None or blobs.has(small):
            return _Seen(look, small)
    return None


def _note(digest: str) -> str:
    return sha256(f"look {digest} {_version()}".encode()).hexdigest()


@cache
def _version() -> str:
    return code_version(("formats", "images"))


def undecoded(folder: Folder, path: str, blobs: Blobs | None, why: str) -> Inspected:
    """A file that can't be inspected, as bytes alone; a picture is listed with the problem, a page is not audited.

    Raises OSError.
    """
    file = folder.plain(path)
    if blobs:
        with folder.open(path) as opened:
            blobs.put_file(opened, file.sha256)
    with folder.open(path) as opened:
        kind = sniff_format(opened.read(4096))
    if kind or is_named_as_image(path):
        problem = f"can't be decoded here: {why[:1].lower()}{why[1:].rstrip('.')}"
        file = replace(file, image=ImageFacts(kind or UNKNOWN, 0, 0, file.bytes, file.sha256, problem=problem))
    if is_page(path):
        return Inspected(file, (unreadable_page(path, CallFailedError(why)),))
    return Inspected(file, (Fault("unreadable-file", path, f"{path} is kept as it is. {why}"),))


def thumbnail(pixels: Pixels) -> bytes | None:
    """A small WebP for lists; None where it can't be made. A vector drawing is shown as it is."""
    pixels = pixels.without_unused_alpha()
    share = min(1.0, THUMBNAIL_SIDE / max(pixels.width, pixels.height))
    width, height = (max(1, round(side * share)) for side in (pixels.width, pixels.height))
    try:
        if pixels.has_alpha:
            small = pixels.as_vips().thumbnail_image(width, height=height, size="force")
        else:
            # Where nothing is transparent, plain means are many times as fast.
            means = cv2.resize(pixels.array, (width, height), interpolation=cv2.INTER_AREA)
            small = Pixels(np.asarray(means, np.uint8).reshape(height, width, -1), pixels.profile).as_vips()
        return bytes(small.webpsave_buffer(Q=78, effort=_EFFORT, keep="none"))
    except pyvips.Error:
        return None
