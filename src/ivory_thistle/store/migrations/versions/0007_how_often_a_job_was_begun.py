"""How often a job was begun without anything being kept of it"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_TABLES = ("capture", "run", "measurement")


def upgrade() -> None:
    for table in _TABLES:
        op.add_column(table, sa.Column("tries", sa.BigInteger(), nullable=False, server_default="0"))
        op.alter_column(table, "tries", existing_type=sa.BigInteger(), existing_nullable=False, server_default=None)


def downgrade() -> None:
    for table in _TABLES:
        op.drop_column(table, "tries")
