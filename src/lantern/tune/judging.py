"""A detector of the store held against takes of the store. Readings are kept, for a dial must answer at once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from hashlib import sha256
from threading import Lock
from typing import Any, cast

import numpy as np
import zstandard
from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.heat.reductions import Reduction, Wanted, reduce_frames
from lantern.core.judged import Judged
from lantern.core.objects.tracks import Tracks
from lantern.core.signals import Floats, Frames
from lantern.core.subjects import subject_of
from lantern.core.tuning.scoring import Mark
from lantern.takes.store import frames_of_take, series_of_take, tracks_of_take
from lantern.takes.tables import ReductionRow, TakeRow, marks_of

KEPT = 400  # reductions in memory, of at most some 10,000 frames: tens of megabytes
KEPT_A_TAKE = 300  # in the store; a region that is dragged about leaves many that nobody asks for again


class ReductionStore:
    """Remembers reductions by take, shape and statistic, in memory and in the store: the costly step is done once."""

    def __init__(self, kept: int = KEPT) -> None:
        self._kept = kept
        self._held: OrderedDict[tuple[int, str], Floats] = OrderedDict()
        self._lock = Lock()

    def reducer(self, session: Session, take_id: int) -> Any:
        """A `reduce` for a kind's readings, on one take within the caller's transaction."""

        def reduce(frames: Frames, wanted: Sequence[Wanted]) -> list[list[Floats]]:
            keys = [[reduction_key(each, r) for r in each.reductions] for each in wanted]
            found = {key: self._look_up(session, take_id, key) for row in keys for key in row}
            missing = [i for i, row in enumerate(keys) if any(found[key] is None for key in row)]
            if missing:
                for at, columns in zip(missing, reduce_frames(frames, [wanted[i] for i in missing]), strict=True):
                    for key, column in zip(keys[at], columns, strict=True):
                        found[key] = column
                        self._keep(take_id, key, column)
                        _store(session, take_id, key, column)
            return [[cast(Floats, found[key]) for key in row] for row in keys]

        return reduce

    def forget(self) -> None:
        """Forget what is in memory (another database is in use); the store keeps its own."""
        with self._lock:
            self._held.clear()

    def _look_up(self, session: Session, take_id: int, key: str) -> Floats | None:
        with self._lock:
            held = self._held.get((take_id, key))
        if held is None:
            row = session.get(ReductionRow, (take_id, key))
            if row is not None:
                held = np.frombuffer(zstandard.ZstdDecompressor().decompress(row.data), "<f8").astype(np.float64)
                self._keep(take_id, key, held)
        return held

    def _keep(self, take_id: int, key: str, column: Floats) -> None:
        with self._lock:
            self._held[take_id, key] = column
            self._held.move_to_end((take_id, key))
            while len(self._held) > self._kept:
                self._held.popitem(last=False)


class TrackStore:
    """The tracks looked at last, unpacked; and the states judged on them last, for a page asks several things of one."""

    def __init__(self, kept: int = 6) -> None:
        self._kept = kept
        self._held: OrderedDict[int, Tracks] = OrderedDict()
        self._judged: OrderedDict[tuple[int, str], Judged] = OrderedDict()
        self._lock = Lock()

    def subject(self, session: Session, detector: Detector, take: TakeRow) -> Judged:
        key = (take.id, detector.model_dump_json())
        with self._lock:
            found = self._judged.get(key)
        if found is None:
            found = subject_of(detector, self.of(session, take))
            with self._lock:
                self._judged[key] = found
                while len(self._judged) > self._kept:
                    self._judged.popitem(last=False)
        return found

    def of(self, session: Session, take: TakeRow) -> Tracks:
        with self._lock:
            held = self._held.get(take.id)
            if held is not None:
                self._held.move_to_end(take.id)
                return held
        held = tracks_of_take(session, take)
        with self._lock:
            self._held[take.id] = held
            while len(self._held) > self._kept:
                self._held.popitem(last=False)
        return held

    def forget(self) -> None:
        with self._lock:
            self._held.clear()
            self._judged.clear()


def reduction_key(wanted: Wanted, reduction: Reduction) -> str:
    """Names what was reduced: the shape (not its name), what is masked, and the statistic with all that it depends on."""
    masks = [(mask.shape, mask.points) for mask in wanted.masked]
    return sha256(repr((wanted.region.shape, wanted.region.points, masks, reduction)).encode()).hexdigest()


def _store(session: Session, take_id: int, key: str, column: Floats) -> None:
    data = zstandard.ZstdCompressor(level=3).compress(column.astype("<f8").tobytes())
    made = insert(ReductionRow).values(take_id=take_id, key=key, data=data)
    session.execute(made.on_conflict_do_nothing())
    newest = select(ReductionRow.key).where(ReductionRow.take_id == take_id).order_by(ReductionRow.made.desc())
    surplus = newest.offset(KEPT_A_TAKE).scalar_subquery()
    session.execute(delete(ReductionRow).where(ReductionRow.take_id == take_id, ReductionRow.key.in_(surplus)))


REDUCTIONS = ReductionStore()


TRACKS = TrackStore()


def subject(session: Session, detector: Detector, take: TakeRow) -> Judged:
    """The detector on a stored take."""
    if take.kind == "series":
        return subject_of(detector, series_of_take(session, take))
    if take.kind == "heat":
        return subject_of(detector, frames_of_take(session, take), reduce=REDUCTIONS.reducer(session, take.id))
    return TRACKS.subject(session, detector, take)


def marks(session: Session, take_id: int) -> list[Mark]:
    return [row.as_mark() for row in marks_of(session, take_id)]
