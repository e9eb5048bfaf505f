"""Takes in and out of the store, whatever their signal: blocks in the order of time, packed and unpacked as the signal says."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from typing import Any

from cachetools import LRUCache
from sqlalchemy import delete, insert, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from lantern.core.faults import LanternError
from lantern.core.signals import Keep
from lantern.signals.register import signal_of
from lantern.signals.signal import Stored
from lantern.signals.takes import Take
from lantern.takes.tables import FrameBlockRow, TakeRow

BLOCKS_AT_ONCE = 16  # read from the store; some twenty megabytes of a 320 x 240 camera
RECENT_BLOCKS = 24
PACKERS = 2
MOST_UNDER_WAY = 16  # blocks that wait, packed or not: what an import holds in memory
Progress = Callable[[int, int], None]

_recent: LRUCache[tuple[str, int, int], Any] = LRUCache(RECENT_BLOCKS)
_recent_lock = threading.Lock()


class UnreadableTakeError(LanternError):
    """Raised where what the store holds of a take is not what a take is made of; the message says what to do."""


@contextmanager
def readable(take: TakeRow) -> Iterator[None]:
    """Raises `UnreadableTakeError` for whatever comes of a take that is damaged in the store."""
    try:
        yield
    except (LanternError, SQLAlchemyError):
        raise
    except Exception as error:
        raise UnreadableTakeError(
            f"The take {take.name!r} cannot be read from the store ({type(error).__name__}). "
            "Delete it under Takes and import it again."
        ) from error


def add_take(session: Session, take: Take, *, device_id: int, progress: Progress = lambda done, total: None) -> TakeRow:
    """Store a take within the caller's transaction: a fault found on the way rolls all of it back."""
    signal, value = take.signal, take.value
    row = TakeRow(
        device_id=device_id,
        name=take.info.name,
        signal=signal.name,
        stored_start=take.info.start,
        samples=signal.samples(value),
        length_s=signal.length_s(value),
        facts=signal.facts(take.info, value),
        packed_bytes=0,
        times=signal.t_s(value).astype("<f8").tobytes(),
        still=take.still.data if take.still else None,
        still_type=take.still.media_type if take.still else None,
    )
    session.add(row)
    session.flush()
    row.packed_bytes = _add_blocks(session, row, take, progress)
    session.flush()
    return row


def _add_blocks(session: Session, row: TakeRow, take: Take, progress: Progress) -> int:
    """Packed in other threads while the next block is read and decoded; stored in the order of time."""
    done = packed = 0
    under_way: deque[tuple[int, Future[bytes]]] = deque()

    def store() -> None:
        nonlocal done, packed
        count, future = under_way.popleft()
        data = future.result()
        session.execute(insert(FrameBlockRow), {"take_id": row.id, "first": done, "count": count, "data": data})
        done += count
        packed += len(data)
        progress(done, row.samples)

    with ThreadPoolExecutor(PACKERS) as threads:
        for count, pack in take.signal.pack(take.value):
            under_way.append((count, threads.submit(pack)))
            if len(under_way) > MOST_UNDER_WAY:
                store()
        while under_way:
            store()
    return packed


def replace_value(session: Session, take: TakeRow, value: Any) -> None:
    """Store a take's samples anew, for the rare thing that must be taken out of a recording; their number stays."""
    session.execute(delete(FrameBlockRow).where(FrameBlockRow.take_id == take.id))
    done = packed = 0
    for count, pack in signal_of(take.signal).pack(value):
        data = pack()
        session.add(FrameBlockRow(take_id=take.id, first=done, count=count, data=data))
        done, packed = done + count, packed + len(data)
    take.packed_bytes, take.edition = packed, take.edition + 1
    session.flush()


def value_of_take(
    session: Session, take: TakeRow, keep: Keep | None = None, progress: Progress = lambda done, total: None
) -> Any:
    """Return what a stored take holds, as its signal is in the core; frames are read as often as they are asked for.

    Raises `UnreadableTakeError`, here or while it is read.
    """

    def blocks() -> Iterator[tuple[int, bytes]]:
        with readable(take):
            query = select(FrameBlockRow.count, FrameBlockRow.data).where(FrameBlockRow.take_id == take.id)
            rows = session.execute(query.order_by(FrameBlockRow.first).execution_options(yield_per=BLOCKS_AT_ONCE))
            done = 0
            for count, data in rows:
                yield count, data
                done += count
                progress(done, take.samples)

    with readable(take):
        return signal_of(take.signal).unpack(Stored(take.facts, take.t_s, take.samples, blocks, keep))


def frame_of_take(session: Session, take: TakeRow, index: int) -> Any:
    """One frame, (height, width), raw. The blocks looked at last stay unpacked, for frames are asked for in order."""
    with readable(take):
        return _frame(session, take, index)


def _frame(session: Session, take: TakeRow, index: int) -> Any:
    held = (str(session.get_bind().engine.url), take.id)
    with _recent_lock:
        known = [key for key in _recent if key[:2] == held and key[2] <= index]
        first = max((key[2] for key in known), default=0)
        block = _recent.get((*held, first))
    if block is None or index >= first + len(block):
        query = select(FrameBlockRow).where(FrameBlockRow.take_id == take.id, FrameBlockRow.first <= index)
        row = session.scalars(query.order_by(FrameBlockRow.first.desc()).limit(1)).first()
        assert row is not None, "a block for each frame"
        first = row.first
        block = signal_of(take.signal).frame(take.facts, row.count, row.data)
        with _recent_lock:
            _recent[*held, first] = block
    return block[index - first]
