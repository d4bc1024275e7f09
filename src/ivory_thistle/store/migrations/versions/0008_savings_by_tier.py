"""Savings by tier, a row each"""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_TIERS = ("avif", "webp", "baseline")


def _table(name: str, figures: list[sa.Column[Any]], *unique: str) -> None:
    """A table of savings under a passing name, so that rows can be copied from the one that it replaces."""
    op.create_table(
        name,
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("page_id", sa.BigInteger(), nullable=False),
        *figures,
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_saving")),
        sa.UniqueConstraint(*unique, name=op.f(f"uq_page_saving_{'_'.join(unique)}")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )


def _figure(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.BigInteger(), nullable=False)


def _take_the_place(name: str) -> None:
    op.drop_table("page_saving")
    op.rename_table(name, "page_saving")
    for column, table in (("page_id", "page"), ("run_id", "run")):
        op.create_foreign_key(
            op.f(f"fk_page_saving_{column}"), "page_saving", table, [column], ["id"], ondelete="CASCADE"
        )


def upgrade() -> None:
    name = sa.Column("tier", sa.String(length=16), nullable=False)
    _table("page_saving_new", [name, _figure("before"), _figure("after")], "run_id", "page_id", "tier")
    for tier in _TIERS:
        op.execute(
            "INSERT INTO page_saving_new (run_id, page_id, tier, `before`, `after`)"
            f" SELECT run_id, page_id, '{tier}', `before`, {tier} FROM page_saving"
        )
    _take_the_place("page_saving_new")
    op.create_index(op.f("ix_page_saving_page_id"), "page_saving", ["page_id"], unique=False)


def downgrade() -> None:
    _table("page_saving_old", [_figure(n) for n in ("before", *_TIERS)], "run_id", "page_id")
    op.execute(
        "INSERT INTO page_saving_old (run_id, page_id, `before`, avif, webp, baseline)"
        " SELECT run_id, page_id, MAX(`before`), MAX(IF(tier = 'avif', `after`, 0)),"
        " MAX(IF(tier = 'webp', `after`, 0)), MAX(IF(tier = 'baseline', `after`, 0))"
        " FROM page_saving GROUP BY run_id, page_id"
    )
    _take_the_place("page_saving_old")
    op.create_index("ix_page_saving_before", "page_saving", ["run_id", "before", "id"], unique=False)
