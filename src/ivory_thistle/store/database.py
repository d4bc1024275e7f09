"""The connection to MariaDB, and its migrations."""

from __future__ import annotations

import logging
import random
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

_MIGRATIONS = Path(__file__).with_name("migrations")
# https://mariadb.com/docs/server/reference/error-codes: lock wait timeout, deadlock; record changed since it was read.
_GIVE_WAY = frozenset({1205, 1213, 1020})
# Shutdown, killed connection, disk full, table full; and the client's: no server, gone away, lost.
_AWAY = frozenset({1053, 1927, 1021, 1114, 1158, 1159, 1160, 1161, 2002, 2003, 2006, 2013, 2014, 2055})
_TRIES = 6
T = TypeVar("T")
# A database that ends breaks connections while they are given back. Whoever used one is told (`is_away`); the pool
# would tell it once more, with a traceback.
logging.getLogger("sqlalchemy.pool").setLevel(logging.CRITICAL)


def connect(url: str) -> Engine:
    """An engine for a `mariadb+pymysql://` address; loopback, so without TLS (47 ms against 1.5)."""
    return create_engine(
        url,
        pool_pre_ping=True,
        pool_size=8,
        isolation_level="READ COMMITTED",
        connect_args={
            "ssl_disabled": True,
            "charset": "utf8mb4",
            "collation": "utf8mb4_nopad_bin",
            # An EXISTS is looked up row by row as a list walks on, in place of being gathered whole for every page.
            "init_command": "SET optimizer_switch = 'exists_to_in=off'",
        },
    )


def sessions(engine: Engine) -> sessionmaker[Session]:
    """Makes sessions whose objects stay readable after commit."""
    return sessionmaker(engine, expire_on_commit=False)


def migrate(engine: Engine) -> None:
    """Brings the database to the newest version of the tables."""
    # A fifth of what the command line takes to start, which has no database.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def gives_way(error: BaseException) -> bool:
    """Whether the database let this transaction fail so that another could end: it may be tried again."""
    return isinstance(error, DBAPIError) and _code(error) in _GIVE_WAY


def is_away(error: BaseException) -> bool:
    """Whether the database can't be reached or is going down."""
    if not isinstance(error, DBAPIError):
        return False
    return error.connection_invalidated or isinstance(error, InterfaceError) or _code(error) in _AWAY


def _code(error: DBAPIError) -> int:
    arguments = getattr(error.orig, "args", ())
    return arguments[0] if arguments and isinstance(arguments[0], int) else 0


def in_transaction(sessions: sessionmaker[Session], work: Callable[[Session], T]) -> T:
    """Does a piece of work in a transaction, and again where it had to give way to another."""
    for tried in range(_TRIES):
        try:
            with sessions.begin() as session:
                return work(session)
        except OperationalError as error:
            if not gives_way(error) or tried == _TRIES - 1:
                raise
            time.sleep(random.uniform(0.01, 0.1) * (tried + 1))
    raise AssertionError("the last try returns or raises")


def up_for(sessions: sessionmaker[Session]) -> float | None:
    """Seconds for which the database server has been running; None where it does not answer now."""
    query = text("SELECT variable_value FROM information_schema.global_status WHERE variable_name = 'UPTIME'")
    try:
        with sessions() as session:
            return float(session.execute(query).scalar_one())
    except DBAPIError:
        return None


def answers(sessions: sessionmaker[Session]) -> bool:
    """Whether the database answers now."""
    try:
        with sessions() as session:
            session.execute(text("SELECT 1"))
    except DBAPIError:
        return False
    return True
