"""The handover as a ZIP or a patch that is written while it is sent: no waiting, no copy on disk."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator

from ivory_thistle.core.formats.table import extension_of, image_extensions
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.rewriting.patch import unified_diff
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.delivering import Handover

_LARGE = 1 << 31
_DATE = (2020, 1, 1, 0, 0, 0)  # The same handover gives the same archive.


class _Pipe(io.RawIOBase):
    """A file that only takes; what it took is handed on."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:  # type: ignore[override]
        self._parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        whole = b"".join(self._parts)
        self._parts.clear()
        return whole


def zip_stream(site: SiteReading, handover: Handover, blobs: Blobs) -> Iterator[bytes]:
    """The archive in parts: the site as it was with rewritten pages in place, and the new files beside.

    No more than a part of one file is in memory.
    """
    pipe = _Pipe()
    new_files = {f.path: f for f in handover.new_files}
    with zipfile.ZipFile(pipe, "w") as archive:
        for path in (*sorted({*site.files, *handover.texts}), *sorted(new_files)):
            text = handover.texts.get(path)
            if text is None:
                file = new_files.get(path) or site.files[path]
                size, parts = file.bytes, blobs.parts(file.sha256)
            else:
                size, parts = len(text), iter((text,))
            with archive.open(_entry(path), "w", force_zip64=size > _LARGE) as entry:
                for part in parts:
                    entry.write(part)
                    yield pipe.taken()
    yield pipe.taken()


def patch_stream(handover: Handover, read: Callable[[str], bytes], reverse: bool = False) -> Iterator[bytes]:
    """Every rewritten page and style sheet as a unified diff, one after the other; `read` gives them as they were.

    The new image files are not in it. `reverse`: from the rewritten ones back.
    """
    for path in handover.rewritten:
        sides = (read(path), handover.texts[path])
        yield unified_diff(path, *(reversed(sides) if reverse else sides))


def _entry(path: str) -> zipfile.ZipInfo:
    """Pictures are stored as they are (they are packed already); everything else is deflated."""
    info = zipfile.ZipInfo(path, _DATE)
    info.external_attr = 0o644 << 16
    packed = extension_of(path) in image_extensions() - {"svg"}
    info.compress_type = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
    return info
