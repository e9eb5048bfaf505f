"""What can be done with timetables and links."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, LanternError, Refused
from lantern.core.linking.links import LinkRule
from lantern.core.logic.timetable import Timetable
from lantern.formats.documents import read_model
from lantern.links.tables import LinkRow, TimetableRow, timetables_of
from lantern.survey.tables import outputs_of
from lantern.tune.tables import DetectorRow


class StaleVersionError(LanternError):
    """Someone else changed it meanwhile; nothing was overwritten."""


Versioned = TypeVar("Versioned", LinkRow, TimetableRow)


def unchanged(session: Session, table: type[Versioned], row_id: int, base: int) -> Versioned | None:
    """The row, locked, if it is still as whoever changes it has seen it. Raises `StaleVersionError`."""
    row = session.get(table, row_id, with_for_update=True)
    if row is not None and row.version != base:
        raise StaleVersionError(
            f"{row.name} was changed meanwhile (version {row.version}; yours began from {base}). "
            "Reload the page to see it, then make your change again."
        )
    return row


def save_timetable(
    session: Session, site_id: int, document: dict[str, Any], *, timetable_id: int | None, base: int = 0
) -> TimetableRow:
    """Make or change a timetable. Its hours may be empty, which means never; links and detectors keep it through a change of name.

    Raises `StaleVersionError` where `base` is not the version that is to be changed.
    """
    model = read_model(Timetable, document, where="timetable")
    clash = session.scalar(select(TimetableRow).where(TimetableRow.site_id == site_id, TimetableRow.name == model.name))
    if clash is not None and clash.id != timetable_id:
        raise Refused([Fault("timetable: name", f"{model.name!r} is taken", "a name of its own on this site")])
    row = None if timetable_id is None else unchanged(session, TimetableRow, timetable_id, base)
    if row is None:
        row = TimetableRow(site_id=site_id, name=model.name, body={}, version=0)
        session.add(row)
    elif row.name != model.name:
        for link in session.scalars(select(LinkRow).where(LinkRow.site_id == site_id)):
            if link.body.get("timetable") == row.name:
                link.body = link.body | {"timetable": model.name}
        for detector in session.scalars(select(DetectorRow).where(DetectorRow.site_id == site_id)):
            if detector.body.get("timetable") == row.name:
                detector.body = detector.body | {"timetable": model.name}
    row.name, row.body, row.version = model.name, model.model_dump(mode="json"), row.version + 1
    session.flush()
    return row


def save_link(
    session: Session, detector: DetectorRow, document: dict[str, Any], *, link_id: int | None, base: int = 0
) -> LinkRow:
    """Make or change a link of a detector. Its outputs and timetable must exist on the site.

    Raises `StaleVersionError` where `base` is not the version that is to be changed.
    """
    site_id = detector.device.site_id
    model = read_model(LinkRule, {**document, "detector": detector.name}, where="link")
    faults = FaultList()
    outputs = {output.name: output for _, output in outputs_of(session, site_id)}
    for effect in model.effects:
        if effect.output not in outputs:
            faults.add("link: effects", f"no output {effect.output!r}", f"one of {', '.join(outputs) or 'none yet'}")
        elif effect.flash_hz is not None and outputs[effect.output].what != "beacon":
            faults.add(f"link: {effect.output}", "a relay does not flash", "flash_hz for a beacon only")
    timetables = {row.name for row in timetables_of(session, site_id)}
    if model.timetable is not None and model.timetable not in timetables:
        faults.add(
            "link: timetable", repr(model.timetable), f"empty (always), or one of {', '.join(sorted(timetables))}"
        )
    clash = session.scalar(select(LinkRow).where(LinkRow.site_id == site_id, LinkRow.name == model.name))
    if clash is not None and clash.id != link_id:
        faults.add("link: name", f"{model.name!r} is taken", "a name of its own on this site")
    faults.refuse_if_any()
    row = None if link_id is None else unchanged(session, LinkRow, link_id, base)
    if row is None:
        row = LinkRow(site_id=site_id, detector_id=detector.id, name=model.name, body={}, version=0)
        session.add(row)
    row.name, row.body, row.version = model.name, model.model_dump(mode="json"), row.version + 1
    session.flush()
    return row
