"""What a person said of what was made of an image, and how it looks"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "verdict",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("site_id", sa.BigInteger(), nullable=False),
        sa.Column("original", sa.String(length=64), nullable=False),
        sa.Column("made", sa.String(length=64), nullable=False),
        sa.Column("verdict", sa.String(length=16), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("said_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_verdict_site_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_verdict")),
        sa.UniqueConstraint("site_id", "original", name=op.f("uq_verdict_site_id_original")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.add_column("task", sa.Column("proof", mysql.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("task", "proof")
    op.drop_table("verdict")
