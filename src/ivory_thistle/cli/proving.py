"""The command that writes a proof: a handed-over folder beside its original, on one page to look through."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ivory_thistle.cli.options import SiteFolder
from ivory_thistle.cli.output import progress
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.proof_page import MOST_SHOWN, proof_html
from ivory_thistle.workflows.proving import prove


def proof(
    folder: SiteFolder,
    treated: Annotated[Path, typer.Argument(help="The same folder as it was handed over.", show_default=False)],
    out: Annotated[Path, typer.Option(help="The HTML page to write.", show_default=False)],
    most: Annotated[int, typer.Option(help="How many pictures are shown.", min=1, max=500)] = MOST_SHOWN,
    title: Annotated[str, typer.Option(help="What the page calls the site.", show_default=False)] = "",
) -> None:
    """Write one page with new files beside their originals, those that ask for eyes first."""
    if not out.absolute().parent.is_dir():
        raise UnusableInput(f"The folder {out.absolute().parent} does not exist.")
    original = Folder(folder)
    with progress(("Judging pictures",)) as bars:
        found = prove(original, Folder(treated), bars[0])
    out.write_bytes(proof_html(found, title or original.root.name, most))
    asking = sum(bool(one.asked.reasons) for one in found.proven)
    typer.echo(f"{len(found.proven)} pictures judged, {asking} of them ask for eyes; {len(found.unjudged)} not judged.")
