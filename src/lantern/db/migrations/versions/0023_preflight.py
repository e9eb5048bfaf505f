"""What the preflight found, what of it is accepted, and who has seen it"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "preflight",
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("mark", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("findings", JSONB(), nullable=False),
    )
    op.create_table(
        "accepted_finding",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
        sa.Column("rule", sa.String(), nullable=False),
        sa.Column("at", sa.String(), nullable=False),
        sa.Column("what", sa.String(), nullable=True),
        sa.Column("because", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("on", sa.String(), nullable=False),
        sa.UniqueConstraint("site_id", "rule", "at"),
    )
    op.create_table(
        "preflight_seen",
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user_account.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("preflight_seen")
    op.drop_table("accepted_finding")
    op.drop_table("preflight")
