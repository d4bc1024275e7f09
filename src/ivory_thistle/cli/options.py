"""What more than one command lets a person ask for."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

SiteFolder = Annotated[Path, typer.Argument(help="The folder of a built site, or of pictures.", show_default=False)]
Fidelity = Annotated[
    str, typer.Option(help="One look for all: exacting, faithful, everyday, lean. Without it, by role.")
]
Cap = Annotated[str, typer.Option(help="The best look within so many bytes a file, e.g. 100kB.")]
Quality = Annotated[str, typer.Option(help="Fixed qualities instead of a search, e.g. webp=80,avif=60.")]
Formats = Annotated[str, typer.Option(help="Which to write, of avif, webp and fallback.")]
RulesFile = Annotated[
    Path | None,
    typer.Option("--rules", help="A TOML file of rules (docs/rules.md); other options win.", show_default=False),
]
Measure = Annotated[bool, typer.Option("--measure", help="First load every page in headless Chromium.")]
Compare = Annotated[
    bool, typer.Option(help="Compare treated and original pages in headless Chromium, where it is installed.")
]
PatchFile = Annotated[
    Path | None,
    typer.Option(help="Also write changed pages as a unified diff, and its reverse beside it.", show_default=False),
]
