"""A recording judged anew, beside what was live meanwhile."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.raising import Raising
from lantern.core.scoring.agreement import Agreement, Raised, agreement
from lantern.live.tables import events_between
from lantern.recordings.tables import RecordingRow
from lantern.revisions import revision
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow, detectors_of_device


def against_live(session: Session, row: RecordingRow) -> list[tuple[str, Agreement]]:
    """Return for each detector that ran live meanwhile how what it raised differs from what its revision raises on the
    recording.
    """
    take = row.take
    if take is None:
        raise Refused([Fault("recording", f"is {row.state}, and no take", "one that is over and whose take is there")])
    ends = row.t0 + row.length_s
    live: dict[tuple[int, int], list[Raised]] = {}
    for event in events_between(session, row.device_id, row.t0 - 1e-6, ends + 1e-6):
        assert event.device_t is not None and event.detector_id is not None
        one = Raised(event.device_t - row.t0, event.region or "", event.object)
        live.setdefault((event.detector_id, event.revision), []).append(one)
    for detector in detectors_of_device(session, row.device_id):
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
