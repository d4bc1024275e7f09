"""What all tables have."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, Dialect, Enum, ForeignKey, MetaData, String, TypeDecorator
from sqlalchemy import Text as SqlText
from sqlalchemy.dialects.mysql import DATETIME, JSON, LONGTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from ivory_thistle.core.states import State
from ivory_thistle.core.words import shortened

_NAMES = {
    "ix": "ix_%(column_0_N_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}
OPTIONS = {"mariadb_charset": "utf8mb4", "mariadb_collate": "utf8mb4_nopad_bin", "mariadb_engine": "InnoDB"}
When = DATETIME(fsp=3)


_TEXT_BYTES = 65_535
"""What a TEXT holds (https://mariadb.com/docs/server/reference/data-types/string-data-types/text)."""
_LONG_CHARACTERS = 100_000
"""Of a LONGTEXT, which holds more than one statement may bring."""


class _Shortened(TypeDecorator[str]):
    """Text that is shortened to what its column takes."""

    impl: Any = String
    cache_ok = True
    _characters = 0
    _bytes: int | None = None

    @property
    def python_type(self) -> type[str]:
        """What rows and statements have of it."""
        return str

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        return None if value is None else shortened(value, self._characters, self._bytes)


class Words(_Shortened):
    """Text of so many characters at most (VARCHAR)."""

    cache_ok = True

    def __init__(self, characters: int) -> None:
        super().__init__(characters)
        self._characters = characters


class Text(_Shortened):
    """Text of 65,535 bytes at most."""

    impl = SqlText
    cache_ok = True
    _characters = _bytes = _TEXT_BYTES


class LongText(_Shortened):
    """Text of 100,000 characters at most (LONGTEXT)."""

    impl = LONGTEXT
    cache_ok = True
    _characters = _LONG_CHARACTERS


Path = Words(2048)
Digest = Words(64)


def now() -> datetime:
    """The time, in UTC without zone, as it is stored."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=_NAMES)
    type_annotation_map = {int: BigInteger, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012
    __table_args__: Any = OPTIONS


def key(target: str) -> Mapped[int]:
    return mapped_column(ForeignKey(target, ondelete="CASCADE"))


class Job:
    """What all jobs have (`store.jobs`). `tries` counts how often one was begun since anything was last kept of it.

    `error` says in words why it failed, or what the person has to do before it goes on.
    """

    state: Mapped[State] = mapped_column(
        Enum(State, native_enum=False, length=16, values_callable=lambda states: [s.value for s in states]),
        default=State.WAITING,
    )
    tries: Mapped[int] = mapped_column(default=0)
    stop_asked: Mapped[bool] = mapped_column(default=False)
    error: Mapped[str | None] = mapped_column(Text)
    created_at: Mapped[datetime] = mapped_column(When, default=now)
    started_at: Mapped[datetime | None] = mapped_column(When)
    finished_at: Mapped[datetime | None] = mapped_column(When)
