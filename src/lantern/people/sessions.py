"""Log-ins as the server keeps them: the browser holds a random key, the store its digest. Ended here, ended everywhere."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.db.base import now, transaction
from lantern.people.tables import SessionRow
from lantern.settings import settings

SEEN_AGAIN = timedelta(minutes=1)  # a page asks ten times a second; the store need not hear of each


@dataclass(frozen=True)
class LogIn:
    """Who is asking: `digest` names the session, `csrf` goes with every change."""

    digest: bytes
    user_id: int
    csrf: str


def digest_of(key: str) -> bytes:
    return hashlib.sha256(key.encode("utf-8", "surrogatepass")).digest()


def begin_session(session: Session, *, user_id: int, address: str, instead_of: str | None) -> str:
    """A new session, so that nobody rides on one from before; returns the key for the browser."""
    if instead_of is not None:
        end_session(session, digest_of(instead_of))
    session.execute(delete(SessionRow).where(SessionRow.seen < _oldest()))
    key = secrets.token_urlsafe(32)
    row = SessionRow(digest=digest_of(key), user_id=user_id, csrf=secrets.token_urlsafe(24), address=address)
    session.add(row)
    return key


def end_session(session: Session, digest: bytes) -> None:
    session.execute(delete(SessionRow).where(SessionRow.digest == digest))


def end_sessions_of(session: Session, user_id: int, *, keep: bytes | None = None) -> None:
    """End all of somebody's log-ins but the one that is kept."""
    query = delete(SessionRow).where(SessionRow.user_id == user_id)
    session.execute(query if keep is None else query.where(SessionRow.digest != keep))


def sessions_of(session: Session, user_id: int) -> list[SessionRow]:
    """Those that are open, the last used first."""
    query = select(SessionRow).where(SessionRow.user_id == user_id, SessionRow.seen >= _oldest())
    return list(session.scalars(query.order_by(SessionRow.seen.desc())))


def find_session(key: str) -> LogIn | None:
    """The session of a browser's key; None: there is none, or it was not used for too long."""
    with transaction() as session:
        row = session.get(SessionRow, digest_of(key))
        if row is None or row.seen < _oldest():
            return None
        if now() - row.seen > SEEN_AGAIN:
            row.seen = now()
        return LogIn(row.digest, row.user_id, row.csrf)


def is_open(digest: bytes) -> bool:
    """Return whether the session is still open, for what lasts longer than a request."""
    with transaction() as session:
        return session.scalar(select(SessionRow.digest).where(SessionRow.digest == digest)) is not None


def _oldest() -> datetime:
    return now() - timedelta(days=settings().session_days)
