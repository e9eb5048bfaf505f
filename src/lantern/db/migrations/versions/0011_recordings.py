"""Live devices are recorded; what was said of live events becomes marks"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None
WHEN = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("site", sa.Column("recording_mb", sa.Integer(), nullable=False, server_default="10000"))
    op.alter_column("site", "recording_mb", server_default=None)
    op.add_column("event", sa.Column("device_t", sa.Float(), nullable=True))
    op.create_table(
        "recording",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("signal", sa.String(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("t0", sa.Float(), nullable=False),
        sa.Column("start", WHEN, nullable=False),
        sa.Column("facts", postgresql.JSONB(), nullable=False),
        sa.Column("samples", sa.Integer(), nullable=False),
        sa.Column("length_s", sa.Float(), nullable=False),
        sa.Column("packed_bytes", sa.BigInteger(), nullable=False),
        sa.Column("lost", sa.Integer(), nullable=False),
        sa.Column("clock_s", sa.Float(), nullable=True),
        sa.Column("ended", sa.String(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("faults", postgresql.JSONB(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("created", WHEN, nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_recording_device_id_device")),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"], name=op.f("fk_recording_take_id_take"), ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recording")),
    )
    op.create_index("ix_recording_device_id_id", "recording", ["device_id", "id"])
    op.create_index(op.f("ix_recording_take_id"), "recording", ["take_id"])
    op.create_table(
        "recorded_part",
        sa.Column("recording_id", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("packed", sa.Integer(), nullable=False),
        sa.Column("facts", postgresql.JSONB(), nullable=False),
        sa.Column("times", sa.LargeBinary(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_recorded_part_recording_id_recording"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("recording_id", "first", name=op.f("pk_recorded_part")),
    )  # fmt: skip
    op.create_table(
        "recording_plan",
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("around", sa.Boolean(), nullable=False),
        sa.Column("before_s", sa.Float(), nullable=False),
        sa.Column("after_s", sa.Float(), nullable=False),
        sa.Column("timetable", sa.String(), nullable=False),
        sa.Column("wide_from", WHEN, nullable=True),
        sa.Column("wide_until", WHEN, nullable=True),
        sa.Column("wide_seen", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_recording_plan_device_id_device")),
        sa.PrimaryKeyConstraint("device_id", name=op.f("pk_recording_plan")),
    )
    op.execute(
        "CREATE TRIGGER lantern_tell AFTER INSERT OR UPDATE OR DELETE ON recording_plan "
        "FOR EACH STATEMENT EXECUTE FUNCTION lantern_tell()"
    )
    op.create_table(
        "live_mark",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("detector_id", sa.Integer(), nullable=False),
        sa.Column("event_id", sa.Integer(), nullable=True),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("start", WHEN, nullable=False),
        sa.Column("end", WHEN, nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=True),
        sa.Column("at", WHEN, nullable=False),
        sa.Column("mark_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_live_mark_device_id_device")),
        sa.ForeignKeyConstraint(["detector_id"], ["detector.id"], name=op.f("fk_live_mark_detector_id_detector")),
        sa.ForeignKeyConstraint(["event_id"], ["event.id"], name=op.f("fk_live_mark_event_id_event")),
        sa.ForeignKeyConstraint(["user_id"], ["user_account.id"], name=op.f("fk_live_mark_user_id_user_account")),
        sa.ForeignKeyConstraint(["mark_id"], ["mark.id"], name=op.f("fk_live_mark_mark_id_mark"), ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_live_mark")),
        sa.UniqueConstraint("event_id", name=op.f("uq_live_mark_event_id")),
    )
    op.create_index(op.f("ix_live_mark_device_id"), "live_mark", ["device_id"])
