"""Looks at the pages of a site as it was read: taken when they are measured, and not again when it is changed."""

from __future__ import annotations

import json
import zlib
from collections import Counter
from contextlib import suppress
from dataclasses import astuple
from functools import cache, cached_property
from hashlib import sha256
from pathlib import Path

import ivory_thistle.intake
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.chromium import browser_binary
from ivory_thistle.intake.differences import Box, Seen
from ivory_thistle.store.blobs import Blobs

_MOST = 50_000_000
"""Bytes of a note: far more than a page of the most elements takes."""


class Looks:
    """Looks in a blob store, each as a note with its picture as a content of its own.

    They are those of one content of a site, on one version of the browser and of what looks.
    """

    def __init__(self, site: SiteReading, blobs: Blobs) -> None:
        self._site, self._blobs = site, blobs

    @cached_property
    def _of(self) -> str:
        digest = sha256(_version().encode())
        for path, file in sorted(self._site.files.items()):
            digest.update(f"{path}\n{file.sha256}\n".encode())
        digest.update(repr(sorted(self._site.aliases.items())).encode())
        return digest.hexdigest()

    def keep(self, page: str, screen: Screen, seen: Seen) -> None:
        """Keeps a look at a page that came to rest. Raises StorageError."""
        if seen.problem or seen.picture is None:
            return
        values = {
            "boxes": [astuple(box) for box in seen.boxes],
            "swept": {width: [astuple(box) for box in boxes] for width, boxes in seen.swept.items()},
            "images": seen.images, "at_opening": seen.at_opening, "messages": seen.messages,
            "asked": sorted(seen.asked), "left": seen.left, "picture": self._blobs.put(seen.picture),
        }  # fmt: skip
        self._blobs.put_note(self._key(page, screen), zlib.compress(json.dumps(values).encode()))

    def find(self, page: str, screen: Screen) -> Seen | None:
        """What was seen; None where nothing was, or where it is gone."""
        note = self._blobs.note(self._key(page, screen))
        with suppress(ValueError, TypeError, KeyError, AttributeError, zlib.error, FileNotFoundError):
            values = json.loads(zlib.decompressobj().decompress(note or b"", _MOST))
            return Seen(
                boxes=[Box(*box) for box in values["boxes"]],
                swept={int(width): [Box(*box) for box in boxes] for width, boxes in values["swept"].items()},
                images=values["images"], at_opening=values["at_opening"], messages=Counter(values["messages"]),
                asked=set(values["asked"]), left=values["left"],
                picture=self._blobs.get(values["picture"]),
            )  # fmt: skip
        return None

    def _key(self, page: str, screen: Screen) -> str:
        return sha256(f"seen {self._of} {page} {screen}".encode()).hexdigest()


@cache
def _version() -> str:
    """Of the browser, by its file, and of the code that looks."""
    digest = sha256()
    binary = browser_binary()
    if binary:
        about = Path(binary).resolve().stat()
        digest.update(f"{about.st_size} {about.st_mtime_ns}".encode())
    for file in sorted(Path(ivory_thistle.intake.__path__[0]).glob("*")):
        if file.suffix in (".py", ".js"):
            digest.update(file.read_bytes())
    return digest.hexdigest()
