"""Maps of two dials hold whatever measures their kind has, by name"""

from __future__ import annotations

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

MEASURES = (
    '[{"name": "misses", "label": "misses", "form": "{} missed", "ideal": 0.0, "better": "less", "parts": true}, '
    '{"name": "false_alarms", "label": "false alarms", "form": "{} false", "ideal": 0.0, "better": "less", "parts": true}, '
    '{"name": "longest_delay_s", "label": "delay", "form": "within {} s", "ideal": 0.0, "better": "less", "parts": false}]'
)


def upgrade() -> None:
    op.get_bind().exec_driver_sql(
        "UPDATE study SET result = result - 'misses' - 'false_alarms' - 'delay_s' || jsonb_build_object('measures', "  # noqa: S608 - constants
        f"'{MEASURES}'::jsonb, 'values', jsonb_build_object('misses', result->'misses', "
        "'false_alarms', result->'false_alarms', 'longest_delay_s', result->'delay_s')) "
        "WHERE what = 'map' AND result ? 'misses'"
    )
