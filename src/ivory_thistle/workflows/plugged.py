"""Formats that come from modules outside: the environment variable THISTLE_FORMATS names them, with commas between."""

from __future__ import annotations

import os
from importlib import import_module

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.words import shortened, shown

VARIABLE = "THISTLE_FORMATS"


def named_formats() -> tuple[str, ...]:
    """The modules that the environment names."""
    return tuple(name.strip() for name in os.environ.get(VARIABLE, "").split(",") if name.strip())


def load_formats(names: tuple[str, ...] | None = None) -> None:
    """Imports modules (None: those that the environment names), which register their formats and tiers.

    Every process does this that reads or writes pictures. Raises UnusableInput for one that can't be imported, whatever
    it does instead.
    """
    for name in named_formats() if names is None else names:
        if not all(part.isidentifier() for part in name.split(".")):
            raise UnusableInput(f"{VARIABLE} names {shown(name)}, which is no name of a module.")
        try:
            import_module(name)
        except (Exception, SystemExit) as error:
            why = shortened(f"{type(error).__name__}: {error}" if str(error) else type(error).__name__)
            raise UnusableInput(f"{VARIABLE} names the module {name}, which can't be imported: {why}.") from error
