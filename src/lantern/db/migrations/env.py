"""Alembic's environment: the running program hands over a connection."""

from typing import Any

from alembic import context

from lantern.db import models
from lantern.db.base import Base

models.load()


def ours(thing: Any, name: str | None, kind: str, reflected: bool, compare_to: Any) -> bool:
    """The job queue's tables belong to its own library, which migrates them."""
    table = name if kind == "table" else getattr(getattr(thing, "table", None), "name", "")
    return not str(table).startswith("procrastinate_")


context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    compare_type=True,
    include_object=ours,
)
with context.begin_transaction():
    context.run_migrations()
