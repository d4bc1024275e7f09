"""Values from files of anybody are shortened to what their columns take: none fails a statement."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import pytest
from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    DateTime,
    Double,
    Engine,
    Enum,
    Float,
    String,
    insert,
    text,
)
from sqlalchemy.dialects.mysql import BINARY
from sqlalchemy.sql.schema import Column

from ivory_thistle.core.words import shortened
from ivory_thistle.store.tables import Base

LONG = "é=🌸\ud800" * 300_000


@pytest.mark.parametrize(
    ("given", "characters", "most_bytes", "expected"),
    [
        ("short", 5, None, "short"),
        ("longer", 5, None, "long…"),
        ("ééé", 5, 6, "ééé"),
        ("éééé", 5, 6, "é…"),
        ("half \ud800", 20, None, "half ?"),
        ("", 5, 5, ""),
    ],
)
def test_what_is_cut_ends_in_dots(given: str, characters: int, most_bytes: int | None, expected: str) -> None:
    """By characters and by bytes, never in the middle of one; half of a letter can't be kept."""
    assert shortened(given, characters, most_bytes) == expected


def sample(column: Column[Any]) -> object:
    """A value for a column: of text, one that is far too long."""
    kind = column.type
    if isinstance(kind, Enum):
        return next(iter(kind.enums))
    for types, value in (
        ((JSON,), []), ((DateTime,), datetime(2026, 1, 1)), ((Boolean,), False), ((BINARY,), b"x" * 32),
        ((BigInteger, Double, Float), 1),
    ):  # fmt: skip
        if isinstance(kind, types):
            return value
    return LONG


TEXTS = [
    (table.name, column.name)
    for table in Base.metadata.sorted_tables
    for column in table.columns
    if sample(column) is LONG and not column.primary_key
]


@pytest.mark.database
def test_every_text_column_takes_a_value_that_is_too_long(engine: Engine) -> None:
    """Of every table; what comes back is its beginning."""
    assert len(TEXTS) > 50
    with engine.connect() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in Base.metadata.sorted_tables:
            row = {column.name: sample(column) for column in table.columns if not column.primary_key}
            key = connection.execute(insert(table).values(row)).inserted_primary_key
            kept = connection.execute(table.select().where(table.primary_key.columns[0] == key[0])).mappings().one()
            for name, value in kept.items():
                if (table.name, name) in TEXTS:
                    assert value.endswith("…") and LONG.replace("\ud800", "?").startswith(value[:-1]), (
                        table.name,
                        name,
                    )
        connection.rollback()


def test_no_column_of_text_is_left_out() -> None:
    """A column of plain text, that nobody shortens for, is told by name."""
    plain = [
        f"{table.name}.{column.name}"
        for table in Base.metadata.sorted_tables
        for column in table.columns
        if isinstance(column.type, String) and not isinstance(column.type, Enum)
    ]
    assert plain == []
