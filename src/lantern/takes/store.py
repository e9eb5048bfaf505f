"""Takes in and out of the store: frames in compressed blocks, in the order of time."""

from __future__ import annotations

import threading
from collections import OrderedDict, deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from typing import Any

import numpy as np
from sqlalchemy import insert, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from lantern.core.faults import LanternError
from lantern.core.objects.tracks import Tracks
from lantern.core.signals import Frames, Pixels, Series
from lantern.formats.takes import Take
from lantern.takes.codec import pack, pack_tracks, unpack, unpack_tracks
from lantern.takes.tables import FrameBlockRow, TakeRow

FRAMES_A_BLOCK = 8  # one is unpacked for a single frame; more pack a little better
BLOCKS_AT_ONCE = 16  # some twenty megabytes of a 320 x 240 camera
RECENT_BLOCKS = 24
DTYPES = ("uint16", "float32", "float64")
PACKERS = 2
MOST_UNDER_WAY = 16  # blocks that wait, packed or not: what an import holds in memory
Progress = Callable[[int, int], None]

_recent: OrderedDict[tuple[str, int, int], Any] = OrderedDict()
_recent_lock = threading.Lock()


class UnreadableTakeError(LanternError):
    """What the store holds of a take is not what a take is made of; the message says what to do."""


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
    frames = take.frames
    tracks = take.tracks
    row = TakeRow(
        device_id=device_id,
        name=take.info.name,
        kind=take.info.kind,
        stored_start=take.info.start,
        samples=frames_in(tracks) if tracks is not None else int(take.t_s.size),
        length_s=take.length_s,
        width=frames.width if frames else _extent(take, 0),
        height=frames.height if frames else _extent(take, 1),
        dtype=frames.dtype if frames else None,
        scale=frames.scale if frames else None,
        offset_c=frames.offset_c if frames else None,
        recorded={name: getattr(take.info.recorded(), name) for name in take.info.recorded().__dataclass_fields__},
        columns=[[s.name, s.unit] for s in (take.columns or {}).values()],
        packed_bytes=0,
        times=take.t_s.astype("<f8").tobytes(),
        still=take.still.data if take.still else None,
        still_type=take.still.media_type if take.still else None,
    )
    session.add(row)
    session.flush()
    if tracks is not None:
        add_tracks(session, row, tracks)
    elif frames is None:
        table = np.stack([series.x for series in (take.columns or {}).values()])[:, :, None]
        data = pack(table)
        session.add(FrameBlockRow(take_id=row.id, first=0, count=table.shape[0], data=data))
        row.packed_bytes = len(data)
    else:
        row.packed_bytes = _add_blocks(session, row.id, frames, progress)
    session.flush()
    return row


def _extent(take: Take, axis: int) -> int | None:
    """Of the picture that objects move in, px; of a plan, whose size no file tells, so many m as its points reach."""
    size = (take.info.width, take.info.height)[axis]
    if size is None and take.tracks is not None and take.tracks.on_plan and len(take.tracks):
        return int(np.ceil(take.tracks.box[:, axis].max() + 1))
    return size


def frames_in(tracks: Tracks) -> int:
    """How many frames a take of tracks spans: boxes are not frames, and some frames show nobody."""
    return round(tracks.length_s * tracks.fps) + 1 if tracks.fps else int(np.unique(tracks.t_s).size)


def add_tracks(session: Session, row: TakeRow, tracks: Tracks) -> None:
    data = pack_tracks(tracks)
    session.add(FrameBlockRow(take_id=row.id, first=0, count=len(tracks), data=data))
    row.columns = [[len(tracks), "boxes"], [len(tracks.ids), "objects"]]
    row.packed_bytes = len(data)


def tracks_of_take(session: Session, take: TakeRow) -> Tracks:
    with readable(take):
        block = session.get(FrameBlockRow, (take.id, 0))
        assert block is not None
        return unpack_tracks(block.data)


def _add_blocks(session: Session, take_id: int, frames: Frames, progress: Progress) -> int:
    """Packed in other threads while the next block is read and decoded; stored in the order of time."""
    done = packed = 0
    under_way: deque[tuple[int, Future[bytes]]] = deque()

    def store() -> None:
        nonlocal done, packed
        count, future = under_way.popleft()
        data = future.result()
        session.execute(insert(FrameBlockRow), {"take_id": take_id, "first": done, "count": count, "data": data})
        done += count
        packed += len(data)
        progress(done, len(frames))

    with ThreadPoolExecutor(PACKERS) as threads:
        for block in frames.blocks():
            for first in range(0, block.shape[0], FRAMES_A_BLOCK):
                part = block[first : first + FRAMES_A_BLOCK]
                under_way.append((part.shape[0], threads.submit(pack, part)))
                if len(under_way) > MOST_UNDER_WAY:
                    store()
        while under_way:
            store()
    return packed


def frames_of_take(session: Session, take: TakeRow) -> Frames:
    """The frames of a stored take, read and unpacked some blocks at a time, as often as `blocks()` is called."""
    with readable(take):
        width, height, dtype = _picture(take)
        assert take.scale is not None
        assert take.offset_c is not None
        t_s, recorded = take.t_s, take.recorded_as

    def blocks() -> Iterator[Pixels]:
        done = 0
        with readable(take):
            for block in read_blocks():
                done += block.shape[0]
                yield block
            assert done == t_s.size, "as many frames as times"

    def read_blocks() -> Iterator[Pixels]:
        query = select(FrameBlockRow.count, FrameBlockRow.data).where(FrameBlockRow.take_id == take.id)
        rows = session.execute(query.order_by(FrameBlockRow.first).execution_options(yield_per=BLOCKS_AT_ONCE))
        with ThreadPoolExecutor(2) as threads:  # unpacking lets go of the interpreter
            for some in rows.partitions():
                shapes = [(row.data, row.count, height, width, dtype) for row in some]
                yield np.concatenate(list(threads.map(_unpacked, shapes)))

    with readable(take):
        return Frames(t_s, width, height, take.scale, take.offset_c, blocks, recorded, dtype)


def frame_of_take(session: Session, take: TakeRow, index: int) -> Any:
    """One frame, (height, width), raw. The blocks looked at last stay unpacked, for frames are asked for in order."""
    with readable(take):
        return _frame(session, take, index)


def _frame(session: Session, take: TakeRow, index: int) -> Any:
    width, height, dtype = _picture(take)
    held = (str(session.get_bind().engine.url), take.id)
    with _recent_lock:
        found = ((key[2], b) for key, b in _recent.items() if key[:2] == held and key[2] <= index < key[2] + len(b))
        first, block = next(found, (0, None))
    if block is None:
        query = select(FrameBlockRow).where(FrameBlockRow.take_id == take.id, FrameBlockRow.first <= index)
        row = session.scalars(query.order_by(FrameBlockRow.first.desc()).limit(1)).first()
        assert row is not None, "a block for each frame"
        first = row.first
        block = _unpacked((row.data, row.count, height, width, dtype))
        with _recent_lock:
            _recent[*held, first] = block
            while len(_recent) > RECENT_BLOCKS:
                _recent.popitem(last=False)
    return block[index - first]


def _picture(take: TakeRow) -> tuple[int, int, str]:
    assert take.width is not None
    assert take.height is not None
    assert take.dtype in DTYPES
    return take.width, take.height, take.dtype


def _unpacked(packed: tuple[bytes, int, int, int, str]) -> Any:
    data, count, height, width, dtype = packed
    return unpack(data, count=count, height=height, width=width, dtype=dtype)


def series_of_take(session: Session, take: TakeRow) -> dict[str, Series]:
    with readable(take):
        block = session.get(FrameBlockRow, (take.id, 0))
        assert block is not None
        table = unpack(block.data, count=len(take.columns), height=take.samples, width=1, dtype="float64")
        t_s = take.t_s
        return {name: Series(t_s, table[i, :, 0].copy(), unit, name) for i, (name, unit) in enumerate(take.columns)}
