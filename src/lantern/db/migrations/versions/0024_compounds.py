"""Compounds and messages; links and events of compounds; orders of all sorts of effects"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("compound", "message"):
        op.create_table(
            name,
            sa.Column("id", sa.Integer(), primary_key=True),
            sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
            sa.Column("name", sa.String(), nullable=False),
            sa.Column("body", JSONB(), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.UniqueConstraint("site_id", "name"),
        )
    op.add_column("link", sa.Column("compound", sa.String(), nullable=True))
    op.add_column("event", sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=True))
    op.add_column("event", sa.Column("compound", sa.String(), nullable=True))
    op.alter_column("effect_order", "device_id", nullable=True)
    op.add_column("effect_order", sa.Column("do", sa.String(), nullable=False, server_default="switch"))
    op.add_column("effect_order", sa.Column("body", JSONB(), nullable=False, server_default="{}"))
    op.add_column("effect_order", sa.Column("names", JSONB(), nullable=False, server_default="{}"))
    op.add_column("effect_order", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("effect_order", sa.Column("next_try_at", sa.DateTime(timezone=True), nullable=True))
    for column in ("do", "body", "names", "attempts"):
        op.alter_column("effect_order", column, server_default=None)
    op.create_index("ix_effect_order_to_send", "effect_order", ["do"], postgresql_where=sa.text("stage <> 'over'"))
    # compounds were kept with the site as they came in its file, and stay there; those that are whole are of the site now
    op.execute("""
        INSERT INTO compound (site_id, name, body, revision)
        SELECT site.id, each ->> 'name', each, 1 FROM site, jsonb_array_elements(extras -> 'compounds') AS each
        WHERE each ->> 'kind' IN ('any', 'all', 'sequence', 'unless') AND jsonb_typeof(each -> 'parts') = 'array'
        ON CONFLICT DO NOTHING
    """)
    op.execute("""
        INSERT INTO revision (site_id, what, subject_id, number, name, body, reason, facts, at)
        SELECT site_id, 'compound', id, 1, name, body, 'From the site''s file.', '{}', now() FROM compound
    """)


def downgrade() -> None:
    op.drop_index("ix_effect_order_to_send", "effect_order")
    op.execute("DELETE FROM effect_order WHERE effect_order.do <> 'switch' OR device_id IS NULL")
    for column in ("next_try_at", "attempts", "names", "body", "do"):
        op.drop_column("effect_order", column)
    op.alter_column("effect_order", "device_id", nullable=False)
    op.execute("DELETE FROM effect_order WHERE event_id IN (SELECT id FROM event WHERE compound IS NOT NULL)")
    op.execute("DELETE FROM event WHERE compound IS NOT NULL")
    op.drop_column("event", "compound")
    op.drop_column("event", "site_id")
    op.execute("DELETE FROM link WHERE compound IS NOT NULL")
    op.drop_column("link", "compound")
    op.drop_table("message")
    op.drop_table("compound")
