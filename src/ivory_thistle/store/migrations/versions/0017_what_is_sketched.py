"""Which images are worth sketching; the moment when all were sketched, to the millisecond as all others are"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("task", sa.Column("pays_to_sketch", sa.Boolean(), nullable=False, server_default="0"))
    op.alter_column("task", "pays_to_sketch", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
    op.alter_column("run", "sketched_at", type_=mysql.DATETIME(fsp=3), existing_type=sa.DateTime(), nullable=True)


def downgrade() -> None:
    op.alter_column("run", "sketched_at", type_=sa.DateTime(), existing_type=mysql.DATETIME(fsp=3), nullable=True)
    op.drop_column("task", "pays_to_sketch")
