"""What the commands share: progress on a terminal, JSON, screens by name."""

from __future__ import annotations

import json
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


@contextmanager
def progress(names: tuple[str, ...]) -> Iterator[tuple[Callback, ...]]:
    """A bar for each named part, on a terminal only."""
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=_errors, disable=not _errors.is_terminal, transient=True) as bars:

        def bar(name: str) -> Callback:
            task = bars.add_task(name, total=None)
            return lambda done, total: bars.update(task, completed=done, total=total)

        yield tuple(bar(name) for name in names)


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
