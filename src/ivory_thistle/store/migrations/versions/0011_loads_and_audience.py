"""What pages load before and after a run, bytes at opening in checks, who visits a site, and its rules"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_FIGURES = ("opening", "scrolled", "requests_at_opening", "requests")


def upgrade() -> None:
    op.create_table(
        "page_load",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("page_id", sa.BigInteger(), nullable=False),
        sa.Column("screen", sa.String(length=32), nullable=False),
        sa.Column("tier", sa.String(length=16), nullable=False),
        *(
            sa.Column(f"{side}_{figure}", sa.BigInteger(), nullable=False)
            for side in ("before", "after")
            for figure in _FIGURES
        ),
        sa.Column("changes", mysql.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_page_load_run_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["page_id"], ["page.id"], name=op.f("fk_page_load_page_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_load")),
        sa.UniqueConstraint(
            "run_id", "page_id", "screen", "tier", name=op.f("uq_page_load_run_id_page_id_screen_tier")
        ),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(
        op.f("ix_page_load_run_id_page_load_screen_page_load_tier"), "page_load", ["run_id", "screen", "tier"]
    )
    op.create_index(op.f("ix_page_load_page_id"), "page_load", ["page_id"])
    op.add_column("checked_load", sa.Column("weights", mysql.JSON(), nullable=True))
    op.add_column("handover_check", sa.Column("taken_back", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("rules", mysql.JSON(), nullable=True))
    op.add_column("task", sa.Column("rules", mysql.JSON(), nullable=True))
    op.add_column("task", sa.Column("decided", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("audience", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("views", mysql.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("site", "views")
    op.drop_column("site", "audience")
    op.drop_column("site", "rules")
    op.drop_column("task", "rules")
    op.drop_column("task", "decided")
    op.drop_column("handover_check", "taken_back")
    op.drop_column("checked_load", "weights")
    op.drop_table("page_load")
