"""What the database refuses is the fault of the job that wanted to keep it, and of no other."""

from __future__ import annotations

import getpass
from collections.abc import Callable, Iterator
from pathlib import Path

import pymysql
import pytest
from sqlalchemy.orm import Session, sessionmaker

from coordinating import Running
from ivory_thistle.core.states import State
from ivory_thistle.intake.folder import Folder
from ivory_thistle.jobs.coordinator import Coordinator
from ivory_thistle.store import jobs
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import connect, migrate, sessions
from ivory_thistle.store.mariadb import MariaDb
from ivory_thistle.workflows.auditing import ask_for_audit, audit_capture
from ivory_thistle.workflows.capturing import capture_opened
from ivory_thistle.workflows.opening import Opened
from waiting import until

pytestmark = pytest.mark.database
SMALL_PACKET = 1 << 20


@pytest.fixture
def own_database(tmp_path: Path) -> Iterator[tuple[sessionmaker[Session], Callable[[int], None]]]:
    """A server of its own, and what sets the largest packet that it takes."""
    database = MariaDb(tmp_path / "database")
    engine = connect(database.start().url)
    migrate(engine)

    def take(size: int) -> None:
        root = pymysql.connect(unix_socket=str(database.folder / "mariadb.sock"), user=getpass.getuser())
        root.cursor().execute(f"SET GLOBAL max_allowed_packet = {size}")
        root.close()
        engine.dispose()

    yield sessions(engine), take
    engine.dispose()
    database.stop()


def a_capture(made: sessionmaker[Session], folder: Path, name: str) -> int:
    """A capture that waits, of a site that is on no list."""
    with made.begin() as session:
        site = t.Site(name=name, page_budget=1, removed_at=t.now())
        session.add(site)
        session.flush()
        row = t.Capture(site_id=site.id, origin="folder", place=str(folder), label="x")
        session.add(row)
        session.flush()
        return row.id


def page_of(images: int, letters: int, folder: Path) -> Path:
    """A page that names so many pictures that are not there, by addresses of so many letters."""
    folder.mkdir()
    names = (f"{number}-{'x' * letters}.png" for number in range(images))
    (folder / "index.html").write_text("<!doctype html><title>x</title>" + "".join(f"<img src={n}>" for n in names))
    return folder


def about(made: sessionmaker[Session], capture: int) -> tuple[str, str | None]:
    with made() as session:
        row = session.get_one(t.Capture, capture)
        return str(row.state), row.error


def test_a_capture_that_can_not_be_kept_is_given_up(
    own_database: tuple[sessionmaker[Session], Callable[[int], None]], blobs: Blobs, tmp_path: Path, site_folder: Path
) -> None:
    """After three tries, in words; another job goes between them, and the capture goes through once there is room."""
    made, take = own_database
    take(SMALL_PACKET)
    large = a_capture(made, page_of(1_100, 1_990, tmp_path / "large"), "large")
    small = a_capture(made, site_folder, "small")
    running = Running(Coordinator(made, blobs, tmp_path / "staging"))
    until(lambda: about(made, large)[0] == "failed", 60)
    assert about(made, small)[0] == "done"
    assert about(made, large)[1] == (
        "The database refused to keep this, 3 times: one thing in it is larger than the server takes. Leave out the"
        " page or file that is extraordinarily large, then try again. Nothing finished was lost."
    )
    with made() as session:
        assert session.query(t.Page).filter_by(capture_id=large).count() == 0
    take(64 << 20)
    with made.begin() as session:
        assert jobs.ask_to_go_on(session, t.Capture, large)
    running.coordinator.wake()
    until(lambda: about(made, large)[0] == "done", 60)
    running.stop()


@pytest.mark.whole
def test_seventy_thousand_long_addresses_are_kept(made: sessionmaker[Session], blobs: Blobs, tmp_path: Path) -> None:
    """More than a packet in one list: the list is shortened, the count is true, every placement is there."""
    folder = page_of(70_000, 1_000, tmp_path / "large")
    capture = a_capture(made, folder, "seventy")
    capture_opened(capture, Opened(Folder(folder)), made, blobs)
    with made.begin() as session:
        page = session.query(t.Page).filter_by(capture_id=capture).one()
        assert (page.broken_count, len(page.broken)) == (70_000, 1_000)
        assert session.query(t.Placement).filter_by(capture_id=capture).count() == 70_000
        session.get_one(t.Capture, capture).state = State.DONE
        ask_for_audit(session, capture)
    audit_capture(capture, made, blobs)
    with made() as session:
        found = session.query(t.Finding).filter_by(capture_id=capture, code="broken-reference")
        assert found.count() == 70_000
        assert max(len(one.sentence) for one in found.limit(10)) < 300


def test_an_address_of_a_million_letters_is_one_finding(
    made: sessionmaker[Session], blobs: Blobs, tmp_path: Path
) -> None:
    """An audit goes through, whatever its sentences name."""
    folder = page_of(1, 1_000_000, tmp_path / "long")
    capture = a_capture(made, folder, "million")
    capture_opened(capture, Opened(Folder(folder)), made, blobs)
    audit_capture(capture, made, blobs)
    with made() as session:
        one = session.query(t.Finding).filter_by(capture_id=capture, code="broken-reference").one()
        assert one.sentence.startswith("index.html names 0-xxx") and one.sentence.endswith("…, which is not there.")
