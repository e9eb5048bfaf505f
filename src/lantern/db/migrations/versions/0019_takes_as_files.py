"""Takes as files, made by a worker"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "take_export",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("take_id", sa.Integer(), sa.ForeignKey("take.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("faults", JSONB(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "take_export_part",
        sa.Column("export_id", sa.Integer(), sa.ForeignKey("take_export.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("part", sa.Integer(), primary_key=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )
    op.execute("ALTER TABLE take_export_part ALTER COLUMN data SET STORAGE EXTERNAL")  # a zip gains nothing more


def downgrade() -> None:
    op.drop_table("take_export_part")
    op.drop_table("take_export")
