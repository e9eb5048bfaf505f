"""Persons, sealed"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def _time(name: str, *, nullable: bool = False) -> sa.Column[object]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _sealed() -> list[sa.Column[object]]:
    return [
        sa.Column("key_id", sa.Uuid(), nullable=False, index=True),
        sa.Column("nonce", sa.LargeBinary(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    ]


def upgrade() -> None:
    op.add_column("take", sa.Column("edition", sa.Integer(), nullable=False, server_default="1"))
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("uuid", sa.Uuid(), nullable=False, unique=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
        sa.Column("member", sa.String()),
        sa.Column("key_id", sa.Uuid()),
        _time("made"),
        _time("enrolled", nullable=True),
        _time("erased", nullable=True),
        sa.UniqueConstraint("site_id", "member"),
    )
    op.create_table(
        "person_secret",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("facts", JSONB(), nullable=False),
        *_sealed(),
        sa.UniqueConstraint("person_id", "what"),
    )
    op.create_table(
        "capture",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id"), nullable=False),
        sa.Column("probe", sa.String(), nullable=False),
        _time("at"),
        _time("goes"),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), index=True),
        *_sealed(),
        sa.Index("ix_capture_device_id_probe", "device_id", "probe"),
        sa.Index("ix_capture_goes", "goes"),
    )
    for table in ("person_secret", "capture"):
        op.execute(f"ALTER TABLE {table} ALTER COLUMN data SET STORAGE EXTERNAL")  # noise cannot be made smaller
    op.create_table(
        "gallery_state",
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id"), primary_key=True),
        _time("at"),
        sa.Column("trouble", sa.String(), nullable=False),
        sa.Column("algorithm", sa.String(), nullable=False),
        sa.Column("strange", JSONB(), nullable=False),
    )
    op.create_table(
        "list_keeping",
        sa.Column("list_id", sa.Integer(), sa.ForeignKey("named_list.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("legal_basis", sa.String(), nullable=False),
        sa.Column("keep_days", sa.Integer()),
    )
    op.create_table(
        "site_keeping",
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("capture_hours", sa.Integer(), nullable=False),
        _time("last", nullable=True),
        _time("next", nullable=True),
        sa.Column("gone", sa.Integer(), nullable=False),
        sa.Column("erased", sa.Integer(), nullable=False),
    )
    op.create_table(
        "erasure",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
        sa.Column("person", sa.Uuid(), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user_account.id")),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("member", sa.String()),
        sa.Column("devices", JSONB(), nullable=False),
        sa.Column("counts", JSONB(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("faults", JSONB(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        _time("created"),
    )
    op.create_table(
        "gallery",
        sa.Column("device_id", sa.Integer(), sa.ForeignKey("device.id"), primary_key=True),
        sa.Column("member", sa.String(), primary_key=True),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("says", sa.String(), nullable=False),
        _time("at"),
        sa.Column("erasure_id", sa.Integer(), sa.ForeignKey("erasure.id", ondelete="CASCADE")),
    )
    op.create_table(
        "seen_person",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user_account.id")),
        _time("at"),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("of", sa.Uuid()),
        sa.Index("ix_seen_person_site_id_id", "site_id", "id"),
    )


def downgrade() -> None:
    for table in (
        "seen_person",
        "gallery",
        "erasure",
        "site_keeping",
        "list_keeping",
        "gallery_state",
        "capture",
        "person_secret",
        "person",
    ):
        op.drop_table(table)
    op.drop_column("take", "edition")
