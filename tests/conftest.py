"""Fixtures: a little site, our own MariaDB, the whole application on a free port."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from playwright.sync_api import expect
from sqlalchemy import Engine

sys.path.insert(0, str(Path(__file__).parent))

from application import Application, running
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.chromium import kept_browsers
from ivory_thistle.store.database import connect, migrate
from ivory_thistle.store.mariadb import MariaDb
from ivory_thistle.workflows import folders, measuring
from ivory_thistle.workflows.kept import PLACE
from pictures import write_site
from recording import RecordedMeasuring, Recording

pytest_plugins = ("daily",)
# Tests share the machine with one another: what comes late comes all the same.
expect.set_options(timeout=20_000)
settings.register_profile("beside-others", deadline=None)
settings.load_profile("beside-others")
_ORDER = ("core", "standards", "intake", "workflows", "store", "jobs", "api", "browser")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The fast tests first: folders in the order of the layers."""
    items.sort(key=lambda item: next((n for n, f in enumerate(_ORDER) if f in Path(item.path).parts), 0))


@pytest.fixture
def site_folder(tmp_path: Path) -> Path:
    """A fresh copy of the little site."""
    return write_site(tmp_path / "site")


@pytest.fixture(scope="session", autouse=True)
def _kept(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What one test has encoded, no other encodes again, in whichever process it runs."""
    ours = tmp_path_factory.getbasetemp()
    beside_others = "PYTEST_XDIST_WORKER" in os.environ
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv(PLACE, str((ours.parent if beside_others else ours) / "kept"))
        yield


@pytest.fixture(scope="session", autouse=True)
def _browsers() -> Iterator[None]:
    """Browsers that measure and compare are started once, not for every call."""
    with kept_browsers():
        yield


@pytest.fixture
def nothing_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    """Everything is encoded: for what happens while that goes on."""
    monkeypatch.delenv(PLACE)


@pytest.fixture
def recording(request: pytest.FixtureRequest) -> Iterator[Recording]:
    """Chromium's answers to this test: recorded ones by day, fresh ones in the whole."""
    answers = Recording(request.node.nodeid, request.config.getoption("whole"))
    yield answers
    answers.close()


@pytest.fixture
def measured_as_recorded(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch, recording: Recording) -> None:
    """Pages are measured as they were when that was recorded; what never runs by day is not recorded."""
    if request.node.get_closest_marker("whole"):
        return
    monkeypatch.setattr(measuring, "measure_pages", RecordedMeasuring(recording))


@pytest.fixture
def two_screens(monkeypatch: pytest.MonkeyPatch) -> None:
    """Commands look at a dense and a plain screen: for what does not hang on how many there are."""
    phone, *_, desktop = DEFAULT_SCREENS
    monkeypatch.setattr(folders, "DEFAULT_SCREENS", (phone, desktop))


@pytest.fixture(scope="session")
def data_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The application's data folder of this test session."""
    return tmp_path_factory.mktemp("data")


@pytest.fixture(scope="session")
def engine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Engine]:
    """A real MariaDB, migrated. No application looks for work in it: the tests' own coordinators have it alone."""
    database = MariaDb(tmp_path_factory.mktemp("database"))
    engine = connect(database.start().url)
    migrate(engine)
    yield engine
    engine.dispose()
    database.stop()


@pytest.fixture(scope="session")
def application(data_folder: Path) -> Iterator[Application]:
    """The whole application with its front end, workers and database, on loopback."""
    with running(data_folder) as application:
        yield application


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    """Debian's browser, without its own talk to the network."""
    arguments = [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ]
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium-headless-shell", "args": arguments}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any]) -> dict[str, Any]:
    """The size that every screen is designed for."""
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}}
