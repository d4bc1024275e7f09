"""What the tests of jobs share: a run that waits, and coordinators."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import asdict
from pathlib import Path

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker

from coordinating import Running
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.jobs.coordinator import Coordinator
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import sessions
from ivory_thistle.workflows import auditing
from ivory_thistle.workflows.at_hand import stored_at_hand
from ivory_thistle.workflows.capturing import capture_opened
from ivory_thistle.workflows.opening import Opened
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.runs import start_run


@pytest.fixture
def made(engine: Engine) -> sessionmaker[Session]:
    """Sessions of the real database."""
    return sessions(engine)


@pytest.fixture
def blobs(tmp_path: Path) -> Blobs:
    """An empty blob store."""
    return Blobs(str(tmp_path / "blobs"))


@pytest.fixture
def run_id(made: sessionmaker[Session], blobs: Blobs, site_folder: Path) -> int:
    """A waiting run over a capture of the little site."""
    with made.begin() as session:
        phone, *_, desktop = (asdict(screen) for screen in DEFAULT_SCREENS)
        site = t.Site(name="jobs", page_budget=1, screens=[phone, desktop], removed_at=t.now())
        session.add(site)
        session.flush()
        capture = t.Capture(site_id=site.id, state=State.DONE, origin="folder", place=str(site_folder), label="x")
        session.add(capture)
        session.flush()
        capture_id = capture.id
    capture_opened(capture_id, Opened(Folder(site_folder)), made, blobs)
    with made.begin() as session:
        auditing.ask_for_audit(session, capture_id)
        rules = Rules(fixed=True)
        run = start_run(session, capture_id, rules, plan(stored_at_hand(session, capture_id, blobs), rules), {})
        return run.id


@pytest.fixture
def coordinators(made: sessionmaker[Session], blobs: Blobs, tmp_path: Path) -> Iterator[Callable[..., Running]]:
    """Makes started coordinators and stops them at the end."""
    started: list[Running] = []

    def make(scheduler: str | None = None) -> Running:
        started.append(Running(Coordinator(made, blobs, tmp_path / "staging", scheduler)))
        return started[-1]

    yield make
    for running in started:
        running.stop()
