"""Detectors and takes as the pages of several stages look them up and show them."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import HTTPException, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from lantern.core.dials import DialInfo, describe
from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.merging import DIAL, parts
from lantern.core.units import Scale
from lantern.formats.documents import detector_in
from lantern.register.units import channels_of
from lantern.revisions import revision
from lantern.signals.register import SIGNALS
from lantern.takes.store import readable
from lantern.takes.tables import TakeRow, takes_of_device
from lantern.tune.drafts import Draft
from lantern.tune.making import devices_for
from lantern.tune.tables import DetectorRow
from lantern.web.pages import render


def get_detector(session: Session, detector_id: int) -> DetectorRow:
    row = session.get(DetectorRow, detector_id)
    if row is None:
        raise HTTPException(404, f"There is no detector {detector_id}.")
    return row


def take_for(session: Session, row: DetectorRow, take_id: int | None) -> TakeRow | None:
    """The take asked for, if it is one that the detector can be judged on; else the first of those. None: there is none."""
    takes = judgeable(session, row)
    if take_id is None:
        return takes[0] if takes else None
    found = next((take for take in takes if take.id == take_id), None)
    if found is None:
        signals = " or ".join(kind_of(row.kind).signals)
        raise HTTPException(404, f"Device {row.device.code} has no take {take_id} of {signals}.")
    return found


def judgeable(session: Session, row: DetectorRow) -> list[TakeRow]:
    """Takes of the device that the detector's kind reads."""
    signals = kind_of(row.kind).signals
    return [take for take in takes_of_device(session, row.device_id) if take.signal in signals]


def told_beside(request: Request, session: Session, row: DetectorRow) -> dict[str, Any]:
    """Return what the pages of a detector say and offer besides its numbers."""
    first = revision(session, row.WHAT, row.id, 1) if "copied" in request.query_params else None
    told = {"kind": kind_of(row.kind), "copy_to": devices_for(session, row)}
    return told | {"copied": first.reason if first else "", "channels": channels_of(session, row.device)}


def render_without_evidence(request: Request, session: Session, row: DetectorRow, *, stage: str) -> HTMLResponse:
    """Return what evidence a detector lacks, and how to get it."""
    other = sorted({take.signal for take in takes_of_device(session, row.device_id)})
    evidence = " or ".join(SIGNALS[signal].words for signal in kind_of(row.kind).signals)
    beside = told_beside(request, session, row)
    return render(
        request, session, "bench_empty.html", stage=stage, detector=row, evidence=evidence, other=other, **beside
    )


def drafted(session: Session, detector_id: int, draft: Draft) -> tuple[DetectorRow, TakeRow, Any]:
    """The state that a page holds (of the model of its kind), with what it is of."""
    row = get_detector(session, detector_id)
    take = take_for(session, row, draft.take)
    assert take is not None
    return row, take, detector_in(draft.detector, where="detector")


def dials_shown(kind_name: str, signal: str, scale: Scale) -> list[dict[str, Any]]:
    """The dials of a kind as the page needs them, held against a take of this signal."""
    kind = kind_of(kind_name)
    return [_dial_shown(replace(info, unit=kind.dial_unit(info, signal)), scale) for info in describe(kind.dials)]


def _dial_shown(info: DialInfo, scale: Scale) -> dict[str, Any]:
    """Its allowed range also in words, in the user's scale."""
    quantity = scale.of(info.unit, difference=info.difference)
    return info.as_dict() | {
        "flag": isinstance(info.default, bool),
        "allowed": info.allowed(quantity),
        "shown": quantity.as_dict(),
    }


def changes_shown(changes: list[dict[str, Any]], kind: str, scale: Scale) -> list[dict[str, str]]:
    """Return what differs between two states, with the dials' labels and in the user's scale."""
    infos = {info.name: info for info in describe(kind_of(kind).dials)}
    return [
        {
            "what": infos[c["what"]].label if c["what"] in infos else str(c["what"]).capitalize(),
            "before": _worded(infos.get(c["what"]), c["before"], scale),
            "after": _worded(infos.get(c["what"]), c["after"], scale),
        }
        for c in changes
    ]


def merge_shown(session: Session, row: DetectorRow, own: Detector, *, base: int, scale: Scale) -> dict[str, Any]:
    """Return what two have changed since revision `base`: part by part, in words, with the side that is taken where
    only one did.
    """
    began, latest = (revision(session, row.WHAT, row.id, number) for number in (base, row.revision))
    if began is None or latest is None:
        raise Refused([Fault("base", f"{row.name} has no revision {base}", f"1 to {row.revision}")])
    infos = {f"{DIAL}{info.name}": info for info in describe(kind_of(row.kind).dials)}
    who = latest.user.name if latest.user else "somebody"
    return {
        "message": f"{who} saved revision {latest.number} of {row.name} meanwhile: {latest.reason}",
        "over": latest.number,
        "parts": [
            {
                "key": part.key,
                "what": infos[part.key].label if part.key in infos else part.key,
                "take": part.take,
                **{
                    side: _part_worded(infos.get(part.key), getattr(part, side), scale)
                    for side in ("base", "theirs", "own")
                },
            }
            for part in parts(detector_of(began.document), detector_of(latest.document), own)
        ],
    }


def _part_worded(info: DialInfo | None, value: Any, scale: Scale) -> str:
    if isinstance(value, Region):
        role = "" if value.role == "watch" else f" ({value.role})"
        return f"{value.shape}{role} " + " ".join(f"{x:g},{y:g}" for x, y in value.points)
    if isinstance(value, tuple):
        return ", ".join(str(each) for each in value)
    return "not there" if value is None and info is None else _worded(info, value, scale)


def _worded(info: DialInfo | None, value: Any, scale: Scale) -> str:
    if value is None:
        return "empty"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if info is None or not info.numeric:
        return str(value)
    return scale.of(info.unit, difference=info.difference).text(value)


def take_shown(take: TakeRow, zone: str) -> dict[str, Any]:
    """Return a take as the scripts of a page know it, with what its signal adds."""
    offset = take.start.astimezone(ZoneInfo(zone)).utcoffset()
    assert offset is not None
    signal = SIGNALS[take.signal]
    with readable(take):
        own = {"named": signal.named(take.facts), **signal.shown(take.facts)}
    return {
        "id": take.id,
        "name": take.name,
        "signal": take.signal,
        "space": asdict(signal.space),
        "ground": signal.ground,
        "framed": signal.framed,
        "still": take.still_type is not None,
        "start": take.start.timestamp(),
        "offsetS": offset.total_seconds(),
        "lengthS": take.length_s,
        "samples": take.samples,
        "width": take.width,
        "height": take.height,
        "intervalS": take.interval_s,
        **own,
    }
