"""Images that a person wants to be treated before the others"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("task", sa.Column("asked_first", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column("task", "asked_first", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)


def downgrade() -> None:
    op.drop_column("task", "asked_first")
