"""Findings, roles, kinds; how a live site was read"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "role_choice",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("site_id", sa.BigInteger(), nullable=False),
        sa.Column("pattern", sa.String(length=2048), nullable=False),
        sa.Column("pattern_hash", sa.BINARY(length=32), nullable=False),
        sa.Column("role", sa.String(length=16), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_role_choice_site_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_role_choice")),
        sa.UniqueConstraint("site_id", "pattern_hash", name=op.f("uq_role_choice_site_id_pattern_hash")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_table(
        "finding",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("capture_id", sa.BigInteger(), nullable=False),
        sa.Column("code", sa.String(length=32), nullable=False),
        sa.Column("image_id", sa.BigInteger(), nullable=True),
        sa.Column("page_id", sa.BigInteger(), nullable=True),
        sa.Column("screen", sa.String(length=32), nullable=False),
        sa.Column("source", sa.String(length=2048), nullable=False),
        sa.Column("line", sa.BigInteger(), nullable=True),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("stake", sa.BigInteger(), nullable=False),
        sa.Column("measured", sa.Boolean(), nullable=False),
        sa.Column("evidence", mysql.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["capture_id"], ["capture.id"], name=op.f("fk_finding_capture_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["image_id"], ["image.id"], name=op.f("fk_finding_image_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["page_id"], ["page.id"], name=op.f("fk_finding_page_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(op.f("ix_finding_image_id_finding_code"), "finding", ["image_id", "code"], unique=False)
    op.create_index(op.f("ix_finding_page_id"), "finding", ["page_id"], unique=False)
    op.create_index("ix_finding_stake", "finding", ["capture_id", "code", "stake", "id"], unique=False)
    op.add_column("capture", sa.Column("audit", sa.String(length=16), nullable=False))
    op.add_column("capture", sa.Column("aliases", mysql.JSON(), nullable=True))
    op.add_column("capture", sa.Column("options", mysql.JSON(), nullable=True))
    op.add_column("capture", sa.Column("stop_asked", sa.Boolean(), nullable=False))
    op.add_column("image", sa.Column("kind", sa.String(length=16), nullable=False))
    op.add_column("image", sa.Column("look", mysql.JSON(), nullable=True))
    op.add_column("image", sa.Column("folder", sa.String(length=190), nullable=False))
    op.add_column("image", sa.Column("role", sa.String(length=16), nullable=False))
    op.add_column("image", sa.Column("role_why", sa.String(length=255), nullable=False))
    op.add_column("image", sa.Column("role_by_hand", sa.Boolean(), nullable=False))
    op.create_index("ix_image_folder", "image", ["capture_id", "folder"], unique=False)
    op.create_index("ix_image_copies", "image", ["capture_id", "copies"], unique=False)
    op.create_index("ix_image_facets", "image", ["capture_id", "format", "kind", "role", "folder"], unique=False)
    op.add_column("page", sa.Column("kind", sa.String(length=8), nullable=False))
    op.add_column("site", sa.Column("budgets", mysql.JSON(), nullable=True))
    op.add_column("slot", sa.Column("alt", sa.Text(), nullable=True))
    op.add_column("slot", sa.Column("around", sa.String(length=255), nullable=False))
    op.drop_column("site", "image_cap")
    # What was read before has no findings yet.
    op.execute("UPDATE capture SET audit = 'waiting' WHERE state = 'ready'")
    op.execute("UPDATE page SET kind = 'html'")


def downgrade() -> None:
    op.drop_column("capture", "stop_asked")
    op.add_column("site", sa.Column("image_cap", sa.BigInteger(), nullable=False, server_default="300000"))
    op.drop_column("slot", "around")
    op.drop_column("slot", "alt")
    op.drop_column("site", "budgets")
    op.drop_column("page", "kind")
    op.drop_index("ix_image_folder", table_name="image")
    op.drop_index("ix_image_copies", table_name="image")
    op.drop_index("ix_image_facets", table_name="image")
    op.drop_column("image", "role_by_hand")
    op.drop_column("image", "role_why")
    op.drop_column("image", "role")
    op.drop_column("image", "folder")
    op.drop_column("image", "look")
    op.drop_column("image", "kind")
    op.drop_column("capture", "options")
    op.drop_column("capture", "aliases")
    op.drop_column("capture", "audit")
    op.drop_index("ix_finding_stake", table_name="finding")
    op.drop_index(op.f("ix_finding_page_id"), table_name="finding")
    op.drop_index(op.f("ix_finding_image_id_finding_code"), table_name="finding")
    op.drop_table("finding")
    op.drop_table("role_choice")
