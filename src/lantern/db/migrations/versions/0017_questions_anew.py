"""Imports that ask are looked at anew: questions are said whole now, and units are chosen"""

from __future__ import annotations

from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("UPDATE import_job SET state = 'waiting', asked = '{}' WHERE state = 'asking'")


def downgrade() -> None:
    op.execute("UPDATE import_job SET state = 'waiting', asked = '{}' WHERE state = 'asking'")
