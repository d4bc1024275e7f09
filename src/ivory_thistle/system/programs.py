"""Programs of this machine, found and started so that no file of the current folder is ever run."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

_ALWAYS = ("/usr/sbin", "/usr/bin", "/sbin", "/bin")


def find_program(*names: str) -> str | None:
    """The whole path of the first program that is installed; None without any.

    Relative entries of PATH (`.`, an empty one) would name files of whichever folder is current: they are passed over.
    """
    places = os.pathsep.join([*_absolute(os.environ.get("PATH", "")), *_ALWAYS])
    return next((found for name in names if (found := shutil.which(name, path=places))), None)


def keep_current_folder_out() -> None:
    """Every process started from here on imports and runs nothing from the folder that is current.

    For the beginning of a program: Python puts that folder first for `-m` and `-c`, which is how worker processes
    start (https://docs.python.org/3/using/cmdline.html#envvar-PYTHONSAFEPATH).
    """
    os.environ["PYTHONSAFEPATH"] = "1"
    for name in ("PATH", "PYTHONPATH"):
        if name in os.environ:
            os.environ[name] = os.pathsep.join(_absolute(os.environ[name]))


def _absolute(places: str) -> list[str]:
    return [place for place in places.split(os.pathsep) if Path(place).is_absolute()]
