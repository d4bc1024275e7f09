"""How many addresses of a page are broken or of other hosts: only the first of them are kept"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("broken", "remote"):
        op.add_column("page", sa.Column(f"{name}_count", sa.BigInteger(), nullable=False, server_default="0"))
        op.execute(f"UPDATE page SET {name}_count = JSON_LENGTH({name})")
        op.alter_column(
            "page", f"{name}_count", existing_type=sa.BigInteger(), existing_nullable=False, server_default=None
        )


def downgrade() -> None:
    for name in ("broken", "remote"):
        op.drop_column("page", f"{name}_count")
