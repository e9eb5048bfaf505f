"""A take keeps what its signal says of it as facts, instead of a column for each signal's own; walk tests are kept;
marks speak of detectors by their numbers; events hold what only their family knows"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

PICTURE = "'width', width, 'height', height"
OWN = ("width", "height", "dtype", "scale", "offset_c", "recorded", "columns")
FACTS = {
    "heat": f"jsonb_build_object({PICTURE}, 'dtype', dtype, 'scale', scale, 'offset_c', offset_c, 'recorded', recorded)",
    "series": "jsonb_build_object('columns', columns, 'holds', columns, 'recorded', recorded)",
    "tracks": f"jsonb_build_object({PICTURE}, 'holds', columns)",
    "plan-tracks": f"jsonb_build_object({PICTURE}, 'holds', columns)",
}


def upgrade() -> None:
    op.alter_column("take", "kind", new_column_name="signal")
    op.add_column("take", sa.Column("facts", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.alter_column("take", "facts", server_default=None)
    for signal, facts in FACTS.items():
        op.execute(f"UPDATE take SET facts = {facts} WHERE signal = '{signal}'")  # noqa: S608 - of constants
    for column in OWN:
        op.drop_column("take", column)
    op.add_column("event", sa.Column("own", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.alter_column("event", "own", server_default=None)
    op.add_column("mark", sa.Column("detector_id", sa.Integer(), nullable=True))
    name = op.f("fk_mark_detector_id_detector")
    op.create_foreign_key(name, "mark", "detector", ["detector_id"], ["id"], ondelete="CASCADE")
    op.create_index(op.f("ix_mark_detector_id"), "mark", ["detector_id"])
    op.execute(
        "UPDATE mark SET detector_id = detector.id, detector = '' FROM take, device, detector WHERE mark.take_id = take.id "
        "AND take.device_id = device.id AND detector.site_id = device.site_id AND detector.name = mark.detector"
    )
    op.create_table(
        "walk_test",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("detector_id", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("began", sa.DateTime(timezone=True), nullable=False),
        sa.Column("began_with", postgresql.JSONB(), nullable=False),
        sa.Column("ended", sa.DateTime(timezone=True), nullable=True),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["detector_id"], ["detector.id"], name=op.f("fk_walk_test_detector_id_detector")),
        sa.ForeignKeyConstraint(["user_id"], ["user_account.id"], name=op.f("fk_walk_test_user_id_user_account")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_walk_test")),
    )
    op.create_index(op.f("ix_walk_test_detector_id"), "walk_test", ["detector_id"])
