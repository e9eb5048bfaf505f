"""The store: declarative base, engine, sessions. Errors of the driver stay here and in the actions that expect them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from sqlalchemy import DateTime, Engine, LargeBinary, MetaData, create_engine
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Session

from lantern.settings import settings

NAMES = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy's own way
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        datetime: DateTime(timezone=True),
        bytes: LargeBinary,
    }


@lru_cache
def engine() -> Engine:
    return create_engine(settings().database_url, pool_size=8, max_overflow=8, pool_pre_ping=True)


@contextmanager
def transaction() -> Iterator[Session]:
    """A session that commits at the end and rolls back on any error."""
    with Session(engine(), expire_on_commit=False) as session, session.begin():
        yield session


def now() -> datetime:
    return datetime.now(UTC)
