"""How renditions were encoded, and what was tried for them"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("rendition", sa.Column("how", sa.JSON(), nullable=True))
    op.add_column("rendition", sa.Column("points", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("rendition", "points")
    op.drop_column("rendition", "how")
