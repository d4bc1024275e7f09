"""The command that writes a report: of a handed-over folder, or of a run in the application's data folder."""

from __future__ import annotations

import json
import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.reports.as_csv import report_csv
from ivory_thistle.core.reports.as_json import report_json
from ivory_thistle.core.reports.as_markdown import report_markdown
from ivory_thistle.core.reports.report import Report
from ivory_thistle.core.reports.sentences import headline
from ivory_thistle.core.states import State
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import connect, sessions
from ivory_thistle.store.mariadb import MariaDb
from ivory_thistle.workflows.reading import thumbnails_of
from ivory_thistle.workflows.report_page import Thumbnails, pictured, report_html, report_pdf
from ivory_thistle.workflows.reported import chosen, report_in, stored_report, stored_thumbnails

_WHERE = "What to write: any of these; - is standard output"
_WHAT = "What is in it; everything without"
_FORMS = ("html", "pdf", "csv", "json", "markdown")

Place = Annotated[Path | None, typer.Option(show_default=False, rich_help_panel=_WHERE)]


def report(
    treated: Annotated[Path | None, typer.Argument(help="A folder that was handed over.", show_default=False)] = None,
    run: Annotated[int, typer.Option(help="Instead of a folder: the number of a finished run.")] = 0,
    html: Place = None,
    pdf: Place = None,
    csv: Place = None,
    as_json: Annotated[Path | None, typer.Option("--json", show_default=False, rich_help_panel=_WHERE)] = None,
    markdown: Place = None,
    pages: Annotated[str, typer.Option(help="Paths or patterns, with commas between.", rich_help_panel=_WHAT)] = "",
    screens: Annotated[str, typer.Option(help="Screens, with commas between.", rich_help_panel=_WHAT)] = "",
    tiers: Annotated[str, typer.Option(help="Audience tiers, with commas between.", rich_help_panel=_WHAT)] = "",
    images: Annotated[bool, typer.Option(help="Tell single images.", rich_help_panel=_WHAT)] = True,
    title: Annotated[str, typer.Option(help="What the report calls the site.", show_default=False)] = "",
    data: Annotated[Path, typer.Option(help="The application's data folder.", envvar="THISTLE_DATA")] = Path(".data"),
) -> None:
    """Write the report on a treatment: bytes per page, screen and tier, before and after."""
    if (treated is None) == (run == 0):
        raise UnusableInput("Name a handed-over folder, or a run with --run.")
    places = dict(zip(_FORMS, (html, pdf, csv, as_json, markdown), strict=True))
    for place in places.values():
        if place and str(place) != "-" and not place.absolute().parent.is_dir():
            raise UnusableInput(f"The folder {place.absolute().parent} does not exist.")
    opened = _stored(data, run) if treated is None else _handed_over(treated, images and bool(html or pdf))
    with opened as (whole, small):
        part = chosen(whole, _listed(pages), _listed(screens), _listed(tiers), images)
        part = replace(part, site=title or part.site)
        for form, place in places.items():
            if place:
                _write(_in_form(part, form, small), place)
    if not any(places.values()):
        typer.echo(headline(part))


def _in_form(report: Report, form: str, thumbnails: Thumbnails) -> bytes:
    if form == "html":
        return report_html(report, thumbnails)
    if form == "pdf":
        return report_pdf(report, thumbnails)
    if form == "csv":
        return report_csv(report)
    if form == "markdown":
        return report_markdown(report).encode()
    return (json.dumps(report_json(report), indent=2, ensure_ascii=False) + "\n").encode()


def _write(content: bytes, place: Path) -> None:
    if str(place) != "-":
        place.write_bytes(content)
    elif content.startswith(b"%PDF"):
        sys.stdout.buffer.write(content)
    else:
        typer.echo(content.decode(), nl=False)


@contextmanager
def _handed_over(folder: Path, with_pictures: bool) -> Iterator[tuple[Report, Thumbnails]]:
    """The report that lies in a folder, with thumbnails of its originals where they are wanted."""
    opened = Folder(folder)
    found = report_in(opened)
    with tempfile.TemporaryDirectory(prefix="thistle-") as staging:
        yield found, thumbnails_of(opened, pictured(found) if with_pictures else (), Blobs(staging))


@contextmanager
def _stored(data: Path, run_id: int) -> Iterator[tuple[Report, Thumbnails]]:
    """The report on a run of the application, which may be running meanwhile."""
    if not (data / "mariadb").is_dir():
        raise UnusableInput(f"{data} is no data folder of the application; name it with --data.")
    server = MariaDb(data)
    engine = connect(server.start().url)
    try:
        with sessions(engine)() as session:
            run = session.get(t.Run, run_id)
            if run is None or run.state != State.DONE:
                raise UnusableInput(f"There is no finished run {run_id} in {data}.")
            blobs = Blobs(os.environ.get("THISTLE_BLOBS") or str((data / "blobs").absolute()))
            yield stored_report(session, run), stored_thumbnails(session, run, blobs)
    finally:
        engine.dispose()
        server.stop()


def _listed(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]
