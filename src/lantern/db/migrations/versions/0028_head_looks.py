"""Where a head looked, from when on"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "head_look",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id", ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("pan_deg", sa.Float(), nullable=True),
        sa.Column("tilt_deg", sa.Float(), nullable=True),
        sa.Column("zoom", sa.Float(), nullable=True),
    )
    op.create_index("ix_head_look_device_id_at", "head_look", ["device_id", "at"])


def downgrade() -> None:
    op.drop_table("head_look")
