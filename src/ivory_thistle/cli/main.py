"""Commands without server. Exit code 0 when done, 1 where a check fails, 2 on unusable arguments."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from typing import Annotated

import typer

from ivory_thistle.cli.checking import check
from ivory_thistle.cli.handing_over import hand_over, write_wording
from ivory_thistle.cli.output import chosen_screens, print_json, progress
from ivory_thistle.cli.proving import proof
from ivory_thistle.cli.reporting import report
from ivory_thistle.cli.treating import treat
from ivory_thistle.core.errors import ThistleError, UnusableInput
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.words import counted, kb
from ivory_thistle.intake.browser import PageMeasurement
from ivory_thistle.intake.crawling import CrawlOptions
from ivory_thistle.jobs.log import configure_log
from ivory_thistle.system.programs import keep_current_folder_out
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.opening import named_source, open_source
from ivory_thistle.workflows.plugged import load_formats
from ivory_thistle.workflows.reading import read_site_of
from ivory_thistle.workflows.reporting import audit_json, measured_json

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help=__doc__)
app.command()(treat)
app.command()(check)
app.command("handover")(hand_over)
app.command("wording")(write_wording)
app.command()(report)
app.command()(proof)


@app.command()
def audit(
    source: Annotated[
        str, typer.Argument(help="A folder, a ZIP, a HAR file, or an address.", metavar="FOLDER|ZIP|HAR|URL")
    ],
    as_json: Annotated[bool, typer.Option("--json", help="Print the result as JSON.")] = False,
    measure: Annotated[bool, typer.Option("--measure", help="Also load every page in headless Chromium.")] = False,
    screens: Annotated[str, typer.Option(help="Screens to measure on, with commas between.")] = "",
    pages: Annotated[int, typer.Option(help="Of an address: read so many pages at most.")] = 500,
    depth: Annotated[int, typer.Option(help="Of an address: follow links so deep.")] = 8,
    own_server: Annotated[
        bool, typer.Option("--own-server", help="Of an address: it is yours; a private address is allowed.")
    ] = False,
    ignore_robots: Annotated[
        bool, typer.Option("--ignore-robots", help="Of an address that is yours: set robots.txt aside.")
    ] = False,
) -> None:
    """Read a site and weigh the images of every page."""
    chosen = chosen_screens(screens)
    options = CrawlOptions(
        "", depth=depth, pages=pages, allow_private=own_server, respect_robots=not ignore_robots,
        seconds_between=0.02 if own_server else 0.2,
    )  # fmt: skip
    parts = ("Reading files", "Measuring pages") if measure else ("Reading files",)
    with tempfile.TemporaryDirectory(prefix="thistle-") as staging, progress(parts) as bars:
        opened = open_source(named_source(source, options), Path(staging) / "site", bars[0])
        folder, site = opened.folder, read_site_of(opened, bars[0]).site
        measured = measure_folder(folder, site, chosen, bars[1]) if measure else []
    if not site.pages and not site.images:
        raise UnusableInput(f"{source} holds no web page and no picture.")
    if measure:
        if as_json:
            print_json(measured_json(site, measured))
        else:
            _print_measured([m for m, _ in measured])
    elif as_json:
        print_json(audit_json(site))
    else:
        _print_audit(site)


def _print_measured(measured: list[PageMeasurement]) -> None:
    how = "measured" if all(m.measured for m in measured) else "estimated from markup, for no browser is installed"
    typer.echo(f"Image bytes on the wire, at opening and scrolled through ({how}; kB = 1,000 bytes).")
    for m in measured:
        typer.echo(f"{kb(m.opening_bytes):>12} {kb(m.scrolled_bytes):>12}  {m.screen:<8} {m.page}")
        for note in (m.problem, *m.errors):
            if note:
                typer.echo(f"{'':26}{note}")


def main() -> None:
    """Runs the command line; what the person named wrongly becomes one line and exit code 2."""
    # Results go to standard output; the log must not be among them.
    configure_log()
    keep_current_folder_out()
    try:
        load_formats()
        code = app(standalone_mode=False)
        if code:
            sys.exit(code)
    except ThistleError as error:
        typer.echo(str(error), err=True)
        sys.exit(2)
    except OSError as error:
        typer.echo(f"{error.filename or 'This'} can't be read or written: {error.strerror or error}.", err=True)
        sys.exit(2)
    except typer.TyperException as error:
        typer.echo(error.format_message(), err=True)
        sys.exit(2)
    except (KeyboardInterrupt, typer.Abort):
        typer.echo("Stopped.", err=True)
        sys.exit(130)


def _print_audit(site: SiteReading) -> None:
    totals = audit_json(site)["totals"]
    pages, images = counted(totals["pages"], "page"), counted(totals["images"], "image")
    unused, broken = f"{totals['unused_images']:,} unused", counted(totals["broken_references"], "broken reference")
    typer.echo(f"{pages}, {images}, {kb(totals['image_bytes'])} of image files; {unused}, {broken} (kB = 1,000 bytes).")
    for page in sorted(site.pages, key=lambda p: -p.image_bytes):
        broken = f", {len(page.broken)} broken" if page.broken else ""
        typer.echo(f"{kb(page.image_bytes):>14}  {page.path} ({counted(len(page.files), 'image')}{broken})")
    for fault in site.faults:
        typer.echo(f"Note: {fault.message}")
