"""What somebody said of live events, right, wrong or missed, as marks on the recording that holds them."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.scoring.marking import LABEL_OF, open_for, span_of
from lantern.core.scoring.marks import Mark
from lantern.live.tables import EventRow
from lantern.recordings.tables import LiveMarkRow, RecordingRow
from lantern.sites.tables import site_of
from lantern.takes.marking import add_marks
from lantern.takes.tables import MarkRow, TakeRow
from lantern.tune.actions import rejudge
from lantern.tune.tables import DetectorRow, detectors_of_device

SHORTEST_S = 0.5  # of a mark on what was live
NEAR_S = 1e-6


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
    """Make marks on the take of what was said of the live device while it was recorded."""
    waiting = select(LiveMarkRow).where(LiveMarkRow.device_id == recording.device_id, LiveMarkRow.mark_id.is_(None))
    spans = [(row, _span(session, row, recording, take)) for row in session.scalars(waiting)]
    for row, span in spans:
        if span is not None:
            _mark(session, row, take, span)
    if any(span is not None for _, span in spans):
        rejudge(session, take.device_id, detectors_of_device(session, take.device_id))


def lacking(session: Session, row: LiveMarkRow) -> str:
    """Return what a verdict lacks to be evidence; empty: it is a mark on a take."""
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
            rejudge(session, take.device_id, detectors_of_device(session, take.device_id))
            return


def _span(session: Session, row: LiveMarkRow, recording: RecordingRow, take: TakeRow) -> tuple[float, float] | None:
    """(from, to) in s of the take; None where it does not lie on it. Of an event by the device's own clock."""
    start = (row.start - recording.start).total_seconds()
    lasted: float | None = (row.end - row.start).total_seconds()
    event = session.get(EventRow, row.event_id) if row.event_id is not None else None
    if event is not None:
        start = start if event.device_t is None else event.device_t - recording.t0
        lasted = None if event.cleared_at is None else (event.cleared_at - event.raised_at).total_seconds()
    if not -NEAR_S <= start <= take.length_s + NEAR_S:
        return None
    start = min(max(start, 0.0), take.length_s)
    ends = None if lasted is None else start + lasted
    return span_of(start, ends, length_s=take.length_s, interval_s=max(take.interval_s, SHORTEST_S))


def _mark(session: Session, row: LiveMarkRow, take: TakeRow, span: tuple[float, float]) -> None:
    detector = session.get_one(DetectorRow, row.detector_id)
    start, end = span
    if end <= start:  # at the very end of the take
        start = max(end - SHORTEST_S, 0.0)
    note = "missed live" if row.verdict == "missed" else f"was {row.verdict}, live"
    lead_s = open_for(start, site_of(session, take.device.site_id).lead_s) if row.verdict == "right" else 0.0
    made = Mark(round(start, 6), round(end, 6), LABEL_OF[row.verdict], detector.name, note, round(lead_s, 6))
    [mark] = add_marks(session, take, [made])
    row.mark_id = mark.id
    session.flush()
