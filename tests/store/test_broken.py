"""A database that gives way or is away, and disks that are full, read-only or gone: said in words, and nothing lost."""

from __future__ import annotations

import asyncio
import os
import signal
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy import Engine, select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from starlette.types import Message, Receive, Scope, Send

from application import Application
from ivory_thistle.api.again import Again
from ivory_thistle.api.errors import GAVE_WAY
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.store.database import connect, gives_way, in_transaction, is_away, migrate, sessions
from ivory_thistle.store.mariadb import MariaDb
from waiting import until

pytestmark = pytest.mark.database


def test_a_deadlock_is_tried_again(engine: Engine) -> None:
    """Two transactions that take the same two rows in opposite order: both are done, whichever had to give way."""
    made = sessions(engine)
    with made.begin() as session:
        rows = [t.Site(name=f"d{n}", page_budget=1, removed_at=t.now()) for n in range(2)]
        session.add_all(rows)
        session.flush()
        ids = [row.id for row in rows]
    tries: list[int] = []
    together = threading.Barrier(2, timeout=20)

    def change(order: list[int]) -> None:
        first = True

        def work(session: Session) -> None:
            nonlocal first
            tries.append(1)
            session.execute(update(t.Site).where(t.Site.id == order[0]).values(page_budget=t.Site.page_budget + 1))
            if first:
                first = False
                together.wait()
            session.execute(update(t.Site).where(t.Site.id == order[1]).values(page_budget=t.Site.page_budget + 1))

        in_transaction(made, work)

    threads = [threading.Thread(target=change, args=(order,)) for order in (ids, ids[::-1])]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    with made() as session:
        assert session.scalars(select(t.Site.page_budget).where(t.Site.id.in_(ids))).all() == [3, 3]
    assert len(tries) >= 3


def test_a_request_whose_transaction_gave_way_is_handled_again() -> None:
    """With its body; the last answer is given out whatever it is."""
    bodies: list[bytes] = []

    async def app(scope: Scope, receive: Receive, send: Send) -> None:
        bodies.append((await receive())["body"])
        if len(bodies) < 3:
            scope[GAVE_WAY] = True
        await send({"type": "http.response.start", "status": 503 if len(bodies) < 3 else 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    async def receive() -> Message:
        return {"type": "http.request", "body": b"{}", "more_body": False}

    sent: list[Message] = []

    async def send(message: Message) -> None:
        sent.append(message)

    scope = {"type": "http", "method": "POST", "headers": [(b"content-length", b"2")], "path": "/"}
    # Beside a test that drives a browser, this thread has a running loop.
    with ThreadPoolExecutor(1) as other:
        other.submit(asyncio.run, Again(app)(scope, receive, send)).result()
    assert bodies == [b"{}"] * 3 and [m.get("status") for m in sent] == [200, None]


def test_a_database_that_was_killed_comes_back(tmp_path: Path) -> None:
    """On the same port, with everything that was committed."""
    database = MariaDb(tmp_path)
    server = database.start()
    try:
        engine = connect(server.url)
        migrate(engine)
        made = sessions(engine)
        in_transaction(made, lambda s: s.add(t.Site(name="kept", page_budget=1)))
        os.kill(server.pid, signal.SIGKILL)
        with pytest.raises(OperationalError) as away:
            in_transaction(made, lambda s: s.scalar(select(t.Site.id)))
        assert is_away(away.value) and not gives_way(away.value)
        until(lambda: database.pid and database.pid != server.pid and _answers(made), 15)
        assert in_transaction(made, lambda s: s.scalar(select(t.Site.name))) == "kept"
        engine.dispose()
    finally:
        database.stop()
    assert database.pid == 0


def _answers(made: object) -> bool:
    from ivory_thistle.store.database import answers

    return answers(made)  # type: ignore[arg-type]


def test_what_can_not_be_kept_says_why(tmp_path: Path) -> None:
    """A store that is away is told from one content that is missing."""
    store = Blobs(str(tmp_path / "blobs"))
    digest = store.put(b"x")
    with pytest.raises(FileNotFoundError):
        store.get("0" * 64)
    (tmp_path / "blobs").rename(tmp_path / "away")
    with pytest.raises(StorageError, match=r"is away or can't be read. Bring it back, then go on\."):
        store.get(digest)
    (tmp_path / "file").write_text("no folder")
    with pytest.raises(StorageError, match=r"can't be used: Not a directory. Mend that, then go on\."):
        Blobs(str(tmp_path / "file"))


def test_left_overs_of_killed_writers_go(tmp_path: Path) -> None:
    """At the next start, when nobody writes."""
    store = Blobs(str(tmp_path))
    (tmp_path / ".unfinished" / "abc").write_bytes(b"half")
    digest = store.put(b"whole")
    store.clear_unfinished()
    assert not list((tmp_path / ".unfinished").iterdir()) and list(store.every()) == [(digest, 5)]


def test_a_folder_that_is_gone_is_said_and_read_when_it_is_back(application: Application, site_folder: Path) -> None:
    """The reading fails with words; going on after it came back completes it."""
    client = application.client
    site = client.post("/api/v1/sites/from-folder", json={"folder": str(site_folder)}).json()
    first = f"/api/v1/captures/{site['capture']['id']}"
    application.wait(first, ("done",))
    away = site_folder.with_name("away")
    second = client.post(f"/api/v1/sites/{site['id']}/captures").json()
    site_folder.rename(away)
    path = f"/api/v1/captures/{second['id']}"
    if application.wait(path, ("failed", "done"))["state"] == "failed":
        assert str(site_folder) in str(client.get(path).json()["error"])
        away.rename(site_folder)
        client.post(f"{path}/continue")
        application.wait(path, ("done",))
    client.delete(f"/api/v1/sites/{site['id']}")
