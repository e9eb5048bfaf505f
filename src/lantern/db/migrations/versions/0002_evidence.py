"""Evidence: scale of each user, takes set aside, studies and later judgements"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("user_account", sa.Column("temperature_scale", sa.String(), nullable=False, server_default="°C"))
    op.alter_column("user_account", "temperature_scale", server_default=None)
    op.add_column("take", sa.Column("set_aside", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("take", "set_aside", server_default=None)
    op.create_table(
        "study",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("detector_id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("asked", postgresql.JSONB(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("faults", postgresql.JSONB(), nullable=False),
        sa.Column("result", postgresql.JSONB(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["detector_id"], ["detector.id"], name=op.f("fk_study_detector_id_detector")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_study")),
    )
    op.create_index(op.f("ix_study_detector_id"), "study", ["detector_id"])
    op.create_table(
        "judgement",
        sa.Column("revision_id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("card", postgresql.JSONB(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["revision_id"], ["revision.id"], name=op.f("fk_judgement_revision_id_revision")),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"], name=op.f("fk_judgement_take_id_take"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("revision_id", "take_id", name=op.f("pk_judgement")),
    )


def downgrade() -> None:
    op.drop_table("judgement")
    op.drop_table("study")
    op.drop_column("take", "set_aside")
    op.drop_column("user_account", "temperature_scale")
