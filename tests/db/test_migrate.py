"""The migrations give exactly the tables that the code expects."""

from __future__ import annotations

import pytest
from alembic import command
from sqlalchemy import inspect

from lantern.core.kinds import detector_of
from lantern.db import models
from lantern.db.base import Base, engine, transaction
from lantern.db.migrate import config, migrate
from lantern.revisions import revision
from lantern.tune.actions import add_detector
from lantern.tune.tables import DetectorRow
from seeded import Small


@pytest.mark.usefixtures("database")
def test_migrated_equals_modelled() -> None:
    models.load()
    with engine().begin() as connection:
        command.check(config(connection))
        tables = set(inspect(connection).get_table_names())
    assert set(Base.metadata.tables) <= tables
    assert "procrastinate_jobs" in tables


@pytest.mark.usefixtures("database")
def test_migrating_again_changes_nothing() -> None:
    migrate()


def test_a_default_that_changed_changes_no_detector_of_before(small: Small) -> None:
    """Counts began with a re-arm of 5 s, which lost who stepped back; those that were made so go on so."""
    line = {"name": "door", "shape": "line", "points": [[10, 10], [90, 10]]}
    document = {"name": "Door", "kind": "count", "device": "T1", "regions": [line]}
    with transaction() as session:
        row = add_detector(session, device_id=small.camera, detector=detector_of(document), reason="made", user_id=None)
        detector_id = row.id
    with engine().begin() as connection:
        command.downgrade(config(connection), "0017")
    migrate()
    with transaction() as session:
        row = session.get_one(DetectorRow, detector_id)
        assert row.body["dials"] == {"rearm_s": 5.0}
        saved = revision(session, row.WHAT, detector_id, 1)
        assert saved is not None
        assert saved.document["dials"] == {"rearm_s": 5.0}
        assert session.get_one(DetectorRow, small.detector).body["dials"]["rearm_s"] == 0
