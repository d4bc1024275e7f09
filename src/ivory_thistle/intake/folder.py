"""A site in a folder of this machine."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path
from typing import BinaryIO

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.formats.table import extension_of, image_extensions, sniff_format
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.references.site import SiteFile, is_page
from ivory_thistle.system.files import open_below

_SKIPPED_FOLDERS = frozenset({"node_modules", "__MACOSX"})
_SKIPPED_FILES = frozenset({".DS_Store", "Thumbs.db", "desktop.ini"})
_LONGEST_PATH = 2_000
MAX_READ_BYTES = 256_000_000
"""A picture, page or style sheet larger than this is not read into memory; it becomes a fault."""


class Folder:
    """A folder read as a site: paths are relative, with `/`. Symbolic links that lead outside are left out."""

    def __init__(self, root: Path) -> None:
        """Raises UnusableInput when `root` is no folder that may be read."""
        if not root.exists():
            raise UnusableInput(f"The folder {root} does not exist.")
        if not root.is_dir():
            raise UnusableInput(f"{root} is a file, not a folder.")
        if not os.access(root, os.R_OK | os.X_OK):
            raise UnusableInput(f"The folder {root} may not be read by this user.")
        self.root = root.resolve()

    def paths(self) -> tuple[list[str], list[Fault]]:
        """Every file's path, sorted, and what had to be left out."""
        found, faults = [], []
        for path, fault in self._walk():
            if fault:
                faults.append(fault)
            else:
                found.append(path)
        return sorted(found), faults

    def _walk(self) -> Iterator[tuple[str, Fault | None]]:
        errors: list[OSError] = []
        for folder, folders, names in os.walk(self.root, onerror=errors.append):
            folders[:] = sorted(n for n in folders if not _skipped_folder(n))
            within = Path(folder).relative_to(self.root).as_posix()
            for name in names:
                whole = Path(folder, name)
                path = name if within == "." else f"{within}/{name}"
                if name in _SKIPPED_FILES:
                    continue
                try:
                    path.encode("utf-8")
                    inside = not whole.is_symlink() or whole.resolve().is_relative_to(self.root)
                    regular = whole.is_file()
                except (OSError, UnicodeEncodeError, RuntimeError) as error:  # a loop of links is the last
                    shown = path.encode("utf-8", "replace").decode()
                    yield (
                        "",
                        Fault("unreadable-file", shown, f"{shown} can't be read: {error.__class__.__name__}."),
                    )
                    continue
                if _leads_out_elsewhere(path):
                    yield (
                        "",
                        Fault(
                            "unsafe-entry", path, f"{path} leads out of its folder on other systems; it is left out."
                        ),
                    )
                elif not inside:
                    yield (
                        "",
                        Fault("unsafe-entry", path, f"{path} is a link that leads outside; it is left out."),
                    )
                elif regular and len(path.encode()) > _LONGEST_PATH:
                    yield (
                        "",
                        Fault("unreadable-file", path[:200], f"{path[:200]} … has too long a name; it is left out."),
                    )
                elif regular:
                    yield path, None
        for failed in errors:
            name = str(failed.filename or "")
            yield "", Fault("unreadable-file", name, f"{name} can't be read: {failed.strerror}.")

    def open(self, path: str) -> BinaryIO:
        """A file for reading; one that has become a link to elsewhere is refused. Raises OSError."""
        return open_below(self.root, path)

    def read(self, path: str) -> bytes:
        """A file's content. Raises OSError."""
        with self.open(path) as file:
            return file.read()

    def plain(self, path: str) -> SiteFile:
        """One file as bytes alone, whatever it holds. Raises OSError."""
        digest, size = sha256(), 0
        with self.open(path) as file:
            while block := file.read(1 << 20):
                digest.update(block)
                size += len(block)
        return SiteFile(path, digest.hexdigest(), size)

    def inspect(self, path: str) -> tuple[SiteFile | None, tuple[Fault, ...], bytes | None]:
        """One file's facts (without a look), its faults, and its content where that was read whole."""
        try:
            with self.open(path) as file:
                size = os.fstat(file.fileno()).st_size
                head = file.read(4096)
                extension = extension_of(path)
                picture = sniff_format(head) is not None or extension in image_extensions()
                wanted = picture or is_page(path) or extension == "css"
                if not wanted or size > MAX_READ_BYTES:
                    digest = sha256(head)
                    while block := file.read(1 << 20):
                        digest.update(block)
                    faults: tuple[Fault, ...] = ()
                    if wanted:
                        message = f"{path} is larger than {MAX_READ_BYTES // 1_000_000} MB and is not read."
                        faults = (Fault("unreadable-page" if is_page(path) else "unreadable-file", path, message),)
                    return SiteFile(path, digest.hexdigest(), size), faults, None
                data = head + file.read()
        except OSError as error:
            return None, (Fault("unreadable-file", path, f"{path} can't be read: {error.strerror}."),), None
        if not picture:
            return SiteFile(path, sha256(data).hexdigest(), len(data)), (), data
        facts, found = read_facts(path, data)
        digest_ = facts.sha256 if facts else sha256(data).hexdigest()
        return SiteFile(path, digest_, len(data), facts), found, data


def _leads_out_elsewhere(path: str) -> bool:
    """Whether a path names a place outside where `\\` parts folders and letters name drives: in a ZIP of ours."""
    return ".." in path.replace("\\", "/").split("/") or re.match("[A-Za-z]:", path) is not None


def _skipped_folder(name: str) -> bool:
    return name in _SKIPPED_FOLDERS or (name.startswith(".") and name != ".well-known")
