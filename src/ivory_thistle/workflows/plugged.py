"""Formats that come from modules outside: the environment variable THISTLE_FORMATS names them, with commas between."""

from __future__ import annotations

import os
from importlib import import_module

from ivory_thistle.core.errors import UnusableInput

VARIABLE = "THISTLE_FORMATS"


def named_formats() -> tuple[str, ...]:
    """The modules that the environment names."""
    return tuple(name.strip() for name in os.environ.get(VARIABLE, "").split(",") if name.strip())


def load_formats(names: tuple[str, ...] | None = None) -> None:
    """Imports modules (None: those that the environment names), which register their formats and tiers.

    Every process does this that reads or writes pictures. Raises UnusableInput for one that can't be imported.
    """
    for name in named_formats() if names is None else names:
        try:
            import_module(name)
        except ImportError as error:
            raise UnusableInput(f"{VARIABLE} names the module {name}, which can't be imported: {error}.") from error
