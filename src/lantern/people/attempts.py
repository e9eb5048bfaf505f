"""Log-ins that were tried: recorded, and slowed down by account and by address. No account is ever locked.

After some failures within a quarter of an hour each further try has to wait its turn, twice as long as the one before up to a
few seconds. Somebody who has logged in from an address before is slowed by the failures of that address alone, so that
strangers who guess at an account do not keep its owner out.
"""

from __future__ import annotations

import asyncio
import math
import time
from dataclasses import dataclass, field
from datetime import timedelta

from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session

from lantern.core.faults import LanternError
from lantern.db.base import now
from lantern.people.tables import AttemptRow

WITHIN = timedelta(minutes=15)
KEPT = timedelta(days=90)
FREE_TRIES = 4
LONGEST_S = 8.0
LONGEST_QUEUE_S = 20.0
LOGIN_LENGTH = 80


class TooManyTriesError(LanternError):
    """Raised where so many tries are waiting already that this one is sent away; `again_s` says when to come back."""

    def __init__(self, again_s: int) -> None:
        self.again_s = again_s
        super().__init__(f"Too many wrong passwords: try again in {again_s} s.")


def pause_s(failures: int) -> float:
    """Return how far apart tries must be after so many failures, in s."""
    return 0.0 if failures < FREE_TRIES else min(0.5 * 2 ** (failures - FREE_TRIES), LONGEST_S)


def pauses(session: Session, login: str, address: str) -> dict[str, float]:
    """The pause between tries by what slows them: the address, and the account unless it was entered from there before."""
    out = {f"address {address}": pause_s(_failures(session, AttemptRow.address == address))}
    own = select(AttemptRow.id).where(
        AttemptRow.login == login, AttemptRow.address == address, AttemptRow.succeeded, AttemptRow.at > now() - KEPT
    )
    if session.scalar(own.limit(1)) is None:
        out[f"account {login}"] = pause_s(_failures(session, AttemptRow.login == login))
    return out


def _failures(session: Session, whose: ColumnElement[bool]) -> int:
    """Within the last while. A success does not wipe them out: who guesses may have an account of their own."""
    query = select(func.count()).where(whose, AttemptRow.at > now() - WITHIN, AttemptRow.succeeded.is_(False))
    return session.scalar(query) or 0


def record_attempt(session: Session, *, login: str, address: str, succeeded: bool) -> None:
    session.execute(delete(AttemptRow).where(AttemptRow.at < now() - KEPT))
    session.add(AttemptRow(login=login, address=address, succeeded=succeeded))


@dataclass
class Turnstile:
    """One try after the other, as far apart as each must be; of one web process."""

    _next: dict[str, float] = field(default_factory=dict)

    async def turn(self, pauses_s: dict[str, float]) -> None:
        """Wait for one's turn. Raises `TooManyTriesError`."""
        now_s = time.monotonic()
        self._next = {key: at for key, at in self._next.items() if at > now_s}
        at = max([now_s, *(self._next.get(key, now_s) for key in pauses_s)], default=now_s)
        at = max(at, now_s + max(pauses_s.values()))
        if at - now_s > LONGEST_QUEUE_S:
            raise TooManyTriesError(math.ceil(at - now_s))
        for key, pause in pauses_s.items():
            if pause > 0:
                self._next[key] = at + pause
        await asyncio.sleep(at - now_s)
