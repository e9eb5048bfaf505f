"""The migrations give exactly the tables that the code expects."""

from __future__ import annotations

import pytest
from alembic import command
from sqlalchemy import inspect

from lantern.db import models
from lantern.db.base import Base, engine
from lantern.db.migrate import config, migrate


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
