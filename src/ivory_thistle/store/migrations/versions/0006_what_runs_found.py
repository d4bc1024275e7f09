"""What a run found safe and what its pages load; fallbacks of the original's own size"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

_NUMBERS = (
    ("run", "compared", sa.BigInteger()),
    ("run", "to_compare", sa.BigInteger()),
    ("task", "own_size", sa.Boolean()),
)


def upgrade() -> None:
    op.add_column("run", sa.Column("limits", mysql.JSON(), nullable=True))
    op.add_column("run", sa.Column("report", mysql.JSON(), nullable=True))
    for table, name, kind in _NUMBERS:
        op.add_column(table, sa.Column(name, kind, nullable=False, server_default="0"))
        op.alter_column(table, name, existing_type=kind, existing_nullable=False, server_default=None)


def downgrade() -> None:
    for table, name, _ in _NUMBERS:
        op.drop_column(table, name)
    op.drop_column("run", "report")
    op.drop_column("run", "limits")
