"""What can be done with recordings: begin, add to, end, and make a take of one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import structlog
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats
from lantern.db.base import transaction
from lantern.db.work import Record, carry_out
from lantern.recordings.budget import Room, make_room
from lantern.recordings.tables import RecordedPartRow, RecordingRow, parts_of_site
from lantern.recordings.verdicts import place_marks
from lantern.register.tables import DeviceRow
from lantern.signals.register import signal_of
from lantern.signals.signal import AnySignal, Stored, Timed
from lantern.signals.takes import Take, read_info
from lantern.takes.store import add_take
from lantern.takes.tables import TakeRow, take_of_blocks

log = structlog.get_logger()
MOST_MINUTES = 24 * 60


# ---- under way -------------------------------------------------------------------------------------------------------


def begin(device_id: int, signal: str, *, why: str, t0: float, came: float) -> int:
    """Begin a recording; returns its number. Raises `Refused` where there is no room, and nothing may go."""
    with transaction() as session:
        device = session.get_one(DeviceRow, device_id)
        room = make_room(session, device.site_id)
        tell_dropped(room)
        if room.full:
            raise Refused([Fault("recording", room.full, "more room for recordings, or fewer marked ones")])
        at = datetime.fromtimestamp(came, UTC)
        row = RecordingRow(
            device_id=device_id, signal=signal, why=why, t0=t0, start=at, facts={}, state="recording", faults=[],
            clock_s=round(t0 - came, 3),
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def add_part(
    recording_id: int,
    samples: Sequence[Timed[Any]],
    known: Mapping[str, Any],
    *,
    first: int | None = None,
    lost: int = 0,
) -> Room:
    """Store some samples, (s from its beginning, sample) each, unless they are stored: `first` says how many came before them,
    for whoever tries again where nobody knows whether it was stored. Returns what room there is after it.
    """
    with transaction() as session:
        row = session.get_one(RecordingRow, recording_id, with_for_update=True)
        if first is not None and row.samples > first:
            return make_room(session, row.device.site_id)
        signal = signal_of(row.signal)
        piece = signal.piece(samples, {**known, "start": _local(row)})
        facts = signal.facts(_info(row, signal, known), piece)
        [(packed, pack)] = list(signal.pack(piece))
        data = pack()
        times = np.array([t for t, _ in samples]).astype("<f8").tobytes()
        session.add(
            RecordedPartRow(
                recording_id=row.id, first=row.samples, count=len(samples), packed=packed, facts=facts, times=times,
                data=data,
            )
        )  # fmt: skip
        row.facts = row.facts or facts
        row.samples += len(samples)
        row.length_s = samples[-1][0]
        row.packed_bytes += len(data) + len(times)
        row.lost += lost
        session.flush()
        room = make_room(session, row.device.site_id)
        tell_dropped(room)
        return room


def end(recording_id: int, why: str, clock_s: float | None) -> None:
    """It is over; a worker makes a take of it."""
    with transaction() as session:
        row = session.get_one(RecordingRow, recording_id, with_for_update=True)
        if row.state == "recording":
            row.state, row.ended = "waiting", why
            row.clock_s = row.clock_s if clock_s is None else clock_s


def left_over() -> list[int]:
    """Those that an engine that is gone had begun, ended now where their last stored part ends; and those that wait."""
    with transaction() as session:
        for row in session.scalars(select(RecordingRow).where(RecordingRow.state == "recording").with_for_update()):
            row.state, row.ended = "waiting", f"the engine ended: the last stored sample is at {row.length_s:.1f} s"
        return list(session.scalars(select(RecordingRow.id).where(RecordingRow.state == "waiting")))


def change_parts(session: Session, site_id: int, signal_name: str, change: Callable[[Any], Any | None]) -> None:
    """Take something out of recordings that are no takes yet: `change` gives a piece as it shall be, None: as it is."""
    signal = signal_of(signal_name)
    for part in parts_of_site(session, site_id, signal_name):
        changed = change(_piece(signal, part))
        if changed is not None:
            [(part.packed, pack)] = list(signal.pack(changed))
            part.data = pack()
    session.flush()


def tell_dropped(room: Room) -> None:
    for each in room.dropped:
        log.warning("a recording was dropped to make room", recording=each)


def _local(row: RecordingRow) -> datetime:
    return row.start.astimezone(ZoneInfo(row.device.place.site.zone))


def _info(row: RecordingRow, signal: AnySignal, known: Mapping[str, Any]) -> Any:
    size = known.get("frame_px") or (None, None)
    document = {
        "format": "lantern-take/1",
        "name": f"Recorded {_local(row):%Y-%m-%d %H:%M:%S}, {row.why}"[:100],
        "kind": row.signal,
        "device": row.device.code,
        "start": _local(row).isoformat(),
        "fps": 1.0 if not signal.held else None,  # its samples have times of their own
        "width": size[0],
        "height": size[1],
    }
    return read_info({key: value for key, value in document.items() if value is not None}, where="recording")


# ---- a take of it ----------------------------------------------------------------------------------------------------


def make_take(recording_id: int) -> None:
    """Make a take of a recording that is over, or say why not. Called by the worker."""

    def work(row: RecordingRow) -> Record[RecordingRow]:
        with transaction() as session:
            take_id = _take_of(session, session.get_one(RecordingRow, recording_id))

        def record(held: RecordingRow) -> None:
            held.take_id = take_id

        return record

    carry_out(RecordingRow, recording_id, work)


def _take_of(session: Session, row: RecordingRow) -> int:
    if row.take_id is not None:
        return row.take_id
    if not row.samples:
        raise Refused([Fault("recording", "no sample was stored", "a device that sends")])
    signal = signal_of(row.signal)
    frame_px = (row.device.ability.get("width"), row.device.ability.get("height"))
    info = _info(row, signal, {"frame_px": frame_px if all(frame_px) else None})
    if signal.held:
        pieces, t_s = _pieces(session, row, signal)
        take = add_take(session, Take(info, signal.joined(pieces, t_s)), device_id=row.device_id)
    else:
        take = _of_blocks(session, row, info.name)
    take.facts = take.facts | {"clock_s": row.clock_s}
    session.execute(delete(RecordedPartRow).where(RecordedPartRow.recording_id == row.id))
    row.take_id = take.id
    row.packed_bytes = take.packed_bytes + len(take.times)
    session.flush()
    place_marks(session, row, take)
    return take.id


def _pieces(session: Session, row: RecordingRow, signal: AnySignal) -> tuple[list[Any], Floats]:
    query = select(RecordedPartRow).where(RecordedPartRow.recording_id == row.id).order_by(RecordedPartRow.first)
    pieces, times = [], []
    for part in session.scalars(query.execution_options(yield_per=64)):
        pieces.append(_piece(signal, part))
        times.append(np.frombuffer(part.times, "<f8"))
    return pieces, np.concatenate(times)


def _piece(signal: AnySignal, part: RecordedPartRow) -> Any:
    def blocks() -> Iterator[tuple[int, bytes]]:
        yield part.packed, part.data

    return signal.unpack(Stored(part.facts, np.frombuffer(part.times, "<f8"), part.packed, blocks))


def _of_blocks(session: Session, row: RecordingRow, name: str) -> TakeRow:
    """Pictures are packed as a take's are already: only moved."""
    mine = RecordedPartRow.recording_id == row.id
    times = b"".join(session.scalars(select(RecordedPartRow.times).where(mine).order_by(RecordedPartRow.first)))
    blocks = select(RecordedPartRow.first, RecordedPartRow.count, RecordedPartRow.data).where(mine)
    facts = {"device_id": row.device_id, "name": name, "signal": row.signal, "stored_start": row.start}
    facts |= {"samples": row.samples, "length_s": row.length_s, "facts": row.facts, "packed_bytes": row.packed_bytes}
    return take_of_blocks(session, blocks, times=times, **facts)
