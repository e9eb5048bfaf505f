"""A study is of what is tuned, which need not be a detector"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("study", sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id"), nullable=True))
    op.add_column("study", sa.Column("sort", sa.String(), nullable=True))
    op.add_column("study", sa.Column("subject_id", sa.Integer(), nullable=True))
    op.execute(
        "UPDATE study SET sort = 'detector', subject_id = detector_id, site_id = detector.site_id "
        "FROM detector WHERE detector.id = study.detector_id"
    )
    for column in ("site_id", "sort", "subject_id"):
        op.alter_column("study", column, nullable=False)
    op.drop_column("study", "detector_id")
    op.create_index("ix_study_site_id", "study", ["site_id"])
    op.create_index("ix_study_subject", "study", ["sort", "subject_id"])


def downgrade() -> None:
    op.add_column("study", sa.Column("detector_id", sa.Integer(), sa.ForeignKey("detector.id"), nullable=True))
    op.execute("DELETE FROM study WHERE sort <> 'detector'")
    op.execute("UPDATE study SET detector_id = subject_id")
    op.alter_column("study", "detector_id", nullable=False)
    op.drop_index("ix_study_subject", "study")
    op.drop_index("ix_study_site_id", "study")
    for column in ("subject_id", "sort", "site_id"):
        op.drop_column("study", column)
    op.create_index("ix_study_detector_id", "study", ["detector_id"])
