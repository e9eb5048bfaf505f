"""What a detector's companions gave while a take was taken, where its kind holds one device against another."""

from __future__ import annotations

import json
from collections.abc import Sequence

from sqlalchemy.orm import Session

from lantern.core.company import Company, Meanwhile, Stands
from lantern.register.history import mount_when
from lantern.register.tables import DeviceRow, pixels_of
from lantern.signals.register import SIGNALS
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow, takes_meanwhile


class Companions:
    """The takes of other devices that were taken while one was, by the devices' codes; nothing of them is read before it is asked for."""

    def __init__(self, session: Session, take: TakeRow, codes: Sequence[str]) -> None:
        self._session, self._codes = session, codes
        self._own = _stands(session, take.device, take)
        self._takes = [(each, _stands(session, each.device, each)) for each in _meanwhile(session, take, codes)]
        self._start = take.start

    @property
    def word(self) -> str:
        """Return a word that changes whenever any of it does."""
        mounts = [self._own.mount, *(stands.mount for _, stands in self._takes)]
        of = [(list(self._codes)), [(each.id, each.edition) for each, _ in self._takes], mounts]
        return json.dumps(of, default=str, sort_keys=True)

    def read(self) -> Company:
        others: dict[str, list[Meanwhile]] = {code: [] for code in self._codes}
        for take, stands in self._takes:
            later_s = (take.start - self._start).total_seconds()
            value = value_of_take(self._session, take)
            others[take.device.code].append(Meanwhile(take.signal, value, later_s, take.length_s, stands))
        return Company(self._own, {code: tuple(each) for code, each in others.items()})


def _meanwhile(session: Session, take: TakeRow, codes: Sequence[str]) -> list[TakeRow]:
    signals = [name for name, signal in SIGNALS.items() if signal.held]
    found = [other for name in signals for other in takes_meanwhile(session, take, name)]
    return [other for other in found if other.device.code in codes and other.id != take.id]


def _stands(session: Session, device: DeviceRow, take: TakeRow) -> Stands:
    return Stands(mount_when(session, device, take.created), pixels_of(device))
