"""Which code and libraries made something: what was made by others may have come out otherwise."""

from __future__ import annotations

from collections.abc import Iterable
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path

import ivory_thistle.core

_LIBRARIES = (
    "pyvips",
    "pyvips-binary",
    "pillow",
    "pillow-avif-plugin",
    "pillow-heif",
    "numpy",
    "opencv-python-headless",
)


def code_version(parts: Iterable[str], others: Iterable[Path] = ()) -> str:
    """A SHA-256 over the imaging libraries' versions, folders of the core, and other files."""
    digest = sha256()
    for name in _LIBRARIES:
        digest.update(f"{name} {version(name)}\n".encode())
    core = Path(ivory_thistle.core.__path__[0])
    for file in [*(file for part in parts for file in sorted((core / part).rglob("*.py"))), *others]:
        digest.update(file.read_bytes())
    return digest.hexdigest()
