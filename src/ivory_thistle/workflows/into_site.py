"""A handover written into the site's own folder, with what it takes to undo that.

Before anything is written, the files that will be replaced are copied into a backup folder beside the site, and a
record says what will be there. So whatever dies at whatever moment, undoing brings back what was.

Links in the site may lead anywhere: none is followed. A page or text whose place is a link is left alone and named;
where a new picture's place is one, nothing is written, since pages would show whatever the link leads to.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import stat
import tempfile
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path, PurePosixPath

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.system.files import (
    LeadsOutsideError,
    mode_below,
    open_strictly_below,
    remove_below,
    replace_file,
    write_below,
)
from ivory_thistle.workflows.packing import Entry

_RECORD, _KIND, _FILES = "record.json", "ivory-thistle-backup", "files"
_LONGEST_RECORD = 256_000_000
_DIGEST = re.compile("[0-9a-f]{64}")
_PIECE = 1 << 20


@dataclass(frozen=True, slots=True)
class Written:
    """Where the files are that were replaced, and the paths that were left alone because they are links."""

    backup: Path
    links: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Undone:
    """What was brought back, what was removed, and what somebody has changed since and is left as it is."""

    restored: int
    removed: int
    changed: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class _Recorded:
    """One written file: the SHA-256 of what was written, and whether it replaced another."""

    sha256: str
    replaced: bool


def backup_of(root: Path) -> Path:
    """Where the files of a site's folder are kept that a handover replaced."""
    return root.with_name(f"{root.name}-before-handover")


def write_into_site(root: Path, what: Iterable[Entry], content_of: Callable[[NewFile | SiteFile], bytes]) -> Written:
    """Writes what is new or changed into the site's folder. Raises UnusableInput.

    There is one backup at a time: another handover waits until the first is undone, or its backup is gone.
    """
    backup = backup_of(root)
    if os.path.lexists(backup):
        raise UnusableInput(
            f"{backup} holds the files of an earlier handover; undo that first, or move the folder away if it is right."
        )
    changed, links = _without_links(root, what)
    _clear_unfinished(backup)
    # Under its own name it is whole: where this dies before, the site is as it was.
    part = Path(tempfile.mkdtemp(prefix=f".{backup.name}-", suffix=".part", dir=backup.parent))
    record: dict[str, dict[str, str | bool]] = {}
    for one in changed:
        digest = sha256(one.content).hexdigest() if isinstance(one.content, bytes) else one.content.sha256
        replaced = mode_below(root, one.path) is not None
        record[one.path] = {"sha256": digest, "replaced": replaced}
        if replaced:
            _copy(root, one.path, part, f"{_FILES}/{one.path}")
    replace_file(part / _RECORD, json.dumps({"kind": _KIND, "files": record}, indent=2).encode())
    part.chmod(0o755)
    part.rename(backup)
    for one in changed:
        write_below(root, one.path, one.content if isinstance(one.content, bytes) else content_of(one.content))
    return Written(backup, links)


def _without_links(root: Path, what: Iterable[Entry]) -> tuple[list[Entry], tuple[str, ...]]:
    """What is to be written, and the paths of what is left alone. Raises UnusableInput."""
    changed: list[Entry] = []
    links: list[str] = []
    for one in what:
        if isinstance(one.content, SiteFile) and one.path == one.content.path:
            continue
        try:
            mode = mode_below(root, one.path)
        except LeadsOutsideError as error:
            raise UnusableInput(
                f"{one.path} leads out of {root}, or through a folder that is a link. Nothing was written."
            ) from error
        if mode is None or stat.S_ISREG(mode):
            changed.append(one)
        elif not stat.S_ISLNK(mode):
            raise UnusableInput(f"{one.path} in {root} is a folder or a device, no file. Nothing was written.")
        elif isinstance(one.content, bytes):
            links.append(one.path)
        else:
            raise UnusableInput(f"{one.path} in {root} is a link, where a new file has to stand. Nothing was written.")
    return changed, tuple(links)


def _clear_unfinished(backup: Path) -> None:
    """Removes half-made backups of handovers that were killed."""
    for left in backup.parent.glob(f".{_as_it_is(backup.name)}-*.part"):
        if left.is_dir() and not left.is_symlink():
            shutil.rmtree(left, ignore_errors=True)


def _as_it_is(name: str) -> str:
    """A name in a pattern that matches it alone."""
    return re.sub(r"([*?\[])", r"[\1]", name)


def undo_in_site(root: Path) -> Undone:
    """Brings back what a handover replaced and removes what it added; what was changed since is left as it is.

    Raises UnusableInput where there is no backup, or its record is not as it was written; then nothing is changed.
    """
    backup = backup_of(root)
    files = _record_of(backup)
    restored = removed = 0
    changed: list[str] = []
    for path, written in files.items():
        kept = _digest(backup, f"{_FILES}/{path}") if written.replaced else None
        if written.replaced and kept is None:
            raise UnusableInput(
                f"{backup} no longer holds {path}, or holds a link in its place. Undoing stopped there."
            )
        now = _digest(root, path)
        if (now is None and _is_there(root, path)) or now not in (written.sha256, kept, None):
            changed.append(path)
        elif written.replaced:
            _copy(backup, f"{_FILES}/{path}", root, path)
            restored += 1
        elif now is not None:
            remove_below(root, path)
            removed += 1
    if not changed:
        shutil.rmtree(backup)
    return Undone(restored, removed, tuple(changed))


def _record_of(backup: Path) -> Mapping[str, _Recorded]:
    """What a handover wrote. Raises UnusableInput for what is no record, or not as we write it."""
    try:
        with open_strictly_below(backup, _RECORD) as file:
            record = json.loads(file.read(_LONGEST_RECORD))
        files = record["files"] if record["kind"] == _KIND else None
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        files = None
    if not isinstance(files, dict):
        raise UnusableInput(f"There is nothing to undo: {backup} is not the backup of a handover.")
    return {path: _recorded(path, values, backup) for path, values in files.items()}


def _recorded(path: str, values: object, backup: Path) -> _Recorded:
    digest, replaced = (values.get("sha256"), values.get("replaced")) if isinstance(values, dict) else (None, None)
    parts = PurePosixPath(path).parts
    leads_out = not parts or path.startswith("/") or ".." in parts or "\0" in path
    if leads_out or not isinstance(digest, str) or not _DIGEST.fullmatch(digest) or not isinstance(replaced, bool):
        raise UnusableInput(
            f"{backup / _RECORD} was changed: its entry {path[:200]!r} can't be used. Nothing was undone."
        )
    return _Recorded(digest, replaced)


def _digest(root: Path, path: str) -> str | None:
    """The SHA-256 of a file below a folder; None where there is none, or a link on the way."""
    digest = sha256()
    try:
        with open_strictly_below(root, path) as file:
            while piece := file.read(_PIECE):
                digest.update(piece)
    except OSError:
        return None
    return digest.hexdigest()


def _is_there(root: Path, path: str) -> bool:
    try:
        return mode_below(root, path) is not None
    except OSError:
        return True


def _copy(source: Path, path: str, target: Path, to: str) -> None:
    """Copies a file with mode and times, following no link on either side. Raises OSError."""
    with open_strictly_below(source, path) as file:
        write_below(target, to, iter(lambda: file.read(_PIECE), b""), like=os.fstat(file.fileno()))
