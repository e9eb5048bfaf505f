"""Bring the database's schema up to date: our tables through Alembic, the job queue through its own library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import procrastinate
from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import inspect

from lantern.core.faults import LanternError
from lantern.db.base import engine, translated
from lantern.settings import settings


def config(connection: Any) -> Config:
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    made.attributes["connection"] = connection
    return made


class NewerSchemaError(LanternError):
    """The database was last used by a newer version of the program, which this one would not understand."""


def schema_now() -> str | None:
    """The database's revision; None: it is empty. Raises `NewerSchemaError`."""
    with translated(), engine().begin() as connection:
        found = MigrationContext.configure(connection).get_current_revision()
    check_schema(found)
    return found


def check_schema(revision: str | None) -> None:
    """Raises `NewerSchemaError` for a revision that this program does not know."""
    known = {script.revision for script in ScriptDirectory.from_config(config(None)).walk_revisions()}
    if revision is not None and revision not in known:
        raise NewerSchemaError(
            f"The data has schema {revision}, this program knows those up to {newest_schema()}: it was last used by a "
            "newer version. Start that version, or restore a backup that was made before it."
        )


def newest_schema() -> str:
    head = ScriptDirectory.from_config(config(None)).get_current_head()
    assert head is not None
    return head


def migrate() -> None:
    with translated(), engine().begin() as connection:
        command.upgrade(config(connection), "head")
        has_jobs = inspect(connection).has_table("procrastinate_jobs")
    if not has_jobs:
        connector = procrastinate.SyncPsycopgConnector(conninfo=plain_url())
        with procrastinate.App(connector=connector).open() as app:
            app.schema_manager.apply_schema()


def plain_url() -> str:
    """The database's address as the driver takes it."""
    return settings().database_url.replace("postgresql+psycopg://", "postgresql://")
