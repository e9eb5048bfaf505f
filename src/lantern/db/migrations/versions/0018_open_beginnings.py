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
    for table, own in (("detector", "kind = 'count'"), ("revision", "what = 'detector' AND body->>'kind' = 'count'")):
        op.execute(  # what was decided with the default of before goes on so
            f"UPDATE {table} SET body = jsonb_set(body, '{{dials}}', "  # noqa: S608 - our own names
            f"jsonb_build_object('rearm_s', 5.0) || COALESCE(body->'dials', '{{}}'::jsonb)) WHERE {own}"
        )
    op.add_column("site", sa.Column("lead_s", sa.Float(), nullable=False, server_default="30"))


def downgrade() -> None:
    op.drop_column("truth", "agreed")
    op.drop_column("site", "lead_s")
    op.drop_column("mark", "lead_s")
