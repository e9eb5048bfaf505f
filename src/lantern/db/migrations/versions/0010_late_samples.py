"""What comes too late to count is kept"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "late_sample",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("signal", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("came_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_late_sample_device_id_device")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_late_sample")),
    )
    op.create_index("ix_late_sample_device_id_id", "late_sample", ["device_id", "id"])
