"""`python -m ivory_thistle.api`: database, workers and web server together, until Ctrl-C."""

from __future__ import annotations

import argparse
import fcntl
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from sqlalchemy import select

from ivory_thistle.api.access import Access
from ivory_thistle.api.app import create_app
from ivory_thistle.api.counts import Counts
from ivory_thistle.api.server import server_of
from ivory_thistle.api.services import Services
from ivory_thistle.core.budgets.policy import DEFAULT_PAGE_BYTES
from ivory_thistle.core.errors import ThistleError, UnusableInput
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.jobs.log import configure_log
from ivory_thistle.jobs.process import BLOBS, DATABASE, JobsProcess
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import connect, migrate, sessions
from ivory_thistle.store.mariadb import MariaDb, port_is_free
from ivory_thistle.system.programs import keep_current_folder_out
from ivory_thistle.workflows.desk import Desk
from ivory_thistle.workflows.kept import kept_folder
from ivory_thistle.workflows.plugged import load_formats
from ivory_thistle.workflows.room import Places

DEMO_NAME = "Corvane Ridge Observatory"
_MOST_FORETOLD, _ONE_FORECAST = 60_000, 3_000
"""Images in all forecasts that are kept, each of which counts for some more. One of 10,000 images takes 43 MB."""


def main() -> int:
    """Runs the server; 2 when it can't be started, with one line that says why."""
    parser = argparse.ArgumentParser(prog="thistle start", description=__doc__)
    parser.add_argument("--port", type=int, default=8640)
    parser.add_argument("--data", type=Path, required=True, help="folder for database, blobs and uploads")
    parser.add_argument("--web", type=Path, help="folder of the built front end")
    parser.add_argument("--demo", type=Path, help="folder of the demo site")
    options = parser.parse_args()
    configure_log()
    keep_current_folder_out()
    # What is captured, made and logged is its owner's alone; closing the folder closes what stands in it already.
    os.umask(0o077)
    options.data.mkdir(parents=True, exist_ok=True)
    options.data.chmod(0o700)
    for part in ("blobs", "uploads", "staging", "mariadb"):
        if (options.data / part).is_dir():
            (options.data / part).chmod(0o700)
    for log in options.data.glob("*.log"):
        log.chmod(0o600)
    try:
        load_formats()
        with held(options.data, options.port):
            return _serve(options)
    except ThistleError as error:
        print(error, file=sys.stderr)
        return 2


def _serve(options: argparse.Namespace) -> int:
    if not port_is_free(options.port):
        print(
            f"Port {options.port} is taken; is it running already? Choose another with --port.",
            file=sys.stderr,
        )
        return 2
    access = Access(options.data, options.port)
    app = create_app(lambda: opened(options.data, options.demo, access), access, options.web)
    server = server_of(app, options.port)
    with suppress(KeyboardInterrupt):
        server.run()
    return 0 if server.started else 2


@contextmanager
def held(data: Path, port: int) -> Iterator[None]:
    """Keeps a data folder for this process alone. Raises UnusableInput, which says who has it."""
    with (data / "application.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            lock.seek(0)
            who = lock.read(200).strip() or "another process"
            raise UnusableInput(f"{data} is in use by {who}; stop that one, or name another folder.") from error
        lock.seek(0)
        lock.truncate()
        lock.write(f"the application at http://127.0.0.1:{port} (process {os.getpid()})")
        lock.flush()
        yield


@contextmanager
def opened(data: Path, demo: Path | None = None, access: Access | None = None) -> Iterator[Services]:
    """Everything the application works with, started in order and ended in reverse.

    With `access`, the address that lets a browser in is printed.
    """
    database = MariaDb(data)
    try:
        url = os.environ.get(DATABASE) or database.start().url
        engine = connect(url)
        migrate(engine)
        made = sessions(engine)
        blobs = Blobs(os.environ.get(BLOBS) or str((data / "blobs").absolute()))
        counts, at_hand, proofs = Counts(), Counts(most=3), Counts(most=40)
        forecasts = Counts(_MOST_FORETOLD, weigh=lambda told: _ONE_FORECAST + len(told.plans))

        def on_audit(capture_id: int) -> None:
            for known in (counts, at_hand, forecasts):
                known.forget(capture_id)

        jobs = JobsProcess(url, blobs.url, data / "staging", made, on_audit)
        own = None if os.environ.get(DATABASE) else database.data
        places = Places(data / "uploads", data / "staging", own, kept_folder())
        services = Services(made, blobs, jobs, places, counts, at_hand, forecasts, proofs, Desk())
        if demo:
            add_demo(services, demo)
        jobs.start()
        with stand_in(demo, access.port if access else 0) as address:
            if access:
                print(f"\nIvory Thistle is at {access.link()}", flush=True)
                print("This address lets one browser in, once; ./thistle link prints another.", flush=True)
                print("Ctrl-C stops everything.", flush=True)
                print(f"The demo site is served at {address}/ too.\n" if address else "", flush=True)
            try:
                yield services
            finally:
                services.desk.close()
                jobs.stop()
        engine.dispose()
    finally:
        database.stop()


@contextmanager
def stand_in(demo: Path | None, port: int) -> Iterator[str]:
    """Serves the demo site on the port after the application's, with a redirect to meet; empty where it can't be."""
    if demo is None or not port or not port_is_free(port + 1):
        yield ""
        return
    folder = Folder(demo)
    with serve_site(folder.paths()[0], folder.read, port=port + 1, redirects={"/home": "/index.html"}) as address:
        yield address


def add_demo(services: Services, folder: Path) -> None:
    """Adds the demo site once; a demo that was removed or has a capture is left as it is."""
    with services.sessions.begin() as session:
        if session.scalar(select(t.Site).where(t.Site.name == DEMO_NAME)):
            return
        site = t.Site(name=DEMO_NAME, page_budget=DEFAULT_PAGE_BYTES)
        session.add(site)
        session.flush()
        place = str(folder.absolute())
        session.add(t.Capture(site_id=site.id, origin="folder", place=place, label=folder.name))


if __name__ == "__main__":
    sys.exit(main())
