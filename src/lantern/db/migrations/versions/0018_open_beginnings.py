"""Marks with an open beginning, and how long that is, by site; truths that somebody only agreed to"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("mark", sa.Column("lead_s", sa.Float(), nullable=False, server_default="0"))
    op.add_column("truth", sa.Column("agreed", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("site", sa.Column("lead_s", sa.Float(), nullable=False, server_default="30"))


def downgrade() -> None:
    op.drop_column("truth", "agreed")
    op.drop_column("site", "lead_s")
    op.drop_column("mark", "lead_s")
