"""Types of devices, what hangs on what, inputs as causes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None
WHEN = sa.DateTime(timezone=True)


def upgrade() -> None:
    for name in ("type", "firmware", "switch", "port"):
        op.add_column("device", sa.Column(name, sa.String(), nullable=True))
    op.execute("UPDATE device SET type = extras->>'type', extras = extras - 'type'")
    op.add_column("device", sa.Column("cautions", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.alter_column("device", "cautions", server_default=None)
    op.add_column("detector", sa.Column("caution", sa.String(), nullable=False, server_default=""))
    op.alter_column("detector", "caution", server_default=None)
    op.create_table(
        "device_type",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_device_type_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_device_type")),
        sa.UniqueConstraint("site_id", "name", name=op.f("uq_device_type_site_id_name")),
    )
    op.alter_column("event", "detector_id", nullable=True)
    op.add_column("event", sa.Column("device_id", sa.Integer(), nullable=True))
    op.add_column("event", sa.Column("input", sa.String(), nullable=True))
    op.create_foreign_key(op.f("fk_event_device_id_device"), "event", "device", ["device_id"], ["id"])
    op.create_index(op.f("ix_event_device_id"), "event", ["device_id"])
    op.alter_column("link", "detector_id", nullable=True)
    op.add_column("link", sa.Column("input", sa.String(), nullable=True))
    op.create_table(
        "input_state",
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("input", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("at", WHEN, nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_input_state_device_id_device")),
        sa.PrimaryKeyConstraint("device_id", "input", name=op.f("pk_input_state")),
    )
