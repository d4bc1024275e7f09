"""Weights by tier; a site's own screens, connections and lazy attributes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "page_weight",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("page_screen_id", sa.BigInteger(), nullable=False),
        sa.Column("measurement_id", sa.BigInteger(), nullable=False),
        sa.Column("screen", sa.String(length=32), nullable=False),
        sa.Column("tier", sa.String(length=16), nullable=False),
        sa.Column("opening", sa.BigInteger(), nullable=False),
        sa.Column("scrolled", sa.BigInteger(), nullable=False),
        sa.Column("requests", sa.BigInteger(), nullable=False),
        sa.Column("loaded", mysql.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["measurement_id"], ["measurement.id"], name=op.f("fk_page_weight_measurement_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["page_screen_id"], ["page_screen.id"], name=op.f("fk_page_weight_page_screen_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_page_weight")),
        sa.UniqueConstraint("page_screen_id", "tier", name=op.f("uq_page_weight_page_screen_id_tier")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(
        "ix_page_weight_opening", "page_weight", ["measurement_id", "screen", "tier", "opening", "id"], unique=False
    )
    op.create_index(
        "ix_page_weight_scrolled", "page_weight", ["measurement_id", "screen", "tier", "scrolled", "id"], unique=False
    )
    op.add_column("measurement", sa.Column("estimated", sa.Boolean(), nullable=False))
    op.execute(
        "INSERT INTO page_weight (page_screen_id, measurement_id, screen, tier, opening, scrolled, requests, loaded)"
        " SELECT id, measurement_id, screen, 'avif', opening, scrolled, requests, loaded FROM page_screen"
    )
    op.drop_column("page_screen", "requests")
    op.drop_column("page_screen", "scrolled")
    op.drop_column("page_screen", "opening")
    op.drop_column("page_screen", "loaded")
    op.add_column("capture", sa.Column("lazy_attributes", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("screens", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("connections", mysql.JSON(), nullable=True))
    op.add_column("site", sa.Column("lazy_attributes", mysql.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("capture", "lazy_attributes")
    op.drop_column("site", "lazy_attributes")
    op.drop_column("site", "connections")
    op.drop_column("site", "screens")
    op.add_column(
        "page_screen", sa.Column("loaded", mysql.LONGTEXT(charset="utf8mb4", collation="utf8mb4_bin"), nullable=False)
    )
    op.add_column(
        "page_screen", sa.Column("opening", mysql.BIGINT(display_width=20), autoincrement=False, nullable=False)
    )
    op.add_column(
        "page_screen", sa.Column("scrolled", mysql.BIGINT(display_width=20), autoincrement=False, nullable=False)
    )
    op.add_column(
        "page_screen", sa.Column("requests", mysql.BIGINT(display_width=20), autoincrement=False, nullable=False)
    )
    op.drop_column("measurement", "estimated")
    op.drop_index("ix_page_weight_scrolled", table_name="page_weight")
    op.drop_index("ix_page_weight_opening", table_name="page_weight")
    op.drop_table("page_weight")
