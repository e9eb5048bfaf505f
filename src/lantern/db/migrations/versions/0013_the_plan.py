"""The plan of a site, with its states"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_plan_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan")),
        sa.UniqueConstraint("site_id", name=op.f("uq_plan_site_id")),
    )
    op.execute(
        "INSERT INTO plan (site_id, name, body, revision) "
        "SELECT id, 'plan', extras->'plan', 0 FROM site WHERE extras->'plan' IS NOT NULL"
    )
    op.execute("UPDATE site SET extras = extras - 'plan'")
