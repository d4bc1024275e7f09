"""Which images are worth sketching"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("task", sa.Column("pays_to_sketch", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column("task", "pays_to_sketch", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)


def downgrade() -> None:
    op.drop_column("task", "pays_to_sketch")
