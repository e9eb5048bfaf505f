"""The compounds of all sites as events come: told of each raise and clear, what they raise is stored with its orders.

What a compound needs of the past is read from the store when it is taken up, so that a restart goes on where the last one stood.
"""

from __future__ import annotations

import asyncio
import math
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import structlog

from lantern.core.linking.arming import Armed
from lantern.core.logic.causes import Happened
from lantern.core.logic.compounds import Compound
from lantern.core.logic.timetable import Timetable
from lantern.core.logic.watching import Place, Watching
from lantern.db.base import transaction
from lantern.live.recorder import CompoundClear, CompoundTurn
from lantern.live.tables import parts_since, raised_by_compounds
from lantern.live.tasks import end

log = structlog.get_logger()
LATE_S = 0.05  # so late may what happened at an instant be told
LONGEST_WAIT_S = 1.0
Store = Callable[[CompoundTurn, Sequence[Armed], Timetable | None], Awaitable[None]]
Clear = Callable[[CompoundClear], Awaitable[None]]
Key = tuple[str, str, str, str | None]  # what stands: sort, name, region, object


@dataclass(frozen=True)
class OfSite:
    """The compounds of one site with the links that listen to each, and its timetables by name."""

    site_id: int
    compounds: tuple[Compound, ...]
    links: Mapping[str, list[Armed]]
    hours: Mapping[str, Timetable]

    @property
    def reaches_back_s(self) -> float:
        """Return for how long what happened may still matter to one."""
        return max((each.reaches_back_s for each in self.compounds), default=0.0)

    def is_on(self, name: str, t_s: float) -> bool:
        return self.hours[name].is_active(datetime.fromtimestamp(t_s, UTC))


@dataclass
class _Watched:
    """`of`: as it is now; its links and timetables may change while its compounds go on."""

    of: OfSite
    standing: dict[Key, Place] = field(default_factory=dict)
    over: list[CompoundClear] = field(default_factory=list)  # what compounds raised and has cleared, not stored yet
    known: frozenset[tuple[str, float]] = frozenset()  # what was raised and stored before a restart
    count: int = 0
    watching: Watching = field(init=False)

    def __post_init__(self) -> None:
        self.watching = Watching(self.of.compounds, self._is_on)

    def _is_on(self, name: str, t_s: float) -> bool:
        return self.of.is_on(name, t_s)


class Compounds:
    """`store` keeps what is raised, and `clear` that it is over, however long the store is away. Times are Unix seconds, by `clock`."""

    def __init__(self, store: Store, clear: Clear, clock: Callable[[], datetime]) -> None:
        self._store, self._clear, self._clock = store, clear, clock
        self._sites: dict[int, _Watched] = {}
        self._wake = asyncio.Event()
        self._task: asyncio.Task[None] | None = None

    async def adopt(self, sites: Sequence[OfSite]) -> None:
        """Take up the compounds there are; those of a site where nothing changed go on, others begin with what the store knows."""
        there = {each.site_id: each for each in sites if each.compounds}
        for gone in self._sites.keys() - there.keys():
            del self._sites[gone]
        for of in there.values():
            held = self._sites.get(of.site_id)
            if held is not None and held.of.compounds == of.compounds:
                held.of = of
                continue
            self._sites[of.site_id] = await asyncio.to_thread(self._taken_up, of)
        if self._sites and self._task is None:
            self._task = asyncio.create_task(self._run())
        self._wake.set()

    async def stop(self) -> None:
        if self._task is not None:
            await end([self._task])

    def _taken_up(self, of: OfSite) -> _Watched:
        since = self._clock() - timedelta(seconds=of.reaches_back_s + LATE_S)
        with transaction() as session:
            events, raised = parts_since(session, of.site_id, since), raised_by_compounds(session, of.site_id, since)
        held = _Watched(of, known=frozenset(raised))
        for each in events:
            _raise(held, each.what, each.name, each.region, each.object, each.raised_at.timestamp(), each.listed)
            if each.cleared_at is not None:
                _clear(held, each.what, each.name, each.region, each.object, each.cleared_at.timestamp())
        return held

    def raised(
        self,
        site_id: int,
        what: str,
        name: str,
        region: str,
        named: str | None,
        at: datetime,
        listed: str | None = None,
    ) -> None:
        """Something that may be a part of a compound was raised; it stands until `cleared` is told."""
        held = self._sites.get(site_id)
        if held is not None:
            _raise(held, what, name, region, named, at.timestamp(), listed)
            self._wake.set()

    def cleared(self, site_id: int, what: str, name: str, region: str, named: str | None, at: datetime) -> None:
        held = self._sites.get(site_id)
        if held is not None:
            _clear(held, what, name, region, named, at.timestamp())
            self._wake.set()

    async def _run(self) -> None:
        while True:
            self._wake.clear()
            try:
                wait_s = await self.look()
            except Exception:
                log.exception("compounds cannot be worked out; it is tried again")
                wait_s = LONGEST_WAIT_S
            try:
                async with asyncio.timeout(min(max(wait_s, 0.01), LONGEST_WAIT_S)):
                    await self._wake.wait()
            except TimeoutError:
                continue

    async def look(self) -> float:
        """Store what is raised by now; returns in how many seconds something is looked at next."""
        next_s = math.inf
        for held in list(self._sites.values()):
            now_s = self._clock().timestamp() - LATE_S
            for raised in held.watching.advance(now_s):
                happened = raised.happened
                if (happened.name, round(happened.raised_s, 3)) in held.known:
                    continue
                turn = CompoundTurn(
                    site_id=held.of.site_id,
                    name=happened.name,
                    at=datetime.fromtimestamp(happened.raised_s, UTC),
                    stands=happened.cleared_s is None,
                    asleep=raised.asleep,
                    parts=tuple(f"{each.name} {each.region}".strip() for each in raised.used),
                )
                own = next(each.timetable for each in held.of.compounds if each.name == happened.name)
                hours = held.of.hours[own] if own is not None else None
                await self._store(turn, held.of.links.get(happened.name, []), hours)
            while held.over:
                await self._clear(held.over[0])
                del held.over[0]
            next_s = min(next_s, held.watching.next_s - now_s)
        return next_s


def _raise(
    held: _Watched, what: str, name: str, region: str, named: str | None, at_s: float, listed: str | None
) -> None:
    held.count += 1
    place = (at_s, 0, held.count)
    held.standing[what, name, region, named] = place
    held.watching.raised(Happened(what, name, at_s, None, place, region, listed))  # type: ignore[arg-type]


def _clear(held: _Watched, what: str, name: str, region: str, named: str | None, at_s: float) -> None:
    place = held.standing.pop((what, name, region, named), None)
    for each in held.watching.cleared(place, at_s) if place is not None else ():
        raised_at, cleared_at = datetime.fromtimestamp(each.raised_s, UTC), datetime.fromtimestamp(at_s, UTC)
        held.over.append(CompoundClear(held.of.site_id, each.name, raised_at, cleared_at))
