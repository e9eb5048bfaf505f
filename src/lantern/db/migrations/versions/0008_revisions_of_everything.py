"""Revisions of links and timetables are kept as those of detectors are: one table for all of them. What something on a take
truly was can be typed"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_constraint(op.f("uq_revision_detector_id_number"), "revision")
    op.drop_constraint(op.f("fk_revision_detector_id_detector"), "revision")
    op.alter_column("revision", "detector_id", new_column_name="subject_id")
    op.alter_column("revision", "body", nullable=True)
    op.add_column("revision", sa.Column("site_id", sa.Integer(), nullable=True))
    op.add_column("revision", sa.Column("what", sa.String(), nullable=False, server_default="detector"))
    op.add_column("revision", sa.Column("name", sa.String(), nullable=False, server_default=""))
    op.add_column("revision", sa.Column("facts", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.execute(
        "UPDATE revision SET site_id = detector.site_id, name = revision.body->>'name', "
        "facts = jsonb_build_object('scores', scores) FROM detector WHERE detector.id = revision.subject_id"
    )
    op.drop_column("revision", "scores")
    for table in ("link", "timetable"):
        op.alter_column(table, "version", new_column_name="revision")
        op.execute(
            "INSERT INTO revision (site_id, what, subject_id, number, name, body, reason, facts, at) "  # noqa: S608 - of constants
            f"SELECT site_id, '{table}', id, revision, name, body, 'As it stood when its revisions began to be kept.', '{{}}', "
            f"now() FROM {table}"
        )
    op.alter_column("revision", "site_id", nullable=False)
    for column in ("what", "name", "facts"):
        op.alter_column("revision", column, server_default=None)
    op.create_foreign_key(op.f("fk_revision_site_id_site"), "revision", "site", ["site_id"], ["id"])
    op.create_unique_constraint(
        op.f("uq_revision_what_subject_id_number"), "revision", ["what", "subject_id", "number"]
    )
    op.create_index(op.f("ix_revision_site_id"), "revision", ["site_id"])
    op.create_table(
        "named_list",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("body", postgresql.JSONB(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_named_list_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_named_list")),
        sa.UniqueConstraint("site_id", "name", name=op.f("uq_named_list_site_id_name")),
    )
    op.execute(
        "INSERT INTO named_list (site_id, name, body, revision) SELECT site.id, held->>'name', held, 1 "
        "FROM site, jsonb_array_elements(coalesce(extras->'lists', '[]')) AS held"
    )
    op.execute(
        "INSERT INTO revision (site_id, what, subject_id, number, name, body, reason, facts, at) SELECT site_id, 'list', id, "
        "revision, name, body, 'As it stood when its revisions began to be kept.', '{}', now() FROM named_list"
    )
    op.execute("UPDATE site SET extras = extras - 'lists'")
    op.create_table(
        "truth",
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("object", sa.String(), nullable=False),
        sa.Column("at_s", sa.Float(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("user_id", sa.Integer(), nullable=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"], name=op.f("fk_truth_take_id_take"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["user_id"], ["user_account.id"], name=op.f("fk_truth_user_id_user_account")),
        sa.PrimaryKeyConstraint("take_id", "object", "at_s", name=op.f("pk_truth")),
    )
