"""Images treated in advance for a forecast, what was foretold of a run, and rules under a name"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sample",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("capture_id", sa.BigInteger(), nullable=False),
        sa.Column("rules", mysql.JSON(), nullable=False),
        sa.Column("done", sa.BigInteger(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("stays", mysql.JSON(), nullable=True),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.Column("stop_asked", sa.Boolean(), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("finished_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(["capture_id"], ["capture.id"], name=op.f("fk_sample_capture_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sample")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(op.f("ix_sample_capture_id_sample_id"), "sample", ["capture_id", "id"])
    op.create_index(op.f("ix_sample_state"), "sample", ["state"])
    op.create_table(
        "named_rules",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("rules", mysql.JSON(), nullable=False),
        sa.Column("kept_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_named_rules")),
        sa.UniqueConstraint("name", name=op.f("uq_named_rules_name")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.add_column("run", sa.Column("forecast", mysql.JSON(), nullable=True))
    op.add_column("task", sa.Column("cost", sa.Double(), nullable=False, server_default="0"))
    op.alter_column("task", "cost", existing_type=sa.Double(), existing_nullable=False, server_default=None)
    op.add_column("image", sa.Column("probe", mysql.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("image", "probe")
    op.drop_column("task", "cost")
    op.drop_column("run", "forecast")
    op.drop_table("named_rules")
    op.drop_table("sample")
