"""How full the bucket of each link with a limit is, and how much it has held back"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "link_bucket",
        sa.Column("link_id", sa.Integer(), sa.ForeignKey("link.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("left", sa.Float(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("held", sa.Integer(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("link_bucket")
