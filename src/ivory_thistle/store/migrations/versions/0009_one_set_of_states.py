"""One set of states for all jobs; audits are jobs of their own"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("capture", sa.Column("started_at", mysql.DATETIME(fsp=3), nullable=True))
    op.create_table(
        "audit",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("capture_id", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("tries", sa.BigInteger(), nullable=False),
        sa.Column("stop_asked", sa.Boolean(), nullable=False),
        sa.Column("error", sa.Text(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=3), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("finished_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.ForeignKeyConstraint(["capture_id"], ["capture.id"], name=op.f("fk_audit_capture_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit")),
        sa.UniqueConstraint("capture_id", name=op.f("uq_audit_capture_id")),
        mariadb_charset="utf8mb4",
        mariadb_collate="utf8mb4_nopad_bin",
        mariadb_engine="InnoDB",
    )
    op.create_index(op.f("ix_audit_state"), "audit", ["state"], unique=False)
    op.execute(
        "INSERT INTO audit (capture_id, state, tries, stop_asked, created_at)"
        " SELECT id, audit, 0, 0, UTC_TIMESTAMP(3) FROM capture WHERE state = 'ready' AND audit <> ''"
    )
    op.drop_column("capture", "audit")
    op.execute("UPDATE capture SET state = 'done' WHERE state = 'ready'")
    op.execute("UPDATE capture SET state = 'running' WHERE state = 'reading'")


def downgrade() -> None:
    op.execute("UPDATE capture SET state = 'ready' WHERE state = 'done'")
    op.execute("UPDATE capture SET state = 'reading' WHERE state = 'running'")
    op.add_column("capture", sa.Column("audit", sa.String(length=16), nullable=False, server_default=""))
    op.alter_column("capture", "audit", existing_type=sa.String(16), existing_nullable=False, server_default=None)
    op.execute("UPDATE capture JOIN audit ON audit.capture_id = capture.id SET capture.audit = audit.state")
    op.drop_table("audit")
    op.drop_column("capture", "started_at")
