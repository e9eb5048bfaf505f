"""What live needs to come back: kept states of outputs, latches, keys of events, watchdogs; sessions; versions; news of changes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

TOLD = ("site", "device", "detector", "link", "timetable")  # the engine is told when one of these changes


def upgrade() -> None:
    _outputs()
    _events()
    _jobs()
    _people()
    op.add_column("site", sa.Column("demo", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.execute("UPDATE site SET demo = true WHERE name = 'Skerrow Basin'")
    op.alter_column("site", "demo", server_default=None)
    op.add_column("device", sa.Column("watchdog", postgresql.JSONB(), nullable=True))
    for table in ("link", "timetable"):
        op.add_column(table, sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
        op.alter_column(table, "version", server_default=None)
    op.execute(
        "CREATE FUNCTION lantern_tell() RETURNS trigger LANGUAGE plpgsql AS "
        "$$ BEGIN PERFORM pg_notify('lantern_changed', TG_TABLE_NAME); RETURN NULL; END $$"
    )
    for table in TOLD:
        op.execute(
            f"CREATE TRIGGER lantern_tell AFTER INSERT OR UPDATE OR DELETE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION lantern_tell()"
        )


def _outputs() -> None:
    """Latches and the state of each output, as they follow from all effects so far."""
    op.add_column("effect", sa.Column("holds", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("effect", "holds", server_default=None)
    op.execute(
        "UPDATE effect SET holds = true WHERE active AND state IN ('waiting', 'delivered') AND NOT EXISTS ("
        "SELECT 1 FROM effect o WHERE o.event_id = effect.event_id AND o.device_id = effect.device_id "
        "AND o.output = effect.output AND NOT o.active)"
    )
    op.drop_constraint("uq_effect_event_id_output_active", "effect", type_="unique")
    op.create_unique_constraint(
        op.f("uq_effect_event_id_device_id_output_active"), "effect", ["event_id", "device_id", "output", "active"]
    )
    op.drop_index("ix_effect_state_due_at", "effect")
    op.create_index(
        "ix_effect_waiting", "effect", ["device_id", "due_at"], postgresql_where=sa.text("state = 'waiting'")
    )
    op.create_index("ix_effect_holds", "effect", ["device_id", "output"], postgresql_where=sa.text("holds"))
    op.create_table(
        "output_state",
        sa.Column("device_id", sa.Integer(), nullable=False),
        sa.Column("output", sa.String(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("effect_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_output_state_device_id_device")),
        sa.PrimaryKeyConstraint("device_id", "output", name=op.f("pk_output_state")),
    )
    op.execute(
        "INSERT INTO output_state (device_id, output, active, effect_id, at) "
        "SELECT DISTINCT ON (device_id, output) device_id, output, active, id, delivered_at FROM effect "
        "WHERE state = 'delivered' ORDER BY device_id, output, delivered_at DESC, id DESC"
    )


def _events() -> None:
    op.add_column("event", sa.Column("key", sa.Uuid(), nullable=True))
    op.create_unique_constraint(op.f("uq_event_key"), "event", ["key"])
    op.drop_index("ix_event_detector_id", "event")
    op.create_index("ix_event_detector_id_id", "event", ["detector_id", "id"])
    op.create_index("ix_event_open", "event", ["detector_id", "region"], postgresql_where=sa.text("cleared_at IS NULL"))


def _jobs() -> None:
    for table in ("import_job", "study"):
        op.add_column(table, sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
        op.alter_column(table, "attempts", server_default=None)
    op.add_column("import_job", sa.Column("notes", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.alter_column("import_job", "notes", server_default=None)
    op.execute(
        "DELETE FROM upload_part USING import_job "
        "WHERE import_job.id = import_id AND import_job.state NOT IN ('uploading', 'waiting', 'reading')"
    )


def _people() -> None:
    op.create_table(
        "user_session",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.Column("csrf", sa.String(), nullable=False),
        sa.Column("began", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen", sa.DateTime(timezone=True), nullable=False),
        sa.Column("address", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(
            ["user_id"], ["user_account.id"], name=op.f("fk_user_session_user_id_user_account"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_user_session")),
    )
    op.create_index(op.f("ix_user_session_user_id"), "user_session", ["user_id"])
    op.create_table(
        "login_attempt",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("login", sa.String(), nullable=False),
        sa.Column("address", sa.String(), nullable=False),
        sa.Column("succeeded", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_login_attempt")),
    )
    op.create_index("ix_login_attempt_login_at", "login_attempt", ["login", "at"])
    op.create_index("ix_login_attempt_address_at", "login_attempt", ["address", "at"])
