"""An order a row, instead of an on and an off; of an output, what it said last and when it is asked again

Each on becomes an order; its off says how long. An on that was delivered and whose off waits is running, as is one that
latches and was not acknowledged.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

EXPIRE_S = 60.0  # where an order does not say: the default of effects
ORDERS = f"""
INSERT INTO effect_order (event_id, link, device_id, thing, at, length_s, priority, expire_s, stage, from_at, to_at, result, because)
SELECT o.event_id, '', o.device_id, o.output, o.due_at,
       CASE WHEN o.holds OR f.id IS NULL THEN NULL ELSE GREATEST(extract(epoch FROM f.due_at - o.due_at), 0.001) END, 5,
       COALESCE(NULLIF(GREATEST(extract(epoch FROM o.expires_at - o.due_at), 0), 0), {EXPIRE_S}),
       CASE WHEN o.state = 'waiting' AND o.due_at > now() THEN 'ordered' WHEN o.state = 'waiting' THEN 'waiting'
            WHEN o.state = 'delivered' AND (o.holds OR f.state = 'waiting') THEN 'running' ELSE 'over' END,
       CASE WHEN o.state = 'delivered' THEN COALESCE(o.delivered_at, o.due_at) END,
       CASE WHEN o.state = 'delivered' AND NOT o.holds THEN COALESCE(f.delivered_at, f.due_at) END,
       CASE o.state WHEN 'waiting' THEN NULL WHEN 'delivered' THEN 'done' ELSE o.state END, o.note
FROM effect o LEFT JOIN effect f
  ON f.event_id = o.event_id AND f.device_id = o.device_id AND f.output = o.output AND NOT f.active
WHERE o.active
"""  # noqa: S608 - constants


def upgrade() -> None:
    op.create_table(
        "effect_order",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("event_id", sa.Integer(), nullable=False),
        sa.Column("link", sa.String(), nullable=False),
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("thing", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("length_s", sa.Float(), nullable=True),
        sa.Column("priority", sa.Integer(), nullable=False),
        sa.Column("expire_s", sa.Float(), nullable=False),
        sa.Column("stage", sa.String(), nullable=False),
        sa.Column("from_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("to_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("result", sa.String(), nullable=True),
        sa.Column("because", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_effect_order_device_id_device")),
        sa.ForeignKeyConstraint(["event_id"], ["event.id"], name=op.f("fk_effect_order_event_id_event")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_effect_order")),
        sa.UniqueConstraint(
            "event_id", "link", "device_id", "thing", name=op.f("uq_effect_order_event_id_link_device_id_thing")
        ),
    )
    op.get_bind().exec_driver_sql(ORDERS)
    op.create_index(op.f("ix_effect_order_event_id"), "effect_order", ["event_id"])
    op.create_index("ix_effect_order_open", "effect_order", ["device_id"], postgresql_where=sa.text("stage <> 'over'"))
    op.drop_table("effect")
    op.drop_column("output_state", "effect_id")
    op.add_column("output_state", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("output_state", sa.Column("next_try_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("output_state", sa.Column("error", sa.String(), nullable=False, server_default=""))
    op.add_column("event", sa.Column("because", sa.String(), nullable=False, server_default=""))
    for table, column in (("output_state", "attempts"), ("output_state", "error"), ("event", "because")):
        op.alter_column(table, column, server_default=None)
