"""What somebody says of takes: marks, what things truly were, counts by hand; made, changed, taken from files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, cast, get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.counted import CountedByHand
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.scoring.marking import open_for
from lantern.core.scoring.marks import Label, Mark
from lantern.core.truths import Said
from lantern.signals.register import signal_of
from lantern.takes.tables import HandCountRow, MarkRow, TakeRow, TruthRow, keep_truth
from lantern.tune.tables import DetectorRow, detectors_named

BEYOND_S = 60.0  # an interval may end so long after the take: it was counted by a clock on the wall


def checked_mark(take: TakeRow, values: dict[str, Any]) -> Mark:
    """A mark that lies within the take."""
    faults = FaultList()
    start, end = float(values["start_s"]), float(values["end_s"])
    if not 0 <= start < end:
        faults.add("mark", f"from {start:g} s to {end:g} s", "an end after the start, and a start at 0 or later")
    elif float(values.get("lead_s", 0.0)) < 0:
        faults.add("mark: lead_s", f"{values['lead_s']:g} s", "0 or more: how long before its start it may have begun")
    elif start > take.length_s:
        faults.add("mark", f"starts at {start:g} s", f"within the take, which lasts {take.length_s:g} s")
    if values["label"] not in get_args(Label):
        faults.add("mark: label", repr(values["label"]), f"one of {', '.join(get_args(Label))}")
    faults.refuse_if_any()
    note, detector = str(values.get("note", "")), str(values.get("detector", ""))
    lead_s = open_for(start, float(values.get("lead_s", 0.0)))
    span = round(start, 3), round(min(end, take.length_s), 3)
    return Mark(*span, cast(Label, values["label"]), detector, note, round(lead_s, 3))


def add_marks(session: Session, take: TakeRow, marks: list[Mark]) -> list[MarkRow]:
    """Marks speak of a detector by its number, so that a new name loses none; one that the site does not have keeps its name."""
    rows = [
        MarkRow(take_id=take.id, start_s=m.start_s, end_s=m.end_s, label=m.label, note=m.note, lead_s=m.lead_s)
        for m in marks
    ]
    known = _detectors(session, take, [mark.detector for mark in marks])
    for row, mark in zip(rows, marks, strict=True):
        _speaks_of(row, mark.detector, known)
    session.add_all(rows)
    session.flush()
    return rows


def change_mark(session: Session, take: TakeRow, row: MarkRow, mark: Mark) -> None:
    row.start_s, row.end_s, row.label, row.note = mark.start_s, mark.end_s, mark.label, mark.note
    row.lead_s = mark.lead_s
    _speaks_of(row, mark.detector, _detectors(session, take, [mark.detector]))
    session.flush()


def _detectors(session: Session, take: TakeRow, names: Sequence[str]) -> dict[str, DetectorRow]:
    return detectors_named(session, take.device.site_id, names)


def _speaks_of(row: MarkRow, name: str, known: dict[str, DetectorRow]) -> None:
    row.of = known.get(name)
    row.named = "" if row.of is not None else name


def import_marks(session: Session, take: TakeRow, marks: list[Mark]) -> int:
    """Add the marks of a file; those that are there already are left as they are."""
    held = set(session.scalars(select(MarkRow).where(MarkRow.take_id == take.id)))
    known = {(m.start_s, m.end_s, m.label, m.detector) for m in held}
    late = [m for m in marks if m.start_s > take.length_s]
    if late:
        what = f"starts at {late[0].start_s:g} s"
        raise Refused([Fault("marks", what, f"marks within the take, which lasts {take.length_s:g} s")])
    fresh = [m for m in marks if (m.start_s, m.end_s, m.label, m.detector) not in known]
    add_marks(session, take, fresh)
    return len(fresh)


def import_truths(session: Session, take: TakeRow, truths: Sequence[Said], *, user_id: int | None = None) -> None:
    """Keep what a file says that things on a take truly were. Raises `Refused` for what is said of a time beyond it."""
    for said in truths:
        keep_said(session, take, said, user_id=user_id)


def keep_said(session: Session, take: TakeRow, said: Said, *, user_id: int | None) -> TruthRow:
    """Keep what a thing on a take truly was, as its signal keeps it. Raises `Refused`."""
    if said.at_s > take.length_s:
        what = f"{said.object} at {said.at_s:g} s"
        raise Refused([Fault("truth", what, f"a time within the take, which lasts {take.length_s:g} s")])
    text = signal_of(take.signal).true_text(said.text)
    return keep_truth(session, take.id, replace(said, text=text), user_id=user_id)


def import_counts(session: Session, take: TakeRow, counts: Sequence[CountedByHand]) -> list[HandCountRow]:
    """Keep what people counted by hand on a take. Raises `Refused` for what was counted at a time beyond it."""
    faults = FaultList()
    for each in counts:
        for t, way in each.passages:
            if not 0 <= t <= take.length_s:
                faults.add("tally", f"{way} at {t:g} s", f"within the take, which lasts {take.length_s:g} s")
        if any(interval.end_s > take.length_s + BEYOND_S for interval in each.intervals):
            faults.add("counts", "an interval ends after the take", f"within {take.length_s:g} s")
    faults.refuse_if_any()
    rows = [
        HandCountRow(
            take_id=take.id,
            who=each.who.strip(),
            passages=sorted([round(t, 3), way] for t, way in each.passages),
            intervals=[[c.start_s, c.end_s, c.into, c.out] for c in each.intervals],
        )
        for each in counts
    ]
    session.add_all(rows)
    session.flush()
    return rows
