"""The command that hands a treated folder over: in which form, and where to."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ivory_thistle.cli.checking import tell_checked
from ivory_thistle.cli.options import (
    Cap,
    Compare,
    Fidelity,
    Formats,
    Measure,
    PatchFile,
    Quality,
    RulesFile,
    SiteFolder,
)
from ivory_thistle.cli.output import print_json, progress
from ivory_thistle.cli.treating import formats_asked, rules_of, tell, write_patch
from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.findings.audit import site_roles
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.guessing import guessed_slots
from ivory_thistle.core.treatment.names import names_of
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.check_reports import check_json
from ivory_thistle.workflows.folders import (
    Bars,
    FolderTreated,
    TreatOptions,
    check_treated,
    treat_json,
    treating,
    usable_target,
    write_folder,
    write_zip,
)
from ivory_thistle.workflows.into_site import undo_in_site, write_into_site
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.wording import file_names, without_alternative, wording_csv

_FAILED = 1
_WHERE = "Where to: one of these"


def hand_over(
    folder: SiteFolder,
    out: Annotated[Path | None, typer.Option(help="A new folder.", show_default=False, rich_help_panel=_WHERE)] = None,
    zip_file: Annotated[
        Path | None, typer.Option("--zip", help="A ZIP file.", show_default=False, rich_help_panel=_WHERE)
    ] = None,
    into_site: Annotated[
        bool,
        typer.Option(
            "--into-site", help="The site's own folder; what is replaced is kept beside it.", rich_help_panel=_WHERE
        ),
    ] = False,
    undo: Annotated[bool, typer.Option("--undo", help="Undo what --into-site wrote.", rich_help_panel=_WHERE)] = False,
    form: Annotated[str, typer.Option(help="markup, same-addresses, files-only or in-place.")] = "",
    fidelity: Fidelity = "",
    cap: Cap = "",
    quality: Quality = "",
    formats: Formats = "",
    rules_file: RulesFile = None,
    name: Annotated[
        str,
        typer.Option(
            help="How new files are called where pages name them, e.g. {name}-{width}.{hash}.{ext}.", show_default=False
        ),
    ] = "",
    measure: Measure = False,
    compare: Compare = True,
    wording: Annotated[
        Path | None,
        typer.Option(help="A CSV of alternative texts and names, as `wording` writes it.", show_default=False),
    ] = None,
    backgrounds: Annotated[
        bool, typer.Option("--background-widths", help="Give CSS backgrounds narrower files on narrow screens.")
    ] = False,
    check: Annotated[
        bool, typer.Option("--check", help="Check what leaves in every tier; nothing is written where that fails.")
    ] = False,
    patch: PatchFile = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the result as JSON.")] = False,
) -> None:
    """Treat a site's images, or a folder of pictures, and hand the result over in one of four forms."""
    if sum(map(bool, (out, zip_file, into_site, undo))) != 1:
        raise UnusableInput("Give one of --out, --zip, --into-site and --undo.")
    opened = Folder(folder)
    if undo:
        _undo(opened)
        return
    for place in (patch, zip_file):
        if place and not place.absolute().parent.is_dir():
            raise UnusableInput(f"The folder {place.absolute().parent} does not exist.")
    target = usable_target(out, opened) if out else None
    asked = {"demand_check": check, "background_widths": backgrounds}
    rules = rules_of(
        fidelity, cap, quality, rules_file, **formats_asked(formats), **({"form": _form(form)} if form else {}),
        **{name: True for name, on in asked.items() if on},
        **({"names": names_of(name)} if name else {}),
    )  # fmt: skip
    options = TreatOptions(measure=measure, compare=compare, wording=_read(wording) if wording else b"")
    stages = ("Reading files", "Measuring pages", "Treating images", "Comparing pages", "Checking pages")
    with progress(stages) as bars:
        told: Bars = (bars[0], bars[1], bars[2], bars[3])
        with treating(opened, rules, options, told, near=target or zip_file) as done:
            checked = check_treated(done, bars[4]) if check else ()
            if any(c.wrong for c in checked):
                tell_checked(checked)
                raise typer.Exit(_FAILED)
            where = _write(done, target, zip_file, rules.form is HandoverForm.FILES_ONLY)
            if patch:
                write_patch(done, patch)
    if as_json:
        print_json(treat_json(done) | ({"check": check_json(checked)} if check else {}))
        return
    tell(done)
    if check:
        tell_checked(checked)
    typer.echo(where)


def _write(done: FolderTreated, target: Path | None, zip_file: Path | None, files_only: bool) -> str:
    """Writes what leaves, and says where it is."""
    if target:
        write_folder(done, target, files_only)
        return f"Written to {target}."
    if zip_file:
        write_zip(done, zip_file, files_only)
        return f"Written to {zip_file}."
    root = done.folder.root
    written = write_into_site(root, done.entries(files_only), lambda file: b"".join(done.parts_of(file)))
    for path in written.links:
        typer.echo(f"Left as it is, for it is a link: {path}")
    return f"Written into {root}. What was replaced is kept in {written.backup}; --undo brings it back."


def write_wording(
    folder: Annotated[Path, typer.Argument(help="The folder of a built site.", show_default=False)],
    out: Annotated[Path, typer.Option(help="The CSV to write.", show_default=False)],
) -> None:
    """List images without alternative text, and files whose names say little, with suggestions to edit in a CSV.

    What stands in its column "text" is written by `handover --wording`; "decorative" stands for an empty text.
    """
    if not out.absolute().parent.is_dir():
        raise UnusableInput(f"The folder {out.absolute().parent} does not exist.")
    opened = Folder(folder)
    with progress(("Reading files",)) as bars:
        site = read_folder(opened, bars[0])
    roles = {path: found.role for path, found in site_roles(site, list(guessed_slots(site))).items()}
    missing, names = without_alternative(site, opened.read, roles), file_names(site, opened.read)
    out.write_bytes(wording_csv([*missing, *names]))
    better = sum(row.suggestion is not None for row in names)
    typer.echo(f"Images without alternative text: {len(missing)}. Files with a better name: {better} of {len(names)}.")


def _read(place: Path) -> bytes:
    """The file's content. Raises UnusableInput."""
    try:
        return place.read_bytes()
    except OSError as error:
        raise UnusableInput(f"{place} can't be read: {error.strerror}.") from error


def _undo(folder: Folder) -> None:
    done = undo_in_site(folder.root)
    typer.echo(f"{done.restored} files brought back, {done.removed} new ones removed.")
    for path in done.changed:
        typer.echo(f"Left as it is, for it was changed since: {path}")
    if done.changed:
        raise typer.Exit(_FAILED)


def _form(name: str) -> HandoverForm:
    """The form of that name. Raises UnusableInput."""
    try:
        return HandoverForm(name)
    except ValueError as error:
        raise UnusableInput(f"There is no form {name!r}; there are {', '.join(HandoverForm)}.") from error
