"""Bring the database's schema up to date: our tables through Alembic, the job queue through its own library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import procrastinate
from alembic import command
from alembic.config import Config
from sqlalchemy import inspect

from lantern.db.base import engine
from lantern.settings import settings


def config(connection: Any) -> Config:
    made = Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    made.attributes["connection"] = connection
    return made


def migrate() -> None:
    with engine().begin() as connection:
        command.upgrade(config(connection), "head")
        has_jobs = inspect(connection).has_table("procrastinate_jobs")
    if not has_jobs:
        connector = procrastinate.SyncPsycopgConnector(conninfo=plain_url())
        with procrastinate.App(connector=connector).open() as app:
            app.schema_manager.apply_schema()


def plain_url() -> str:
    """The database's address as the driver takes it."""
    return settings().database_url.replace("postgresql+psycopg://", "postgresql://")
