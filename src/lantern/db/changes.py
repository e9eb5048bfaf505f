"""News of changes: the store tells whenever a site, device, detector, link or timetable was changed, by whomever."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

import psycopg
import structlog
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.db.migrate import plain_url

log = structlog.get_logger()
CHANNEL = "lantern_changed"
CONNECT_AGAIN_S = 0.5
SETTLE_S = 0.05  # what belongs together comes together


def tell_of_change(session: Session, what: str) -> None:
    """Tell of one that no trigger of the store tells of, once this transaction is done."""
    session.execute(select(func.pg_notify(CHANNEL, what)))


async def changes() -> AsyncIterator[None]:
    """Yield once at the start, after every change, and whenever the connection was lost meanwhile: then too there may be news."""
    while True:
        try:
            async with await psycopg.AsyncConnection.connect(
                plain_url(), autocommit=True, connect_timeout=5
            ) as connection:
                await connection.execute(f"LISTEN {CHANNEL}".encode())
                yield
                while True:
                    async for _ in connection.notifies(stop_after=1):
                        await asyncio.sleep(SETTLE_S)
                    async for _ in connection.notifies(timeout=0):  # those that came with it
                        pass
                    yield
        except psycopg.OperationalError as error:
            log.warning("no news of changes: the database does not answer", error=str(error).strip())
            await asyncio.sleep(CONNECT_AGAIN_S)
