"""The handover as a ZIP that is written while it is sent: no waiting, no copy on disk."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator

from ivory_thistle.core.images.sniff import IMAGE_EXTENSIONS, extension_of
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.handover import Handover

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


def zip_stream(site: SiteReading, handover: Handover, read: Callable[[str], bytes], blobs: Blobs) -> Iterator[bytes]:
    """The archive in parts: the site as it was with rewritten pages in place, and the new files beside."""
    pipe = _Pipe()
    with zipfile.ZipFile(pipe, "w") as archive:
        for path in sorted({*site.files, *handover.texts}):
            _add(archive, path, handover.texts[path] if path in handover.texts else read(path))
            yield pipe.taken()
        for new in sorted(handover.new_files, key=lambda f: f.path):
            _add(archive, new.path, blobs.get(new.sha256))
            yield pipe.taken()
    yield pipe.taken()


def _add(archive: zipfile.ZipFile, path: str, data: bytes) -> None:
    """Pictures are stored as they are (they are packed already); everything else is deflated."""
    info = zipfile.ZipInfo(path, _DATE)
    info.external_attr = 0o644 << 16
    packed = extension_of(path) in IMAGE_EXTENSIONS - {"svg"}
    info.compress_type = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
    archive.writestr(info, data)
