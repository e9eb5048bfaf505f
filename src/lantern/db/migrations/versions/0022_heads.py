"""Who moved a head, and who had it"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "head_hold",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id", ondelete="CASCADE"), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("rank", sa.Integer(), nullable=False),
        sa.Column("from_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("until_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_head_hold_device_id_until_at", "head_hold", ["device_id", "until_at"])
    op.create_table(
        "head_had",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id", ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("do", sa.String(), nullable=False),
        sa.Column("because", sa.String(), nullable=False),
    )
    op.create_index("ix_head_had_device_id_id", "head_had", ["device_id", "id"])


def downgrade() -> None:
    op.drop_table("head_had")
    op.drop_table("head_hold")
