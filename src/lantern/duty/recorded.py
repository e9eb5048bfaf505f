"""Days of a head as they were: who had it, where it looked, and the ways that somebody drove."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import islice
from threading import Lock
from typing import cast

import numpy as np
from cachetools import TTLCache
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.linking.orders import DEFAULT_PRIORITY
from lantern.core.ptz.days import Asked, Course, Day
from lantern.core.ptz.duty import RANK_OF_ALL, By, Dropped, Manual, Stretch
from lantern.core.ptz.head import shortest
from lantern.core.ptz.rounds import Moment
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.db.base import now
from lantern.duty.looks import LookRow, looks_between, spans
from lantern.duty.tables import HadRow

DAY_S = 86_400.0
RANK_BY_HAND = 5  # whose it was is known, and not their rank: hands of a day that was do not overlap
FAST_DEG_S = 30.0  # what turns faster shows nothing that anybody could tell; common practice, no source
NOTED_S = 1.5  # so much later at most the log has it
STILL_S = 0.5  # at the beginning of a driven way, before it moves
STILL_DEG = 0.05  # what turns less rests
MOST_WAYS, MOST_LINES = 10, 400
LATELY_S = 20.0
_LATELY: TTLCache[tuple[int, datetime, float], Recorded] = TTLCache(8, LATELY_S)
_GUARD = Lock()


@dataclass(frozen=True)
class Recorded:
    """A day as it was. `calls`, `manual`: what came of each, of which another sheet could be asked; a call that was dropped had no length."""

    day: Day
    calls: tuple[Asked, ...]
    manual: tuple[Manual, ...]


def recorded_days(session: Session, device_id: int, begins: Sequence[datetime]) -> list[datetime]:
    """Return which of some days something is known of; each by when it begins."""
    last = session.scalar(select(func.max(LookRow.at)).where(LookRow.device_id == device_id))
    first = session.scalar(select(func.min(LookRow.at)).where(LookRow.device_id == device_id))
    if first is None or last is None:
        return []
    return [each for each in begins if each + timedelta(seconds=DAY_S) > first and each <= last]


def recorded_of(session: Session, device_id: int, begins: datetime, release_s: float) -> Recorded:
    """Return a day, as it was a few seconds ago: whoever drags a number asks for the same again and again. Raises `Refused` for one of
    which nothing is known.
    """
    key = (device_id, begins, release_s)
    with _GUARD:
        found = _LATELY.get(key)
    if found is None:
        found = recorded(session, device_id, begins, release_s)
        if not found.day.began_s.size:
            raise Refused([Fault("day", f"nothing is known of {begins:%Y-%m-%d}", "a day on which the engine ran")])
        with _GUARD:
            _LATELY[key] = found
    return found


def recorded(session: Session, device_id: int, begins: datetime, release_s: float) -> Recorded:
    """Return a day from its beginning, or from when on something is known, until now at the latest. `release_s`: so long it was held after
    the last movement by hand.
    """
    ends = min(begins + timedelta(seconds=DAY_S), now())
    looked = spans(looks_between(session, device_id, begins, ends), ends)
    known = [(at, until, aim) for at, until, aim in looked if until > begins]
    from_s = max((known[0][0] - begins).total_seconds(), 0.0) if known else 0.0
    to_s = (ends - begins).total_seconds()
    stretches, dropped = _had(session, device_id, begins, from_s, to_s)
    aims: dict[Aim, int] = {}
    began, ended, look = [], [], []
    for n, (at, until, aim) in enumerate(known):
        before = known[n - 1][2] if n else None
        if aim is None or (before is not None and _pace(before, aim, known[n - 1][0], at) > FAST_DEG_S):
            continue
        began.append(max((at - begins).total_seconds(), from_s))
        ended.append((until - begins).total_seconds())
        look.append(aims.setdefault(aim, len(aims)))
    day = Day(
        from_s, to_s, stretches, dropped, np.array(began), np.array(ended), np.array(look, dtype=np.intp),
        np.array(list(aims), dtype=np.float64).reshape(-1, 3),
    )  # fmt: skip
    calls = tuple(
        Asked(each.from_s, each.to_s - each.from_s, each.do or "", RANK_OF_ALL - DEFAULT_PRIORITY, _course(day, each))
        for each in stretches
        if each.by == "call"
    )
    manual = tuple(
        Manual(from_s=each.from_s, to_s=max(each.to_s - release_s, each.from_s), who=each.do or "?", rank=RANK_BY_HAND)
        for each in stretches
        if each.by == "manual"
    )
    return Recorded(day, calls, manual)


def _pace(one: Aim, other: Aim, at: datetime, then: datetime) -> float:
    """In degrees a second."""
    turned = max(abs(shortest(one.pan_deg, other.pan_deg)), abs(other.tilt_deg - one.tilt_deg))
    return turned / max((then - at).total_seconds(), 1e-3)


def _had(
    session: Session, device_id: int, begins: datetime, from_s: float, to_s: float
) -> tuple[tuple[Stretch, ...], tuple[Dropped, ...]]:
    """Who had it, from when on something is known; what was before the first line of the log is nobody's."""
    until = begins + timedelta(seconds=to_s)
    query = select(HadRow).where(HadRow.device_id == device_id, HadRow.at < until).order_by(HadRow.at, HadRow.id)
    before: HadRow | None = None
    rows: list[tuple[float, HadRow]] = []
    dropped: list[Dropped] = []
    for row in session.scalars(query.where(HadRow.at >= begins - timedelta(days=1))):
        at = (row.at - begins).total_seconds()
        if row.by == "dropped":
            if at >= from_s:
                dropped.append(Dropped(row.do, at, row.because))
        elif row.because:
            continue  # a hand that was taken or given back: the engine's own line of it comes beside
        elif at <= from_s:
            before = row
        else:
            rows.append((at, row))
    edges = [(from_s, before), *rows]
    ends = [*(at for at, _ in rows), to_s]
    stretches = tuple(
        Stretch(at, end, cast(By, row.by) if row is not None else "none", (row.do or None) if row is not None else None)
        for (at, row), end in zip(edges, ends, strict=True)
        if end > at
    )
    return stretches, tuple(dropped)


def _course(day: Day, held: Stretch) -> Course:
    """Where it looked while it was called, from then on."""
    inside = (day.ended_s > held.from_s) & (day.began_s < held.to_s)
    return tuple(
        (max(float(at) - held.from_s, 0.0), Aim(*day.aims[row].tolist()))
        for at, row in zip(day.began_s[inside], day.look[inside], strict=True)
    )


# ---- ways that somebody drove ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Drive:
    """Somebody drove it, from when for how long, and where it looked all the while."""

    id: int
    who: str
    at: datetime
    moments: tuple[Moment, ...]

    @property
    def length_s(self) -> float:
        return self.moments[-1][0] - self.moments[0][0]


def drives(session: Session, device_id: int) -> list[Drive]:
    """Return the last ones, the newest first; such by which it did not turn are none."""
    query = select(HadRow).where(HadRow.device_id == device_id, HadRow.by != "dropped", HadRow.because == "")
    rows = list(session.scalars(query.order_by(HadRow.id.desc()).limit(MOST_LINES)))
    ends = [now(), *(row.at for row in rows[:-1])]
    out = (
        Drive(row.id, row.do, row.at, _moments(session, row, end))
        for row, end in zip(rows, ends, strict=False)
        if row.by == "manual"
    )
    return list(islice((each for each in out if len(each.moments) > 1), MOST_WAYS))


def _moments(session: Session, row: HadRow, end: datetime) -> tuple[Moment, ...]:
    """Return where it looked from just before it moved until it rested, in s from the first."""
    found = looks_between(session, row.device_id, row.at - timedelta(seconds=NOTED_S), end)
    known = [(each.at, each.aim) for each in found if each.aim is not None]
    while len(known) > 1 and _is_still(known[-2][1], known[-1][1]):
        known.pop()  # it rested, and was only said anew
    while len(known) > 1 and _is_still(known[0][1], known[1][1]):
        known.pop(0)
    if len(known) < 2:
        return ()
    first = max(known[0][0], known[1][0] - timedelta(seconds=STILL_S))
    out: list[Moment] = [(0.0, *known[0][1])]
    for at, aim in known[1:]:
        t = round((at - first).total_seconds(), 3)
        if t > out[-1][0]:
            out.append((t, *aim))
    return tuple(out)


def _is_still(one: Aim, other: Aim) -> bool:
    return Pointing.apart_deg(one[:2], other[:2]) < STILL_DEG and one.zoom == other.zoom
