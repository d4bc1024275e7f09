"""Checks of a run's handover, what a person took back after them, and words for images"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "handover_check",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("screens", mysql.JSON(), nullable=False),
        sa.Column("tiers", mysql.JSON(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("content", sa.String(length=64), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.Column("stop_asked", sa.Boolean(), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("finished_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_handover_check_run_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_handover_check")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(
        op.f("ix_handover_check_run_id_handover_check_id"), "handover_check", ["run_id", "id"], unique=False
    )
    op.create_index(op.f("ix_handover_check_state"), "handover_check", ["state"], unique=False)
    op.create_table(
        "checked_load",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("check_id", sa.BigInteger(), nullable=False),
        sa.Column("page_id", sa.BigInteger(), nullable=False),
        sa.Column("screen", sa.String(length=32), nullable=False),
        sa.Column("tier", sa.String(length=16), nullable=False),
        sa.Column("before", sa.BigInteger(), nullable=False),
        sa.Column("after", sa.BigInteger(), nullable=False),
        sa.Column("foretold", sa.BigInteger(), nullable=True),
        sa.Column("failed", sa.Boolean(), nullable=False),
        sa.Column("sure", sa.Boolean(), nullable=False),
        sa.Column("wrong", mysql.JSON(), nullable=False),
        sa.Column("score", sa.Double(), nullable=True),
        sa.Column("spot", mysql.JSON(), nullable=True),
        sa.Column("timed", mysql.JSON(), nullable=True),
        sa.Column("picture_before", sa.String(length=64), nullable=True),
        sa.Column("picture_after", sa.String(length=64), nullable=True),
        sa.Column("content", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(
            ["check_id"], ["handover_check.id"], name=op.f("fk_checked_load_check_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["page_id"], ["page.id"], name=op.f("fk_checked_load_page_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_checked_load")),
        sa.UniqueConstraint(
            "check_id", "page_id", "screen", "tier", name=op.f("uq_checked_load_check_id_page_id_screen_tier")
        ),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(
        op.f("ix_checked_load_check_id_checked_load_failed_checked_load_id"),
        "checked_load",
        ["check_id", "failed", "id"],
        unique=False,
    )
    op.create_index(op.f("ix_checked_load_page_id"), "checked_load", ["page_id"], unique=False)
    op.create_table(
        "wording_choice",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("site_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("page", sa.String(length=2048), nullable=False),
        sa.Column("path", sa.String(length=2048), nullable=False),
        sa.Column("place_hash", mysql.BINARY(length=32), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_wording_choice_site_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_wording_choice")),
        sa.UniqueConstraint("site_id", "place_hash", name=op.f("uq_wording_choice_site_id_place_hash")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.add_column("task", sa.Column("apart", mysql.JSON(), nullable=True))
    op.execute("UPDATE task JOIN image ON image.id = image_id SET apart = JSON_ARRAY(image.width) WHERE own_size")
    op.drop_column("task", "own_size")
    op.add_column("run", sa.Column("settled", mysql.JSON(), nullable=True))
    op.add_column("run", sa.Column("taken_back", mysql.JSON(), nullable=True))


def downgrade() -> None:
    op.add_column("task", sa.Column("own_size", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column("task", "own_size", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
    op.execute("UPDATE task JOIN image ON image.id = image_id SET own_size = 1 WHERE JSON_CONTAINS(apart, image.width)")
    op.drop_column("task", "apart")
    op.drop_column("run", "taken_back")
    op.drop_column("run", "settled")
    op.drop_table("wording_choice")
    op.drop_table("checked_load")
    op.drop_table("handover_check")
