"""The handover as a folder, a ZIP or a patch: what stands where, and written while it is sent."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from ivory_thistle.core.formats.table import extension_of, image_extensions
from ivory_thistle.core.references.site import SiteFile, SiteReading
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.core.rewriting.patch import unified_diff
from ivory_thistle.workflows.delivering import Handover

_LARGE = 1 << 31
_DATE = (2020, 1, 1, 0, 0, 0)  # The same handover gives the same archive.


@dataclass(frozen=True, slots=True)
class Entry:
    """One file of a handover: a text of ours, a new file, or one of the site as it was."""

    path: str
    content: bytes | NewFile | SiteFile

    @property
    def bytes(self) -> int:
        """Its size."""
        return len(self.content) if isinstance(self.content, bytes) else self.content.bytes


def entries(site: SiteReading, handover: Handover, files_only: bool = False) -> Iterator[Entry]:
    """Everything that leaves: the site with rewritten pages in place, and the new files beside.

    `files_only`: just the new files, with our own texts. Of pictures that no page shows, those are left out that new
    files stand for. Originals whose own paths new files take are below the handover's backup folder.
    """
    new_files = {f.path: f for f in handover.new_files}
    left_out = handover.originals if site.is_pictures_alone and not handover.backup else frozenset()
    for path in sorted({*site.files, *handover.texts}):
        text = handover.texts.get(path)
        moved = handover.moved.get(path, path)
        ours = path not in site.files
        if text is not None and (ours or not files_only):
            yield Entry(moved, text)
        elif not ours and not files_only and path not in new_files and path not in left_out:
            yield Entry(moved, site.files[path])
    for path, new in sorted(new_files.items()):
        if handover.backup and path in site.files:
            yield Entry(f"{handover.backup}/{path}", site.files[path])
        yield Entry(path, new)


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


def zip_stream(what: Iterable[Entry], parts_of: Callable[[NewFile | SiteFile], Iterable[bytes]]) -> Iterator[bytes]:
    """The archive in parts; no more than a part of one file is in memory. `parts_of` gives a file's content."""
    pipe = _Pipe()
    with zipfile.ZipFile(pipe, "w") as archive:
        for one in what:
            parts = (one.content,) if isinstance(one.content, bytes) else parts_of(one.content)
            with archive.open(_zip_entry(one.path), "w", force_zip64=one.bytes > _LARGE) as entry:
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


def _zip_entry(path: str) -> zipfile.ZipInfo:
    """Pictures are stored as they are (they are packed already); everything else is deflated."""
    info = zipfile.ZipInfo(path, _DATE)
    info.external_attr = 0o644 << 16
    packed = extension_of(path) in image_extensions() - {"svg"}
    info.compress_type = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
    return info
