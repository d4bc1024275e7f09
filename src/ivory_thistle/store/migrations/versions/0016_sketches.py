"""Sketches: quick files that are not confirmed yet"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("task", sa.Column("sketched", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column("task", "sketched", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
    op.add_column("run", sa.Column("sketched_at", sa.DateTime(), nullable=True))


def downgrade() -> None:
    op.drop_column("run", "sketched_at")
    op.drop_column("task", "sketched")
