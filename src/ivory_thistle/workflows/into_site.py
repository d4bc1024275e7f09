"""A handover written into the site's own folder, with what it takes to undo that.

Before anything is written, the files that will be replaced are copied into a backup folder beside the site, and a
record says what will be there. So whatever dies at whatever moment, undoing brings back what was.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.workflows.packing import Entry

_RECORD, _KIND = "record.json", "ivory-thistle-backup"


@dataclass(frozen=True, slots=True)
class Undone:
    """What was brought back, what was removed, and what somebody has changed since and is left as it is."""

    restored: int
    removed: int
    changed: tuple[str, ...]


def backup_of(root: Path) -> Path:
    """Where the files of a site's folder are kept that a handover replaced."""
    return root.with_name(f"{root.name}-before-handover")


def write_into_site(root: Path, what: Iterable[Entry], content_of: Callable[[NewFile | SiteFile], bytes]) -> Path:
    """Writes what is new or changed into the site's folder; gives the backup. Raises UnusableInput.

    There is one backup at a time: another handover waits until the first is undone, or its backup is gone.
    """
    backup = backup_of(root)
    if backup.exists():
        raise UnusableInput(
            f"{backup} holds the files of an earlier handover; undo that first, or move the folder away if it is right."
        )
    changed = [one for one in what if not isinstance(one.content, SiteFile) or one.path != one.content.path]
    # Under its own name it is whole: where this dies before, the site is as it was.
    part = backup.with_name(f".{backup.name}.part")
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir()
    record: dict[str, Any] = {"kind": _KIND, "files": {}}
    for one in changed:
        place = _inside(root, one.path)
        digest = sha256(one.content).hexdigest() if isinstance(one.content, bytes) else one.content.sha256
        replaced = place.is_file()
        record["files"][one.path] = {"sha256": digest, "replaced": replaced}
        if replaced:
            kept = part / "files" / one.path
            kept.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(place, kept)
    _write(part / _RECORD, json.dumps(record, indent=2).encode())
    part.rename(backup)
    for one in changed:
        _write(_inside(root, one.path), one.content if isinstance(one.content, bytes) else content_of(one.content))
    return backup


def undo_in_site(root: Path) -> Undone:
    """Brings back what a handover replaced and removes what it added; what was changed since is left as it is.

    Raises UnusableInput where there is no backup.
    """
    backup = backup_of(root)
    try:
        record = json.loads((backup / _RECORD).read_bytes())
        files = dict(record["files"]) if record["kind"] == _KIND else None
    except (OSError, ValueError, KeyError, TypeError):
        files = None
    if files is None:
        raise UnusableInput(f"There is nothing to undo: {backup} is not the backup of a handover.")
    restored = removed = 0
    changed: list[str] = []
    for path, written in files.items():
        place, kept = _inside(root, path), _inside(backup / "files", path)
        now = sha256(place.read_bytes()).hexdigest() if place.is_file() else None
        if now not in (written["sha256"], None) and not (kept.is_file() and now == _digest(kept)):
            changed.append(path)
        elif written["replaced"]:
            _write(place, kept.read_bytes(), like=kept)
            restored += 1
        elif now is not None:
            place.unlink()
            removed += 1
    if not changed:
        shutil.rmtree(backup)
    return Undone(restored, removed, tuple(changed))


def _digest(place: Path) -> str:
    return sha256(place.read_bytes()).hexdigest()


def _inside(root: Path, path: str) -> Path:
    """A path of the site in its folder. Raises UnusableInput for one that leads out of it."""
    place = root / path
    if not place.parent.resolve().is_relative_to(root.resolve()):
        raise UnusableInput(f"{path} leads out of {root}.")
    return place


def _write(place: Path, content: bytes, like: Path | None = None) -> None:
    """A file that is whole or as it was, whatever happens."""
    place.parent.mkdir(parents=True, exist_ok=True)
    part = place.with_name(f".{place.name[:200]}.part")
    with part.open("wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    model = like or (place if place.is_file() else None)
    if model:
        shutil.copystat(model, part) if like else shutil.copymode(model, part)
    part.replace(place)
