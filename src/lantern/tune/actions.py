"""What can be done with detectors: make, judge, save as a revision, restore."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.merging import Side, merged
from lantern.core.tuning.measures import Card
from lantern.links.following import follow
from lantern.links.tables import hours_of
from lantern.lists.actions import take_over_lists
from lantern.register.tables import DeviceRow
from lantern.register.units import recheck
from lantern.revisions import RevisionRow, check_reason, hold, keep, restored, revision
from lantern.takes.tables import TakeRow, evidence_of_device, take_over_marks, takes_of_device
from lantern.tune.judging import marks, subject
from lantern.tune.tables import DetectorRow


def add_detector(
    session: Session, *, device_id: int, detector: Detector, reason: str, user_id: int | None, checked: bool = True
) -> DetectorRow:
    """A new detector with its first revision. Not `checked`: whoever adds many calls `recheck` after the last."""
    kind_of(detector.kind).read_dials(detector)
    site_id = session.get_one(DeviceRow, device_id).site_id
    hours_of(session, site_id, detector)
    _check_name(session, site_id, detector.name, None)
    row = DetectorRow(site_id=site_id, device_id=device_id, name=detector.name, kind=detector.kind, revision=0, body={})
    session.add(row)
    session.flush()
    take_over_marks(session, row.site_id, row.name, row.id)
    save_revision(session, row, detector, reason=reason, user_id=user_id, base=0, checked=checked)
    return row


def _check_name(session: Session, site_id: int, name: str, detector_id: int | None) -> None:
    """Links, marks and site files name detectors: no two of a site share a name."""
    query = select(DetectorRow.id).where(DetectorRow.site_id == site_id, DetectorRow.name == name)
    held = session.scalar(query)
    if held is not None and held != detector_id:
        raise Refused([Fault("detector: name", f"{name!r} is taken", "a name of its own on this site")])


def _rename(session: Session, row: DetectorRow, name: str, user_id: int | None) -> None:
    """Links, compounds and what is expected go along; marks speak of it by its number."""
    follow(session, row.site_id, "detector", {row.name: name}, user_id)
    row.name = name
    take_over_marks(session, row.site_id, row.name, row.id)


def save_revision(
    session: Session,
    row: DetectorRow,
    detector: Detector,
    *,
    reason: str,
    user_id: int | None,
    base: int,
    checked: bool = True,
) -> RevisionRow:
    """Save a state with its reason and how it scores on every take of the device. `checked`: see `add_detector`. Refused if
    `base` is not the latest.
    """
    check_reason(reason)
    hold(session, row, base)
    hours_of(session, row.site_id, detector)
    if row.name != detector.name:
        _check_name(session, row.site_id, detector.name, row.id)
        _rename(session, row, detector.name, user_id)
    detector = take_over_lists(session, row.site_id, detector, reason=reason, user_id=user_id)
    detector = detector.model_copy(update={"device": row.device.code})
    scores = scores_on_takes(session, detector, row.device_id)
    row.kind = detector.kind
    row.verdict = verdict(session, row, scores)
    body = detector.model_dump(mode="json")
    saved = keep(session, row, body, reason=reason, user_id=user_id, facts={"scores": scores})
    if checked:
        recheck(session, row.site_id)
    return saved


def merge_revision(
    session: Session,
    row: DetectorRow,
    detector: Detector,
    *,
    reason: str,
    user_id: int | None,
    base: int,
    over: int,
    choices: Mapping[str, Side],
) -> RevisionRow:
    """Save what was made of revision `base` over `over`, which somebody saved meanwhile: what only one of the two changed is
    taken from it, the rest as chosen. Refused if `over` is not the latest.
    """
    session.refresh(row, with_for_update=True)
    began = revision(session, row.WHAT, row.id, base)
    if began is None or not base <= over:
        raise Refused([Fault("base", f"{row.name} has no revision {base}", f"1 to {row.revision}")])
    whole = merged(detector_of(began.document), row.model, detector, choices)
    return save_revision(session, row, whole, reason=reason, user_id=user_id, base=over)


def restore_revision(session: Session, row: DetectorRow, number: int, *, user_id: int | None, base: int) -> RevisionRow:
    """Save an old state anew; nothing is lost in between. Refused if `base` is not the latest."""
    old = revision(session, row.WHAT, row.id, number)
    if old is None:
        raise Refused([Fault("revision", f"{row.name} has no revision {number}", f"1 to {row.revision}")])
    detector = detector_of(old.document)
    return save_revision(session, row, detector, reason=restored(number, old), user_id=user_id, base=base)


def scores_on_takes(session: Session, detector: Detector, device_id: int) -> list[dict[str, Any]]:
    """The score card on each take of the device that the detector can look at."""
    out = []
    for take in evidence_of_device(session, device_id):
        if take.signal in kind_of(detector.kind).signals:
            card = card_on(session, detector, take)
            out.append({"take": take.id, "name": take.name, "card": card.as_dict()})
    return out


def card_on(session: Session, detector: Detector, take: TakeRow) -> Card:
    return subject(session, detector, take).card(marks(session, take.id))


def rejudge(session: Session, device_id: int, rows: list[DetectorRow]) -> None:
    """Bring the verdicts of the rail up to date after marks or takes changed."""
    for row in rows:
        if row.device_id == device_id:
            row.verdict = verdict(session, row, scores_on_takes(session, row.model, device_id))


def verdict(session: Session, row: DetectorRow, scores: list[dict[str, Any]]) -> str:
    """Return how a detector stands, in a word for the rail: over all takes of its device that say something."""
    kind = kind_of(row.kind)
    if not scores and any(take.signal in kind.signals for take in takes_of_device(session, row.device_id)):
        return "no marks"  # recordings on which nobody has said yet what should raise
    return kind.yardstick.standing([kind.yardstick.card_of(score["card"]) for score in scores])


def changed_keys(before: dict[str, Any], after: dict[str, Any], kind: str) -> list[dict[str, Any]]:
    """Return what differs between two states: dials (defaults filled in), regions and timetable, before and after."""
    model = kind_of(kind).dials
    old, new = (model.model_validate(body.get("dials", {})).model_dump() for body in (before, after))
    out = [{"what": name, "before": old[name], "after": new[name]} for name in old if old[name] != new[name]]
    for key in ("regions", "timetable", "channel"):
        if before.get(key) != after.get(key):
            out.append({"what": key, "before": _shown(before.get(key)), "after": _shown(after.get(key))})
    return out


def _shown(value: Any) -> str:
    if isinstance(value, list):
        return "; ".join(f"{r['name']}: {r['shape']} of {len(r['points'])} points" for r in value)
    return str(value or "none")
