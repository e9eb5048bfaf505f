"""Sites of one's own: roles, who changed what, sites that are paused, what is retired, names of detectors that are a site's own"""

from __future__ import annotations

import sqlalchemy as sa
import structlog
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

log = structlog.get_logger()


def upgrade() -> None:
    _people()
    for table, column in (("site", "live"), ("detector", "enabled")):
        op.add_column(table, sa.Column(column, sa.Boolean(), nullable=False, server_default=sa.true()))
        op.alter_column(table, column, server_default=None)
    for table in ("site", "place", "device"):
        op.add_column(table, sa.Column("extras", postgresql.JSONB(), nullable=False, server_default="{}"))
        op.alter_column(table, "extras", server_default=None)
    for table in ("device", "detector"):
        op.add_column(table, sa.Column("retired", sa.Boolean(), nullable=False, server_default=sa.false()))
        op.alter_column(table, "retired", server_default=None)
    _detectors()
    op.create_table(
        "site_job",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("faults", postgresql.JSONB(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_site_job_site_id_site"), ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site_job")),
    )


def _people() -> None:
    op.add_column("user_account", sa.Column("administrator", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("user_account", sa.Column("disabled", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column(
        "user_account", sa.Column("created", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())
    )
    op.execute("UPDATE user_account SET administrator = true WHERE id = (SELECT min(id) FROM user_account)")
    for column in ("administrator", "disabled", "created"):
        op.alter_column("user_account", column, server_default=None)
    op.create_table(
        "member",
        sa.Column("user_id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["user_account.id"], name=op.f("fk_member_user_id_user_account")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_member_site_id_site"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("user_id", "site_id", name=op.f("pk_member")),
    )
    # whoever had an account could change everything: so it stays
    op.execute("INSERT INTO member SELECT u.id, s.id, 'engineer' FROM user_account u, site s WHERE NOT u.administrator")
    op.create_table(
        "change",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=True),
        sa.Column("site_id", sa.Integer(), nullable=True),
        sa.Column("what", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["user_id"], ["user_account.id"], name=op.f("fk_change_user_id_user_account")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_change_site_id_site"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_change")),
    )
    op.create_index("ix_change_site_id_id", "change", ["site_id", "id"])


def _detectors() -> None:
    """Names are unique on a site from here on: of those that clash the later ones get a number, in all that names them too."""
    op.add_column("detector", sa.Column("site_id", sa.Integer(), nullable=True))
    op.execute("UPDATE detector SET site_id = device.site_id FROM device WHERE device.id = detector.device_id")
    op.alter_column("detector", "site_id", nullable=False)
    op.create_foreign_key(op.f("fk_detector_site_id_site"), "detector", "site", ["site_id"], ["id"])
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, site_id, name FROM detector ORDER BY id")).all()
    taken = {(site_id, name) for _, site_id, name in rows}
    met: set[tuple[int, str]] = set()
    for detector_id, site_id, name in rows:
        if (site_id, name) in met:
            fresh = next(f"{name} {n}" for n in range(2, 10_000) if (site_id, f"{name} {n}") not in taken)
            taken.add((site_id, fresh))
            _rename(connection, detector_id, site_id, name, fresh)
            name = fresh
        met.add((site_id, name))
    op.drop_constraint("uq_detector_device_id_name", "detector", type_="unique")
    op.create_unique_constraint(op.f("uq_detector_site_id_name"), "detector", ["site_id", "name"])


def _rename(connection: sa.Connection, detector_id: int, site_id: int, old: str, fresh: str) -> None:
    values = {"id": detector_id, "site": site_id, "old": old, "fresh": fresh}
    for statement in (
        "UPDATE detector SET name = CAST(:fresh AS text), body = jsonb_set(body, '{name}', to_jsonb(CAST(:fresh AS text))) WHERE id = :id",
        "UPDATE revision SET body = jsonb_set(body, '{name}', to_jsonb(CAST(:fresh AS text))) WHERE detector_id = :id",
        "UPDATE link SET body = jsonb_set(body, '{detector}', to_jsonb(CAST(:fresh AS text))) WHERE detector_id = :id",
        "UPDATE mark SET detector = CAST(:fresh AS text) FROM take, detector WHERE mark.take_id = take.id AND mark.detector = :old "
        "AND detector.id = :id AND take.device_id = detector.device_id",
        "INSERT INTO change (at, site_id, what) VALUES (now(), :site, 'the update renamed a detector: its name was that of another')",
    ):
        connection.execute(sa.text(statement), values)
    log.warning("detector renamed: its name was that of another on its site", detector=detector_id, old=old, name=fresh)
