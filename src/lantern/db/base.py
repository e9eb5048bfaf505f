"""The store: declarative base, engine, sessions. Errors of the driver become the program's own here."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

import orjson
import psycopg
from psycopg.abc import Buffer
from psycopg.types.datetime import TimestamptzLoader
from sqlalchemy import DateTime, Engine, LargeBinary, MetaData, create_engine
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.exc import DataError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import DeclarativeBase, Session

from lantern.core.faults import Fault, LanternError, Refused
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
    pool = {"pool_size": 8, "max_overflow": 8, "pool_pre_ping": True}
    return create_engine(settings().database_url, json_deserializer=orjson.loads, **pool)


class AnyTimeLoader(TimestamptzLoader):
    """Times that Python cannot hold (before the year 1, or infinite) come as the farthest that it can: a row that has one
    can be shown, and deleted. Whoever shows it sees that it lies out of all bounds.
    """

    def load(self, data: Buffer) -> datetime:
        try:
            return super().load(data)
        except psycopg.DataError:
            before = b"BC" in bytes(data) or bytes(data).startswith(b"-")
            return EARLIEST if before else LATEST


EARLIEST, LATEST = datetime(1, 1, 3, tzinfo=UTC), datetime(9999, 12, 29, tzinfo=UTC)
psycopg.adapters.register_loader("timestamptz", AnyTimeLoader)


class StoreAwayError(LanternError):
    """The database does not answer, or cannot store just now. Nothing was stored; the same may work later."""


@contextmanager
def transaction() -> Iterator[Session]:
    """A session that commits at the end and rolls back on any error. Raises as `translated` does."""
    with translated(), Session(engine(), expire_on_commit=False) as session, session.begin():
        yield session


@contextmanager
def translated() -> Iterator[None]:
    """Errors of the driver as the program's own.

    Raises `StoreAwayError` where trying again later may help, `Refused` for a value that the store cannot hold.
    """
    try:
        yield
    except (OperationalError, InterfaceError, PoolTimeout) as error:
        cause = getattr(error, "orig", None) or error
        raise StoreAwayError(f"The database cannot store or look up just now: {_first_line(cause)}.") from error
    except DataError as error:
        what = _first_line(error.orig)
        raise Refused(
            [Fault("value", what, "a value that the store can hold, texts without NUL characters")]
        ) from error
    except UnicodeEncodeError as error:
        raise Refused([Fault("text", f"half a character ({error.reason})", "whole characters")]) from error


def _first_line(error: object) -> str:
    return str(error).strip().split("\n", 1)[0]


def now() -> datetime:
    return datetime.now(UTC)
