"""The blob store: contents by their SHA-256, written under a temporary name and renamed."""

from __future__ import annotations

import errno
import shutil
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from hashlib import sha256
from typing import BinaryIO

import fsspec

from ivory_thistle.core.errors import ThistleError

_FULL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EFBIG})
_HIDDEN = ".unfinished"
_NOTES = ".notes"
_MARK = ".blobs"
_DIGITS = 64
_PIECE = 1 << 20


class StorageError(ThistleError):
    """Nothing can be kept or fetched for now: the disk is full, read-only or away. The text says what to do."""


def told_of_disk(error: OSError, place: str) -> str:
    """What keeps a place from being read or written, and what to do, in words."""
    if error.errno in _FULL:
        return f"The disk that holds {place} is full. Make room there, then go on."
    return f"{place} can't be used: {error.strerror or type(error).__name__}. Mend that, then go on."


class Blobs:
    """Content-addressed files at an fsspec URL (a plain folder by default). Safe for many writers."""

    def __init__(self, url: str) -> None:
        """Raises StorageError where the store can't be made."""
        self.url = url
        self._fs, self._root = fsspec.core.url_to_fs(url)
        with self._told():
            self._fs.makedirs(f"{self._root}/{_HIDDEN}", exist_ok=True)
            if not self._fs.exists(f"{self._root}/{_MARK}"):
                self._fs.touch(f"{self._root}/{_MARK}")

    def _path(self, digest: str) -> str:
        return f"{self._root}/{digest[:2]}/{digest[2:4]}/{digest}"

    def put(self, data: bytes, digest: str | None = None) -> str:
        """Keeps a content and returns its SHA-256 (given as `digest` where it is known). Raises StorageError."""
        digest = digest or sha256(data).hexdigest()
        self._keep(self._path(digest), lambda temporary: self._fs.pipe_file(temporary, data))
        return digest

    def put_file(self, file: BinaryIO, digest: str) -> None:
        """Keeps an open file whose SHA-256 is known, without reading it into memory. Raises StorageError."""

        def copy(temporary: str) -> None:
            with self._fs.open(temporary, "wb") as out:
                shutil.copyfileobj(file, out, _PIECE)

        self._keep(self._path(digest), copy)

    def _keep(self, path: str, write: Callable[[str], object]) -> None:
        if self._fs.exists(path):
            return
        temporary = f"{self._root}/{_HIDDEN}/{uuid.uuid4().hex}"
        with self._told():
            try:
                self._fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
                write(temporary)
                self._fs.mv(temporary, path)
            except BaseException:
                with suppress(OSError):
                    self._fs.rm_file(temporary)
                raise

    @contextmanager
    def _told(self) -> Iterator[None]:
        """Says in words what keeps the store from working."""
        try:
            yield
        except OSError as error:
            raise StorageError(told_of_disk(error, self._root)) from error

    def get(self, digest: str) -> bytes:
        """A content. Raises FileNotFoundError, and StorageError where the whole store is away."""
        try:
            return bytes(self._fs.cat_file(self._path(digest)))
        except OSError as error:
            if isinstance(error, FileNotFoundError) and self._fs.exists(f"{self._root}/{_MARK}"):
                raise
            words = f"{self._root} is away or can't be read. Bring it back, then go on."
            raise StorageError(words) from error

    def put_note(self, key: str, data: bytes) -> None:
        """Keeps a few bytes under a name instead of their SHA-256. Raises StorageError."""
        self._keep(self._note(key), lambda temporary: self._fs.pipe_file(temporary, data))

    def note(self, key: str) -> bytes | None:
        """A note; None where there is none that can be read."""
        path = self._note(key)
        try:
            # Thousands are asked for that are not there: to look takes a third of the time of trying to open.
            return bytes(self._fs.cat_file(path)) if self._fs.isfile(path) else None
        except OSError:
            return None

    def notes(self) -> Iterator[tuple[str, float]]:
        """Every note's key, and when it was last written or touched, in seconds since 1970."""
        for path in self._fs.find(f"{self._root}/{_NOTES}"):
            with suppress(OSError):
                yield _key_of(path), self._fs.modified(path).timestamp()

    def note_keys(self) -> Iterator[str]:
        """Every note's key: thousands are told much sooner than asked for one by one. Raises OSError."""
        # Other processes write notes: what this one knows of remote folders may be old.
        self._fs.invalidate_cache()
        with suppress(FileNotFoundError):
            for folder in self._fs.ls(f"{self._root}/{_NOTES}", detail=False):
                for path in self._fs.ls(folder, detail=False):
                    yield _key_of(path)

    def touch_note(self, key: str) -> None:
        """Notes that a note was used now, where the store can."""
        # Stores that can't touch a file without emptying it say so by a kind of RuntimeError.
        with suppress(OSError, RuntimeError):
            self._fs.touch(self._note(key), truncate=False)

    def remove_note(self, key: str) -> None:
        """Takes a note away; one that is not there is none."""
        with suppress(FileNotFoundError):
            self._fs.rm_file(self._note(key))

    def _note(self, key: str) -> str:
        return f"{self._root}/{_NOTES}/{key[:2]}/{key}.json"

    def parts(self, digest: str) -> Iterator[bytes]:
        """A content in parts of a megabyte. Raises FileNotFoundError."""
        with self._fs.open(self._path(digest), "rb") as file:
            while part := file.read(_PIECE):
                yield part

    def has(self, digest: str) -> bool:
        """True where the content is kept."""
        return bool(self._fs.isfile(self._path(digest)))

    def every(self) -> Iterator[tuple[str, int]]:
        """Every content's SHA-256 and bytes."""
        for path, about in self._fs.find(self._root, detail=True).items():
            name = path.rpartition("/")[2]
            if len(name) == _DIGITS:
                yield name, int(about["size"])

    def remove(self, digest: str) -> None:
        """Takes a content away; one that is not there is none."""
        with suppress(FileNotFoundError):
            self._fs.rm_file(self._path(digest))

    def clear_unfinished(self) -> None:
        """Removes what writers that were killed have left. For moments when nobody writes."""
        with suppress(OSError):
            for left in self._fs.ls(f"{self._root}/{_HIDDEN}", detail=False):
                self._fs.rm_file(left)


def _key_of(note: str) -> str:
    return note.rpartition("/")[2].removesuffix(".json")
