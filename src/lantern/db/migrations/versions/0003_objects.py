"""Objects: a picture of the scene with a take of tracks, and what was counted by hand"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("take", sa.Column("still", sa.LargeBinary(), nullable=True))
    op.add_column("take", sa.Column("still_type", sa.String(), nullable=True))
    op.add_column("event", sa.Column("object", sa.String(), nullable=True))
    op.add_column("event", sa.Column("direction", sa.String(), nullable=True))
    op.create_table(
        "hand_count",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("passages", postgresql.JSONB(), nullable=False),
        sa.Column("intervals", postgresql.JSONB(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"], name=op.f("fk_hand_count_take_id_take"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_hand_count")),
    )
    op.create_index(op.f("ix_hand_count_take_id"), "hand_count", ["take_id"])


def downgrade() -> None:
    op.drop_table("hand_count")
    op.drop_column("event", "direction")
    op.drop_column("event", "object")
    op.drop_column("take", "still_type")
    op.drop_column("take", "still")
