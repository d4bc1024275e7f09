"""A site in a ZIP: unpacked with limits, all or nothing."""

from __future__ import annotations

import lzma
import re
import shutil
import stat
import struct
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import is_named_as_image
from ivory_thistle.core.references.site import is_page

_IGNORED = re.compile(r"(?:^|/)(?:__MACOSX/|\.DS_Store$|Thumbs\.db$)")
_BLOCK = 1 << 20
_LONGEST_PATH, _LONGEST_NAME = 2_000, 255
"""In bytes of UTF-8."""
_NAME_CLASHES = (NotADirectoryError, IsADirectoryError, FileExistsError)


@dataclass(frozen=True, slots=True)
class ArchiveLimits:
    """What is taken: number of files, bytes unpacked, and bytes unpacked over bytes packed."""

    files: int = 50_000
    bytes: int = 8_000_000_000
    ratio: float = 200.0
    free_bytes: int = 50_000_000
    """The ratio is judged only past this size, since small text packs very well."""


def unpack(
    archive: Path,
    into: Path,
    limits: ArchiveLimits = ArchiveLimits(),
    on_file: Callable[[int, int], None] = lambda done, total: None,
) -> list[Fault]:
    """Unpacks the site in `archive` into the new folder `into`; a single top folder is taken off.

    An entry that is broken or has no usable name is left out and told. Raises UnusableInput, and then leaves nothing
    behind: not a ZIP, a password, links, names that lead outside, no web page, or more than the limits.
    """
    faults: list[Fault] = []
    try:
        with zipfile.ZipFile(archive) as opened:
            entries = _checked(opened, limits, archive.stat().st_size, faults)
            into.mkdir(parents=True)
            try:
                _extract(opened, entries, into, limits, archive.stat().st_size, on_file, faults)
            except BaseException:
                shutil.rmtree(into, ignore_errors=True)
                raise
    except (zipfile.BadZipFile, EOFError, UnicodeDecodeError, struct.error) as error:
        raise UnusableInput(f"The archive can't be read: {error}. Pack it again as a plain ZIP.") from error
    except RuntimeError as error:  # an encrypted entry, or a way of packing that the library does not know
        if "password" in str(error) or "encrypt" in str(error):
            raise UnusableInput("The archive asks for a password; upload one without.") from error
        raise UnusableInput(f"The archive can't be read: {error}. Pack it again as a plain ZIP.") from error
    except OSError as error:
        raise UnusableInput(f"The archive can't be unpacked here: {error.strerror or error}.") from error
    return faults


def _checked(
    opened: zipfile.ZipFile, limits: ArchiveLimits, packed: int, faults: list[Fault]
) -> list[tuple[zipfile.ZipInfo, str]]:
    """Entries with their safe paths, judged before anything is written."""
    entries: list[tuple[zipfile.ZipInfo, str]] = []
    for info in opened.infolist():
        name = _name(info)
        if info.is_dir() or _IGNORED.search(name):
            continue
        if info.flag_bits & 0x1:
            raise UnusableInput("The archive asks for a password; upload one without.")
        if stat.S_ISLNK(info.external_attr >> 16):
            raise UnusableInput(f"The archive holds a link ({name}); pack the file itself in its place.")
        path = PurePosixPath(name.replace("\\", "/"))
        unsafe = path.is_absolute() or ".." in path.parts or re.match(r"^[A-Za-z]:", name) or "\0" in name
        if unsafe:
            raise UnusableInput(f"The archive holds the name {name[:200]!r}, which leads outside its folder.")
        wrong = _unusable_name(path)
        if wrong:
            faults.append(Fault("unsafe-entry", name[:200], f"{name[:200] or 'An entry'} {wrong}; it is left out."))
            continue
        entries.append((info, path.as_posix()))
    if len(entries) > limits.files:
        raise UnusableInput(f"The archive holds {len(entries):,} files; {limits.files:,} are taken at most.")
    _refuse_bomb(sum(i.file_size for i, _ in entries), packed, limits)
    if not any(is_page(path) or is_named_as_image(path) for _, path in entries):
        raise UnusableInput("The archive holds no web page and no picture; pack the folder of the built site.")
    tops = {path.split("/", 1)[0] for _, path in entries}
    if len(tops) == 1 and all("/" in path for _, path in entries):
        entries = [(info, path.split("/", 1)[1]) for info, path in entries]
    return entries


def _unusable_name(path: PurePosixPath) -> str:
    """Why no file can be called so, in words; empty where one can."""
    if not path.parts:
        return "has no name"
    try:
        encoded = path.as_posix().encode()
    except UnicodeEncodeError:
        return "has a name that is no text"
    if len(encoded) > _LONGEST_PATH or any(len(part.encode()) > _LONGEST_NAME for part in path.parts):
        return "has too long a name"
    return ""


def _name(info: zipfile.ZipInfo) -> str:
    """The entry's name; UTF-8 names packed without the flag that says so are mended."""
    if not info.flag_bits & 0x800:
        try:
            return info.filename.encode("cp437").decode("utf-8")
        except (UnicodeEncodeError, UnicodeDecodeError):
            pass
    return info.filename


def _refuse_bomb(unpacked: int, packed: int, limits: ArchiveLimits) -> None:
    if unpacked > limits.bytes:
        raise UnusableInput(f"The archive unpacks to more than {limits.bytes / 1e9:g} GB, the most that is taken.")
    if unpacked > limits.free_bytes and unpacked > packed * limits.ratio:
        raise UnusableInput(
            f"The archive unpacks to over {limits.ratio:g} times its size, as only harmful ones do; it is refused."
        )


def _extract(
    opened: zipfile.ZipFile,
    entries: list[tuple[zipfile.ZipInfo, str]],
    into: Path,
    limits: ArchiveLimits,
    packed: int,
    on_file: Callable[[int, int], None],
    faults: list[Fault],
) -> None:
    """Writes the entries, counting real bytes: the sizes that an archive declares may be untrue."""
    written, last = 0, ""
    for number, (info, path) in enumerate(entries, 1):
        target = into / path
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            with opened.open(info) as source, target.open("wb") as out:
                while block := source.read(_BLOCK):
                    written += len(block)
                    _refuse_bomb(written, packed, limits)
                    out.write(block)
        except (zlib.error, lzma.LZMAError, zipfile.BadZipFile, EOFError, RuntimeError, *_NAME_CLASHES) as error:
            if target.is_file():
                target.unlink()
            last = str(error)
            faults.append(Fault("unreadable-file", path, f"{path} is broken in the archive ({error}); it is left out."))
        on_file(number, len(entries))
    if last and not any(p.is_file() for p in into.rglob("*")):
        raise UnusableInput(f"The archive can't be read: {last}. Pack it again as a plain ZIP.")
