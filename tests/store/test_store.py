"""The real MariaDB: migrations, recovery, blobs."""

from __future__ import annotations

import os
import signal
import threading
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import Engine, text

from ivory_thistle.store import database as database_module
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import connect, migrate
from ivory_thistle.store.mariadb import MariaDb
from ivory_thistle.store.tables import Base

pytestmark = pytest.mark.database


def test_migrations_and_tables_agree(engine: Engine) -> None:
    """Alembic finds nothing to change after the newest migration; migrating again does nothing."""
    migrate(engine)
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_moments_are_kept_to_the_millisecond(engine: Engine) -> None:
    """All of them: what is cut to seconds would come before what happened in the same second."""
    others = text(
        "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = DATABASE()"
        " AND data_type IN ('datetime', 'timestamp') AND datetime_precision <> 3"
    )
    with engine.connect() as connection:
        assert connection.execute(others).all() == []


def test_addresses_are_told_apart_byte_for_byte(engine: Engine) -> None:
    """Case, accents and trailing blanks count in the collation of every table."""
    others = text(
        "SELECT table_name FROM information_schema.columns WHERE table_schema = DATABASE()"
        " AND collation_name NOT IN ('utf8mb4_nopad_bin', 'utf8mb4_bin') AND table_name <> 'alembic_version'"
    )
    with engine.connect() as connection:
        assert connection.execute(others).all() == []
        connection.execute(text("CREATE TEMPORARY TABLE names (n VARCHAR(9) UNIQUE)"))
        connection.execute(text("INSERT INTO names VALUES ('a'), ('A'), ('a '), ('e'), ('é')"))
        assert connection.execute(text("SELECT COUNT(*) FROM names WHERE n = 'a'")).scalar() == 1


def test_a_killed_server_is_recovered_with_its_rows(tmp_path: Path) -> None:
    """SIGKILL, then a start on the same data: every committed row is there. A second asker shares the server."""
    first = MariaDb(tmp_path)
    server = first.start()
    shared = MariaDb(tmp_path).start()
    assert shared.pid == server.pid and not shared.ours
    engine = connect(server.url)
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE kept (n INT)"))
        connection.execute(text("INSERT INTO kept VALUES (42)"))
    engine.dispose()
    os.kill(server.pid, signal.SIGKILL)
    first.stop()
    second = MariaDb(tmp_path)
    again = second.start()
    assert again.ours and again.pid != server.pid
    with connect(again.url).connect() as connection:
        assert connection.execute(text("SELECT n FROM kept")).scalar() == 42
    second.stop()


def test_temporary_files_are_out_of_other_servers_reach(tmp_path: Path) -> None:
    """A second server that is made and started removes no temporary table of the first."""
    servers = [MariaDb(tmp_path / name) for name in ("one", "other")]
    with connect(servers[0].start().url).connect() as connection:
        connection.execute(text("CREATE TEMPORARY TABLE held (n INT) ENGINE=Aria"))
        connection.execute(text("INSERT INTO held VALUES (7)"))
        held = set((tmp_path / "one").rglob("#sql-temptable*"))
        servers[1].start()
        assert held and all(path.exists() for path in held)
        assert connection.execute(text("SELECT n FROM held")).scalar() == 7
    for server in servers:
        server.stop()


def test_blobs_are_content_addressed_and_whole(tmp_path: Path) -> None:
    """Many writers of one content leave one file, under its hash, and no temporary ones."""
    blobs = Blobs(str(tmp_path))
    data = os.urandom(200_000)
    writers = [threading.Thread(target=blobs.put, args=(data,)) for _ in range(8)]
    for w in writers:
        w.start()
    for w in writers:
        w.join()
    digest = blobs.put(data)
    assert blobs.get(digest) == data and blobs.has(digest)
    assert {p.name for p in tmp_path.rglob("*") if p.is_file()} == {digest, ".blobs"}
    with pytest.raises(FileNotFoundError):
        blobs.get("0" * 64)


def test_what_was_measured_before_outlives_the_migrations(tmp_path: Path) -> None:
    """From the second version, with a measured page: its weights are kept as the avif tier, its capture is audited."""
    database = MariaDb(tmp_path)
    engine = connect(database.start().url)
    config = Config()
    config.set_main_option("script_location", str(Path(database_module.__file__).with_name("migrations")))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0002")
        for statement in (
            "INSERT INTO site (id, name, page_budget, image_cap, created_at) VALUES (1, 'Old', 7, 8, NOW())",
            "INSERT INTO capture (id, site_id, state, origin, place, label, files_done, files_total, pages, images,"
            " image_bytes, used_bytes, unused_images, broken_references, created_at)"
            " VALUES (1, 1, 'ready', 'folder', '/', 'x', 0, 0, 1, 0, 0, 0, 0, 0, NOW())",
            "INSERT INTO page (id, capture_id, path, title, encoding, bytes, image_count, image_bytes, data_bytes, broken,"
            " remote) VALUES (1, 1, 'a.html', '', 'utf-8', 1, 0, 0, 0, '[]', '[]')",
            "INSERT INTO measurement (id, capture_id, state, screens, total, stop_asked, created_at)"
            " VALUES (1, 1, 'done', '[]', 1, 0, NOW())",
            "INSERT INTO page_screen (id, measurement_id, page_id, screen, opening, scrolled, requests, lcp_element,"
            " layout_shift, shifting, errors, problem, loaded)"
            " VALUES (1, 1, 1, 'phone', 10, 30, 2, '', 0, '[]', '[]', '', '[{\"path\": \"a.png\", \"bytes\": 30}]')",
            "INSERT INTO run (id, capture_id, state, rules, stop_asked, created_at) VALUES (1, 1, 'done', '{}', 0, NOW())",
            "INSERT INTO page_saving (run_id, page_id, `before`, avif, webp, baseline) VALUES (1, 1, 90, 20, 30, 80)",
        ):
            connection.execute(text(statement))
    migrate(engine)
    with engine.connect() as connection:
        weight = connection.execute(
            text("SELECT screen, tier, opening, scrolled, requests, loaded FROM page_weight")
        ).one()
        assert tuple(weight[:5]) == ("phone", "avif", 10, 30, 2) and "a.png" in weight[5]
        assert connection.execute(text("SELECT state FROM capture")).scalar() == "done"
        assert connection.execute(text("SELECT state FROM audit WHERE capture_id = 1")).scalar() == "waiting"
        assert connection.execute(text("SELECT kind FROM page")).scalar() == "html"
        savings = connection.execute(text("SELECT tier, `before`, `after` FROM page_saving ORDER BY `after`")).all()
        assert savings == [("avif", 90, 20), ("webp", 90, 30), ("baseline", 90, 80)]
        assert connection.execute(text("SELECT estimated FROM measurement")).scalar() == 0
    engine.dispose()
    database.stop()
