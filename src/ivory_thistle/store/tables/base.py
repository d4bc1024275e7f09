"""What all tables have."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, Enum, ForeignKey, MetaData, String, Text
from sqlalchemy.dialects.mysql import DATETIME, JSON
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from ivory_thistle.core.states import State

_NAMES = {
    "ix": "ix_%(column_0_N_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}
OPTIONS = {"mariadb_charset": "utf8mb4", "mariadb_collate": "utf8mb4_nopad_bin", "mariadb_engine": "InnoDB"}
Path = String(2048)
Digest = String(64)
When = DATETIME(fsp=3)


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
