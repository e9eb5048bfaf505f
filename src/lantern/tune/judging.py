"""A detector of the store held against takes of the store. What is costly is kept, for a dial must answer at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

import numpy as np
import zstandard
from cachetools import LRUCache
from sqlalchemy.orm import Session

from lantern.core.events import Detector, Event
from lantern.core.kinds import judge, kind_of
from lantern.core.raising import Raising
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.core.sweepable import Sweepable
from lantern.lists.tables import with_lists
from lantern.signals.register import signal_of
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow, keep_column, kept_columns, marks_of, truths_of_take
from lantern.tune.company import Companions

COLUMNS_KEPT = 400  # in memory, of at most some 10,000 samples: tens of megabytes
COLUMNS_A_TAKE = 300  # in the store; a region that is dragged about leaves many that nobody asks for again
TAKES_HELD = 6  # unpacked, of the signals that are small enough
JUDGED_HELD = 6  # for a page asks several things of one state
RAISED_HELD = 500  # a site is played again and again, and what a detector raised is small
SILENT_HELD = 5000


class Memory:
    """What this process remembers of takes: the least used goes first."""

    def __init__(self) -> None:
        self.columns: LRUCache[tuple[int, str], Floats] = LRUCache(COLUMNS_KEPT)
        self.values: LRUCache[tuple[int, int], Any] = LRUCache(TAKES_HELD)
        self.accompanied: LRUCache[tuple[int, int, str], Any] = LRUCache(TAKES_HELD)
        self.judged: LRUCache[tuple[int, int, str], Sweepable] = LRUCache(JUDGED_HELD)
        self.raised: LRUCache[tuple[int, int, str], tuple[Event, ...]] = LRUCache(RAISED_HELD)
        self.silent: LRUCache[tuple[tuple[int, int, str], Mark], str] = LRUCache(SILENT_HELD)
        self.lock = Lock()

    def forget(self) -> None:
        """Forget it all (another database is in use); the store keeps its own."""
        with self.lock:
            self.columns.clear()
            self.values.clear()
            self.accompanied.clear()
            self.judged.clear()
            self.raised.clear()
            self.silent.clear()


MEMORY = Memory()


@dataclass(frozen=True)
class Kept:
    """Columns that were worked out of a take, in memory and in the store, within the caller's transaction."""

    session: Session
    take_id: int

    def get(self, keys: Sequence[str]) -> dict[str, Floats]:
        """Return those of the columns that are kept."""
        with MEMORY.lock:
            held = {key: MEMORY.columns.get((self.take_id, key)) for key in keys}
        found = {key: column for key, column in held.items() if column is not None}
        missing = [key for key in keys if key not in found]
        if missing:
            for key, data in kept_columns(self.session, self.take_id, missing).items():
                column = np.frombuffer(zstandard.ZstdDecompressor().decompress(data), "<f8").astype(np.float64)
                found[key] = column
                self._remember(key, column)
        return found

    def put(self, key: str, column: Floats) -> None:
        """Keep one more; of those in the store the oldest go beyond `COLUMNS_A_TAKE`."""
        self._remember(key, column)
        data = zstandard.ZstdCompressor(level=3).compress(column.astype("<f8").tobytes())
        keep_column(self.session, self.take_id, key, data, most=COLUMNS_A_TAKE)

    def _remember(self, key: str, column: Floats) -> None:
        with MEMORY.lock:
            MEMORY.columns[self.take_id, key] = column


def held_value(session: Session, take: TakeRow) -> Any:
    """Return what the take holds; if its signal is small enough, what was unpacked before."""
    if not signal_of(take.signal).held:
        return value_of_take(session, take, Kept(session, take.id))
    with MEMORY.lock:
        value = MEMORY.values.get((take.id, take.edition))
    if value is None:
        value = value_of_take(session, take)
        with MEMORY.lock:
            MEMORY.values[take.id, take.edition] = value
    return value


def subject(session: Session, detector: Detector, take: TakeRow) -> Sweepable:
    """Return the detector held against a stored take. Raises `Refused` if its kind does not read the take's signal."""
    detector, companions, key = _asked(session, detector, take)
    if not signal_of(take.signal).held:  # it reads from the caller's transaction, and cannot outlive it
        return judge(detector, take.signal, held_value(session, take))
    with MEMORY.lock:
        found = MEMORY.judged.get(key)
    if found is None:
        value = held_value(session, take)
        if companions is not None:
            value = _accompanied(value, detector, take, companions)
        found = judge(detector, take.signal, value)
        with MEMORY.lock:
            MEMORY.judged[key] = found
    if not found.kind.takes_truths:
        return found
    return found.knowing([row.said for row in truths_of_take(session, take.id)])


def raised(session: Session, detector: Detector, take: TakeRow) -> tuple[Event, ...]:
    """Return what a detector raises on a stored take, in order; nothing for a kind that raises nothing."""
    _, _, key = _asked(session, detector, take)
    with MEMORY.lock:
        found = MEMORY.raised.get(key)
    if found is None:
        held = subject(session, detector, take)
        found = tuple(held.events()) if isinstance(held, Raising) else ()
        with MEMORY.lock:
            MEMORY.raised[key] = found
    return found


def why_silent(session: Session, detector: Detector, take: TakeRow, mark: Mark) -> str:
    """Return why a detector raised nothing at a mark, in words; empty for a kind that raises nothing."""
    _, _, key = _asked(session, detector, take)
    with MEMORY.lock:
        found = MEMORY.silent.get((key, mark))
    if found is None:
        held = subject(session, detector, take)
        found = held.why_silent(mark).text if isinstance(held, Raising) else ""
        with MEMORY.lock:
            MEMORY.silent[key, mark] = found
    return found


def _asked(
    session: Session, detector: Detector, take: TakeRow
) -> tuple[Detector, Companions | None, tuple[int, int, str]]:
    """Return the detector with its lists, the companions that it asks for, and what tells this question from others."""
    detector = with_lists(session, take.device.site_id, detector)
    kind = kind_of(detector.kind)
    codes = kind.asks(kind.typed(detector))
    companions = None if codes is None else Companions(session, take, codes)
    word = "" if companions is None else companions.word
    return detector, companions, (take.id, take.edition, detector.model_dump_json() + word)


def _accompanied(value: Any, detector: Detector, take: TakeRow, companions: Companions) -> Any:
    """Return what a take holds with what its companions gave; it is remembered, for a dial that is dragged asks again and again."""
    key = (take.id, take.edition, companions.word)
    with MEMORY.lock:
        held = MEMORY.accompanied.get(key)
    if held is None:
        kind = kind_of(detector.kind)
        held = kind.accompanied(kind.typed(detector), value, companions.read())
        with MEMORY.lock:
            MEMORY.accompanied[key] = held
    return held


def marks(session: Session, take_id: int) -> list[Mark]:
    return [row.as_mark() for row in marks_of(session, take_id)]
