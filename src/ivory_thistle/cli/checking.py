"""The command that checks a handed-over site against the original, in a browser."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer

from ivory_thistle.cli.output import chosen_screens, print_json, progress
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.words import kb
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.check_reports import check_json, check_junit
from ivory_thistle.workflows.checked import Checked
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.manifest import given_by_manifest
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.served import Side, checkable_tiers

_FAILED = 1


def check(
    original: Annotated[Path, typer.Argument(help="The folder of the site as it was.", show_default=False)],
    handed_over: Annotated[Path, typer.Argument(help="The folder that was made of it.", show_default=False)],
    screens: Annotated[str, typer.Option(help="Screens, with commas between; all without.")] = "",
    tiers: Annotated[
        str, typer.Option(help="Audience tiers, with commas between; all that Chromium shows without.")
    ] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print the result as JSON.")] = False,
    junit: Annotated[Path | None, typer.Option(help="Also write the result as JUnit XML.", show_default=False)] = None,
) -> None:
    """Hold a handed-over site against the original in headless Chromium. Exit code 1 where something is wrong."""
    chosen, wanted = chosen_screens(screens), _tiers(tiers)
    if junit and not junit.absolute().parent.is_dir():
        raise UnusableInput(f"The folder {junit.absolute().parent} does not exist.")
    before, after = Folder(original), Folder(handed_over)
    with progress(("Reading files", "Checking pages")) as bars:
        sites = read_folder(before, bars[0]), read_folder(after, bars[0])
        if not any(not page.is_folder for page in sites[0].pages):
            raise UnusableInput(f"{original} holds no web page.")
        given = given_by_manifest(sites[1], after.read)
        sides = Side(sites[0], before.read), Side(sites[1], after.read, given)
        checked = Checker(*sides, chosen, wanted).all(bars[1])
    if junit:
        junit.write_bytes(check_junit(checked))
    if as_json:
        print_json(check_json(checked))
    else:
        tell_checked(checked)
    if any(c.wrong for c in checked):
        raise typer.Exit(_FAILED)


def tell_checked(checked: Sequence[Checked]) -> None:
    """What came of a check, in sentences."""
    for one in checked:
        for wrong in one.wrong:
            typer.echo(f"{one.page}, {one.screen}, {one.tier}: {wrong}")
    unsure = sorted({c.page for c in checked if not c.sure})
    for path in unsure:
        typer.echo(f"{path} is never twice the same; not all of it can be compared.")
    weighed = f"{kb(sum(c.before for c in checked))} before, {kb(sum(c.after for c in checked))} after"
    passed = sum(not c.wrong for c in checked)
    typer.echo(f"{passed} of {len(checked)} loads of pages pass; their images: {weighed}.")


def _tiers(names: str) -> list[Tier]:
    """The tiers of these names; all that Chromium shows for none. Raises UnusableInput for an unknown one."""
    known = checkable_tiers()
    wanted = [n.strip() for n in names.split(",") if n.strip()] or list(known)
    unknown = next((n for n in wanted if n not in known), None)
    if unknown:
        raise UnusableInput(f"There is no tier {unknown!r} to check; there are {', '.join(known)}.")
    return list(dict.fromkeys(wanted))
