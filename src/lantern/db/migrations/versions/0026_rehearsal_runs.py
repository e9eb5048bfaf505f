"""Rehearsals of a site, kept in figures"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rehearsal_run",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("laid", sa.String(), nullable=False),
        sa.Column("state", sa.Integer(), nullable=False),
        sa.Column("takes", JSONB(), nullable=False),
        sa.Column("figures", JSONB(), nullable=False),
    )
    op.create_index("ix_rehearsal_run_site_id_id", "rehearsal_run", ["site_id", "id"])


def downgrade() -> None:
    op.drop_table("rehearsal_run")
