"""Imports that ask: what a file shows of itself, what was answered, and for which device it is"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for column in ("asked", "answers"):
        op.add_column("import_job", sa.Column(column, postgresql.JSONB(), nullable=False, server_default="{}"))
        op.alter_column("import_job", column, server_default=None)
    op.add_column("import_job", sa.Column("device_id", sa.Integer(), nullable=True))
    name = op.f("fk_import_job_device_id_device")
    op.create_foreign_key(name, "import_job", "device", ["device_id"], ["id"], ondelete="SET NULL")
