"""Ground pictures of plans"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plan_picture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("media", sa.String(), nullable=False),
        sa.Column("width_px", sa.Float(), nullable=False),
        sa.Column("height_px", sa.Float(), nullable=False),
        sa.Column("metres_per_px", sa.Float(), nullable=True),
        sa.Column("paper_mm_per_px", sa.Float(), nullable=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_plan_picture_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_picture")),
        sa.UniqueConstraint("site_id", "name", name=op.f("uq_plan_picture_site_id_name")),
    )
