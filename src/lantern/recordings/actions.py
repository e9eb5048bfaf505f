"""What can be done with recordings: begin, add to, end, make a take of one, drop; and verdicts that become marks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import structlog
from sqlalchemy import delete, insert, literal, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.raising import Raising
from lantern.core.scoring.agreement import Agreement, Raised, agreement
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.db.base import transaction
from lantern.db.work import Record, carry_out
from lantern.formats.signals.register import signal_of
from lantern.formats.signals.signal import Signal, Stored, Timed
from lantern.formats.takes import Take, read_info
from lantern.live.tables import EventRow
from lantern.recordings.budget import Room, make_room
from lantern.recordings.tables import LiveMarkRow, RecordedPartRow, RecordingRow
from lantern.revisions import revision
from lantern.survey.tables import DeviceRow
from lantern.takes.actions import add_marks
from lantern.takes.store import add_take
from lantern.takes.tables import FrameBlockRow, MarkRow, TakeRow
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow

log = structlog.get_logger()
SHORTEST_S = 0.5  # of a mark on what was live
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


def add_part(recording_id: int, samples: Sequence[Timed], known: Mapping[str, Any], *, lost: int = 0) -> Room:
    """Store some samples, (s from its beginning, sample) each. Returns what room there is after it."""
    with transaction() as session:
        row = session.get_one(RecordingRow, recording_id)
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


def tell_dropped(room: Room) -> None:
    for each in room.dropped:
        log.warning("a recording was dropped to make room", recording=each)


def _local(row: RecordingRow) -> datetime:
    return row.start.astimezone(ZoneInfo(row.device.place.site.zone))


def _info(row: RecordingRow, signal: Signal, known: Mapping[str, Any]) -> Any:
    size = known.get("frame_px") or (None, None)
    document = {
        "format": "lantern-take/1",
        "name": f"Recorded {_local(row):%d %b %H:%M:%S}, {row.why}"[:100],
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


def _pieces(session: Session, row: RecordingRow, signal: Signal) -> tuple[list[Any], Floats]:
    query = select(RecordedPartRow).where(RecordedPartRow.recording_id == row.id).order_by(RecordedPartRow.first)
    pieces, times = [], []
    for part in session.scalars(query.execution_options(yield_per=64)):
        t_s = np.frombuffer(part.times, "<f8")

        def blocks(part: RecordedPartRow = part) -> Iterator[tuple[int, bytes]]:
            yield part.packed, part.data

        pieces.append(signal.unpack(Stored(part.facts, t_s, part.packed, blocks)))
        times.append(t_s)
    return pieces, np.concatenate(times)


def _of_blocks(session: Session, row: RecordingRow, name: str) -> TakeRow:
    """Pictures are packed as a take's are already: only moved."""
    mine = RecordedPartRow.recording_id == row.id
    times = b"".join(session.scalars(select(RecordedPartRow.times).where(mine).order_by(RecordedPartRow.first)))
    take = TakeRow(
        device_id=row.device_id, name=name, signal=row.signal, stored_start=row.start, samples=row.samples,
        length_s=row.length_s, facts=row.facts, packed_bytes=row.packed_bytes, times=times,
    )  # fmt: skip
    session.add(take)
    session.flush()
    columns = select(literal(take.id), RecordedPartRow.first, RecordedPartRow.count, RecordedPartRow.data).where(mine)
    session.execute(insert(FrameBlockRow).from_select(["take_id", "first", "count", "data"], columns))
    return take


def against_live(session: Session, row: RecordingRow) -> list[tuple[str, Agreement]]:
    """For each detector that ran live meanwhile: how what it raised differs from what its revision raises on the recording."""
    take = row.take
    if take is None:
        raise Refused([Fault("recording", f"is {row.state}, and no take", "one that is over and whose take is there")])
    ends = row.t0 + row.length_s
    query = select(EventRow).join(DetectorRow, DetectorRow.id == EventRow.detector_id)
    mine = query.where(DetectorRow.device_id == row.device_id, EventRow.device_t.between(row.t0 - 1e-6, ends + 1e-6))
    live: dict[tuple[int, int], list[Raised]] = {}
    for event in session.scalars(mine.order_by(EventRow.device_t)):
        assert event.device_t is not None
        one = Raised(event.device_t - row.t0, event.region or "", event.object)
        live.setdefault((event.detector_id, event.revision), []).append(one)
    for detector in session.scalars(select(DetectorRow).where(DetectorRow.device_id == row.device_id)):
        fits = take.signal in kind_of(detector.kind).signals and detector.enabled and not detector.retired
        if fits and all(each != detector.id for each, _ in live):
            live[detector.id, detector.revision] = []
    out = []
    for (detector_id, number), raised in sorted(live.items()):
        saved = revision(session, DetectorRow.WHAT, detector_id, number)
        if saved is None or saved.body is None:
            continue
        held = subject(session, detector_of(saved.body), take)
        if isinstance(held, Raising):
            again = [Raised(e.raised_s, e.region or "", _name(e.object)) for e in held.events()]
            out.append((f"{saved.name}, revision {number}", agreement(raised, again)))
    return out


def _name(object_: Any) -> str | None:
    return None if object_ is None else str(object_)


# ---- what was right, wrong, missed -----------------------------------------------------------------------------------


def judge_event(session: Session, event: EventRow, verdict: str, *, user_id: int | None) -> LiveMarkRow:
    """Somebody says that an event was right or wrong; the last word counts. Raises `Refused` for another verdict."""
    if verdict not in ("right", "wrong"):
        raise Refused([Fault("verdict", repr(verdict)[:40], "right or wrong")])
    detector = session.get_one(DetectorRow, event.detector_id)
    end = event.cleared_at or event.raised_at
    row = session.scalar(select(LiveMarkRow).where(LiveMarkRow.event_id == event.id))
    if row is None:
        row = LiveMarkRow(
            device_id=detector.device_id, detector_id=detector.id, event_id=event.id, start=event.raised_at, end=end
        )
        session.add(row)
    row.verdict, row.user_id, row.end = verdict, user_id, end
    session.flush()
    _place(session, row)
    return row


def mark_missed(
    session: Session, detector: DetectorRow, start: datetime, end: datetime, *, user_id: int | None
) -> LiveMarkRow:
    """Somebody says that something between these times should have raised. Raises `Refused` for times that cannot be."""
    if not start < end <= datetime.now(UTC) + timedelta(minutes=1):
        what = f"from {start:%H:%M:%S} to {end:%H:%M:%S} UTC"
        raise Refused([Fault("missed", what, "a beginning before its end, both in the past")])
    row = LiveMarkRow(
        device_id=detector.device_id, detector_id=detector.id, verdict="missed", start=start, end=end, user_id=user_id
    )
    session.add(row)
    session.flush()
    _place(session, row)
    return row


def place_marks(session: Session, recording: RecordingRow, take: TakeRow) -> None:
    """What was said of the live device while it was recorded becomes marks on the take."""
    waiting = select(LiveMarkRow).where(LiveMarkRow.device_id == recording.device_id, LiveMarkRow.mark_id.is_(None))
    for row in session.scalars(waiting):
        span = _span(session, row, recording, take)
        if span is not None:
            _mark(session, row, take, span)


def lacking(session: Session, row: LiveMarkRow) -> str:
    """What a verdict lacks to be evidence; empty: it is a mark on a take."""
    if row.mark_id is not None:
        return ""
    open_ = RecordingRow.state.in_(("recording", "waiting", "running"))
    holds = (RecordingRow.device_id == row.device_id, open_, RecordingRow.start <= row.start)
    if session.scalar(select(RecordingRow.id).where(*holds).limit(1)) is not None:
        return "it becomes a mark once its recording is over"
    return "no recording holds it: the verdict is kept, and no take has it"


def _place(session: Session, row: LiveMarkRow) -> None:
    if row.mark_id is not None:
        mark = session.get(MarkRow, row.mark_id)
        row.mark_id = None
        if mark is not None:
            session.delete(mark)
        session.flush()
    query = select(RecordingRow).where(RecordingRow.device_id == row.device_id, RecordingRow.state == "done")
    for recording in session.scalars(query.where(RecordingRow.start <= row.end).order_by(RecordingRow.id.desc())):
        take = recording.take
        span = None if take is None else _span(session, row, recording, take)
        if take is not None and span is not None:
            _mark(session, row, take, span)
            return


def _span(session: Session, row: LiveMarkRow, recording: RecordingRow, take: TakeRow) -> tuple[float, float] | None:
    """(from, to) in s of the take; None where it does not lie on it. Of an event by the device's own clock."""
    event = session.get(EventRow, row.event_id) if row.event_id is not None else None
    if event is not None and event.device_t is not None:
        start = event.device_t - recording.t0
        lasted = 0.0 if event.cleared_at is None else (event.cleared_at - event.raised_at).total_seconds()
        if event.cleared_at is None:
            lasted = take.length_s - start
    else:
        start = (row.start - recording.start).total_seconds()
        lasted = (row.end - row.start).total_seconds()
    if start < -1e-6 or start > take.length_s + 1e-6:
        return None
    return max(start, 0.0), min(max(start + lasted, start + max(take.interval_s, SHORTEST_S)), take.length_s)


def _mark(session: Session, row: LiveMarkRow, take: TakeRow, span: tuple[float, float]) -> None:
    detector = session.get_one(DetectorRow, row.detector_id)
    label = "quiet" if row.verdict == "wrong" else "expect"
    start, end = span
    if end <= start:
        start = max(end - SHORTEST_S, 0.0)
    note = "missed live" if row.verdict == "missed" else f"was {row.verdict}, live"
    [mark] = add_marks(session, take, [Mark(round(start, 6), round(end, 6), label, detector.name, note)])  # type: ignore[arg-type]
    row.mark_id = mark.id
    session.flush()
