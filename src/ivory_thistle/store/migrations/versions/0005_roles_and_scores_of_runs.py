"""Roles and dense widths of tasks, scores of renditions"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("task", sa.Column("dense", mysql.JSON(), nullable=True))
    op.add_column("task", sa.Column("role", sa.String(length=16), nullable=False, server_default="content"))
    op.alter_column("task", "role", existing_type=sa.String(length=16), existing_nullable=False, server_default=None)
    op.add_column("rendition", sa.Column("score", sa.Double(), nullable=True))


def downgrade() -> None:
    op.drop_column("rendition", "score")
    op.drop_column("task", "role")
    op.drop_column("task", "dense")
