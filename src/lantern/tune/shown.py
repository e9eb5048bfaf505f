"""Detectors and takes as the pages of several stages look them up and show them."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

from fastapi import HTTPException
from sqlalchemy.orm import Session

from lantern.core.dials import DialInfo, describe
from lantern.core.events import Detector
from lantern.core.kinds import kind_of
from lantern.core.units import Scale
from lantern.formats.documents import read_model
from lantern.takes.tables import TakeRow, takes_of_device
from lantern.tune.drafts import Draft
from lantern.tune.tables import DetectorRow


def get_detector(session: Session, detector_id: int) -> DetectorRow:
    row = session.get(DetectorRow, detector_id)
    if row is None:
        raise HTTPException(404, f"There is no detector {detector_id}.")
    return row


def take_for(session: Session, row: DetectorRow, take_id: int | None) -> TakeRow | None:
    """The take asked for, if it is one of the detector's device; else the first there is."""
    takes = takes_of_device(session, row.device_id)
    if take_id is None:
        return takes[0] if takes else None
    found = next((take for take in takes if take.id == take_id), None)
    if found is None:
        raise HTTPException(404, f"Device {row.device.code} has no take {take_id}.")
    return found


def drafted(session: Session, detector_id: int, draft: Draft) -> tuple[DetectorRow, TakeRow, Detector]:
    """The state that a page holds, with what it is of."""
    row = get_detector(session, detector_id)
    take = take_for(session, row, draft.take)
    assert take is not None
    return row, take, read_model(Detector, draft.detector, where="detector")


def dial_shown(info: DialInfo, scale: Scale) -> dict[str, Any]:
    """A dial as the page needs it: its allowed range also in words, in the user's scale."""
    quantity = scale.of(info.unit, difference=info.difference)
    return info.as_dict() | {
        "flag": isinstance(info.default, bool),
        "allowed": info.allowed(quantity),
        "shown": quantity.as_dict(),
    }


def changes_shown(changes: list[dict[str, Any]], kind: str, scale: Scale) -> list[dict[str, str]]:
    """What differs between two states, with the dials' labels and in the user's scale."""
    infos = {info.name: info for info in describe(kind_of(kind).dials)}

    def worded(name: str, value: Any) -> str:
        if value is None:
            return "empty"
        if isinstance(value, bool):
            return "yes" if value else "no"
        info = infos.get(name)
        if info is None or not info.numeric:
            return str(value)
        return scale.of(info.unit, difference=info.difference).text(value)

    return [
        {
            "what": infos[c["what"]].label if c["what"] in infos else str(c["what"]).capitalize(),
            "before": worded(c["what"], c["before"]),
            "after": worded(c["what"], c["after"]),
        }
        for c in changes
    ]


def take_shown(take: TakeRow, zone: str) -> dict[str, Any]:
    offset = take.start.astimezone(ZoneInfo(zone)).utcoffset()
    assert offset is not None
    return {
        "id": take.id,
        "name": take.name,
        "kind": take.kind,
        "start": take.start.timestamp(),
        "offsetS": offset.total_seconds(),
        "lengthS": take.length_s,
        "samples": take.samples,
        "width": take.width,
        "height": take.height,
        "intervalS": take.interval_s,
        "scale": take.scale,
        "offsetC": take.offset_c,
        "dtype": take.dtype,
    }
