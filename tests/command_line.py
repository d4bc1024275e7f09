"""The command line as tests call it."""

from __future__ import annotations

import io
import sys
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass

import pytest

from ivory_thistle.cli.main import main


@dataclass(frozen=True)
class Done:
    """How a command ended and what it printed."""

    returncode: int
    stdout: str
    stderr: str


def run(*arguments: str) -> Done:
    """A command in this process: to start another one takes longer than most commands."""
    out, errors, code = io.StringIO(), io.StringIO(), 0
    with redirect_stdout(out), redirect_stderr(errors), pytest.MonkeyPatch.context() as patch:
        patch.setattr(sys, "argv", ["thistle", *arguments])
        try:
            main()
        except SystemExit as end:
            code = int(end.code or 0)
    return Done(code, out.getvalue(), errors.getvalue())
