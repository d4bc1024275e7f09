"""What the commands share: progress on a terminal, JSON, screens by name."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.workflows.progress import Progress as Callback

_errors = Console(stderr=True)
_LINE_SECONDS = 10.0


@contextmanager
def progress(names: tuple[str, ...]) -> Iterator[tuple[Callback, ...]]:
    """A bar for each named part on a terminal; elsewhere a line on standard error every ten seconds of work."""
    if not _errors.is_terminal:
        yield tuple(_lines(name) for name in names)
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=_errors, transient=True) as bars:

        def bar(name: str) -> Callback:
            task = bars.add_task(name, total=None)
            return lambda done, total: bars.update(task, completed=done, total=total)

        yield tuple(bar(name) for name in names)


def _lines(name: str) -> Callback:
    """Tells how far a part is, no more often than every ten seconds."""
    told = time.monotonic()

    def tell(done: int, total: int | None) -> None:
        nonlocal told
        now = time.monotonic()
        if now - told >= _LINE_SECONDS:
            told = now
            typer.echo(f"{name}: {done:,}{f' of {total:,}' if total else ''}", err=True)

    return tell


def print_json(content: dict[str, Any]) -> None:
    """On standard output."""
    typer.echo(json.dumps(content, indent=2, ensure_ascii=False))


def chosen_screens(names: str) -> list[Screen]:
    """The screens of these names; all defaults for none. Raises UnusableInput for an unknown one."""
    known = {s.name: s for s in DEFAULT_SCREENS}
    wanted = [n.strip() for n in names.split(",") if n.strip()] or list(known)
    unknown = next((n for n in wanted if n not in known), None)
    if unknown:
        raise UnusableInput(f"There is no screen {unknown!r}; there are {', '.join(known)}.")
    return [known[n] for n in dict.fromkeys(wanted)]
