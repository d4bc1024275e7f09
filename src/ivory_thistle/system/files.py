"""Files written whole or not at all, and files of a folder that is not trusted.

A folder may hold links that somebody placed there, and may change while we work. So partial files have names that
nobody can guess and are made anew, never opened; and a path below a folder is walked part by part from a handle of
the folder, each part opened without following a link (openat(2), O_NOFOLLOW).
"""

from __future__ import annotations

import errno
import os
import secrets
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path, PurePosixPath
from typing import BinaryIO

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
# A pipe that was put in a file's place would otherwise keep whoever opens it waiting.
_FILE = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
_FRESH = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
_LONGEST_NAME = 200


class LeadsOutsideError(OSError):
    """A path leads out of its folder, or by a link where none may be."""

    def __init__(self, path: str) -> None:
        super().__init__(errno.ELOOP, "it leads out of its folder, or by a link", path)


def replace_file(place: Path, content: bytes | Iterable[bytes], mode: int = 0o666) -> None:
    """Writes a file that is whole or as it was. A link in its place is replaced, never followed.

    `place.parent` is trusted; `mode` is narrowed by the umask. Raises OSError.
    """
    with _opened(str(place.parent), os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC) as folder:
        _replace_at(folder, place.name, content, mode)


def open_below(root: Path, path: str) -> BinaryIO:
    """A regular file below a folder, for reading; links are followed as long as they stay below it.

    Raises LeadsOutsideError, and OSError for what can't be opened or is no regular file.
    """
    real = os.path.realpath(root / path)
    try:
        inside = Path(real).relative_to(os.path.realpath(root)).as_posix()
    except ValueError as error:
        raise LeadsOutsideError(path) from error
    return open_strictly_below(Path(os.path.realpath(root)), inside)


def open_strictly_below(root: Path, path: str) -> BinaryIO:
    """The same for a path of which no part may be a link."""
    with _folder_of(root, path) as (folder, name):
        try:
            descriptor = os.open(name, _FILE, dir_fd=folder)
        except OSError as error:
            raise _told(error, path) from error
    try:
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            raise OSError(errno.EINVAL, "it is no regular file", path)
        return os.fdopen(descriptor, "rb")
    except BaseException:
        os.close(descriptor)
        raise


def mode_below(root: Path, path: str) -> int | None:
    """The type and mode (stat(2)) of what stands at a path itself, None for nothing.

    Raises LeadsOutsideError where a folder on the way is a link.
    """
    try:
        with _folder_of(root, path) as (folder, name):
            return os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode
    except (FileNotFoundError, NotADirectoryError):
        return None


def write_below(root: Path, path: str, content: bytes | Iterable[bytes], like: os.stat_result | None = None) -> None:
    """Writes a file below a folder, whole or as it was; folders on the way are made.

    It gets mode and times of `like`, else the mode of the file that it replaces. Raises LeadsOutsideError where a
    folder on the way is a link, and OSError; a link in the file's own place is replaced.
    """
    was = mode_below(root, path)
    mode = like.st_mode if like else was if was is not None and stat.S_ISREG(was) else None
    with _folder_of(root, path, make=True) as (folder, name):
        _replace_at(folder, name, content, 0o666, mode, like)


def remove_below(root: Path, path: str) -> None:
    """Removes a file below a folder. Raises LeadsOutsideError and OSError."""
    with _folder_of(root, path) as (folder, name):
        os.unlink(name, dir_fd=folder)


@contextmanager
def _folder_of(root: Path, path: str, make: bool = False) -> Iterator[tuple[int, str]]:
    """A handle of the folder that holds a path, and the last name in it."""
    parts = PurePosixPath(path).parts
    if not parts or ".." in parts or PurePosixPath(path).is_absolute() or "\0" in path:
        raise LeadsOutsideError(path)
    held = os.open(root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        for part in parts[:-1]:
            if make:
                with suppress(FileExistsError):
                    os.mkdir(part, dir_fd=held)
            try:
                below = os.open(part, _FOLDER, dir_fd=held)
            except OSError as error:
                raise _told(error, path, _is_link(part, held)) from error
            os.close(held)
            held = below
        yield held, parts[-1]
    finally:
        os.close(held)


def _is_link(name: str, folder: int) -> bool:
    try:
        return stat.S_ISLNK(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode)
    except OSError:
        return False


def _told(error: OSError, path: str, is_link: bool = False) -> OSError:
    """The error with the whole path; a link that was not followed has a kind of its own."""
    if is_link or error.errno == errno.ELOOP:
        return LeadsOutsideError(path)
    return OSError(error.errno, error.strerror, path)


@contextmanager
def _opened(place: str, flags: int) -> Iterator[int]:
    descriptor = os.open(place, flags)
    try:
        yield descriptor
    finally:
        os.close(descriptor)


def _replace_at(
    folder: int,
    name: str,
    content: bytes | Iterable[bytes],
    mode: int,
    exact: int | None = None,
    times: os.stat_result | None = None,
) -> None:
    part = f".{name.encode()[:_LONGEST_NAME].decode('utf-8', 'ignore')}.{secrets.token_hex(8)}.part"
    try:
        with os.fdopen(os.open(part, _FRESH, mode, dir_fd=folder), "wb") as file:
            for piece in (content,) if isinstance(content, bytes) else content:
                file.write(piece)
            file.flush()
            if exact is not None:
                os.fchmod(file.fileno(), stat.S_IMODE(exact))
            os.fsync(file.fileno())
            if times:
                os.utime(file.fileno(), ns=(times.st_atime_ns, times.st_mtime_ns))
        os.replace(part, name, src_dir_fd=folder, dst_dir_fd=folder)
    except BaseException:
        with suppress(OSError):
            os.unlink(part, dir_fd=folder)
        raise
