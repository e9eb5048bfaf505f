"""What can be done with timetables and links."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.kinds import kind_of
from lantern.core.linking.inputs import SOURCES
from lantern.core.linking.links import LinkRule
from lantern.core.logic.timetable import Timetable
from lantern.formats.documents import read_model
from lantern.links.tables import Cause, InputCause, LinkRow, TimetableRow, named, timetables_of
from lantern.recordings.tables import plans_by
from lantern.register.tables import inputs_of, outputs_of
from lantern.revisions import (
    RevisionRow,
    StaleRevisionError,
    check_reason,
    hold,
    keep,
    keep_alike,
    remove,
    restored,
    revisions_of,
)
from lantern.tune.tables import detectors_named, detectors_of_site

MADE, DELETED = "Made.", "Deleted."
Held = TypeVar("Held", LinkRow, TimetableRow)


def held(session: Session, table: type[Held], row_id: int, base: int) -> Held | None:
    """Return the row, locked, if it is still as whoever changes it has seen it. Raises `StaleRevisionError`."""
    row = session.get(table, row_id)
    if row is not None:
        hold(session, row, base)
    return row


def save_timetable(
    session: Session,
    site_id: int,
    document: dict[str, Any],
    *,
    timetable_id: int | None,
    base: int = 0,
    reason: str = MADE,
    user_id: int | None = None,
) -> TimetableRow:
    """Make or change a timetable. Its hours may be empty, which means never; links and detectors keep it through a change of name.

    Raises `StaleRevisionError` where `base` is not the revision that is to be changed.
    """
    model = read_model(Timetable, document, where="timetable")
    check_reason(reason)
    clash = session.scalar(select(TimetableRow).where(TimetableRow.site_id == site_id, TimetableRow.name == model.name))
    if clash is not None and clash.id != timetable_id:
        raise Refused([Fault("timetable: name", f"{model.name!r} is taken", "a name of its own on this site")])
    row = None if timetable_id is None else held(session, TimetableRow, timetable_id, base)
    if row is None:
        row = TimetableRow(id=timetable_id, site_id=site_id, revision=base)
    elif row.name != model.name:
        _rename_timetable(session, row, model.name, user_id)
    keep(session, row, model.model_dump(mode="json"), reason=reason, user_id=user_id)
    return row


def _rename_timetable(session: Session, row: TimetableRow, name: str, user_id: int | None) -> None:
    """Links, detectors and the hours of recordings, which name it, go along."""
    reason = f"{row.name} is called {name} now."
    for link in session.scalars(select(LinkRow).where(LinkRow.site_id == row.site_id)):
        if link.body.get("timetable") == row.name:
            keep(session, link, link.body | {"timetable": name}, reason=reason, user_id=user_id)
    for detector in detectors_of_site(session, row.site_id, retired=True):
        if detector.body.get("timetable") == row.name:
            keep_alike(session, detector, detector.body | {"timetable": name}, reason=reason, user_id=user_id)
    for plan in plans_by(session, row.site_id, row.name):
        plan.timetable = name


def save_link(
    session: Session,
    cause: Cause,
    document: dict[str, Any],
    *,
    link_id: int | None,
    base: int = 0,
    reason: str = MADE,
    user_id: int | None = None,
) -> LinkRow:
    """Make or change a link of a detector or an input. Its outputs and timetable must exist on the site.

    Raises `StaleRevisionError` where `base` is not the revision that is to be changed.
    """
    site_id = cause.site_id
    model = read_model(LinkRule, document | named(cause), where="link")
    faults = FaultList()
    if model.input is not None:
        _check_input(session, site_id, model, faults)
    if not isinstance(cause, InputCause) and not kind_of(cause.kind).raises:
        faults.add("link: detector", f"a {cause.kind} detector raises nothing", "one that raises, or an input")
    outputs = {output.name: output for _, output in outputs_of(session, site_id)}
    for effect in model.effects:
        if effect.output not in outputs:
            faults.add("link: effects", f"no output {effect.output!r}", f"one of {', '.join(outputs) or 'none yet'}")
        elif effect.flash_hz is not None and not outputs[effect.output].flashes:
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
    check_reason(reason)
    row = None if link_id is None else held(session, LinkRow, link_id, base)
    if row is None:
        of = {"input": cause.name} if isinstance(cause, InputCause) else {"detector_id": cause.id}
        row = LinkRow(id=link_id, site_id=site_id, revision=base, **of)
    keep(session, row, model.model_dump(mode="json"), reason=reason, user_id=user_id)
    return row


def _check_input(session: Session, site_id: int, model: LinkRule, faults: FaultList) -> None:
    inputs = {each.name for _, each in inputs_of(session, site_id)}
    if model.input not in inputs:
        faults.add("link: input", repr(model.input), f"one of {', '.join(sorted(inputs)) or 'none yet'}")
    if model.region is not None and model.region not in SOURCES:
        faults.add("link: region", repr(model.region), f"of an input: empty, or one of {', '.join(SOURCES)}")
    if model.lists:
        faults.add("link: lists", ", ".join(model.lists), "none: an input matches no list")


def delete_timetable(session: Session, row: TimetableRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while links, detectors or recordings go by it."""
    links = session.scalars(select(LinkRow).where(LinkRow.site_id == row.site_id))
    detectors = detectors_of_site(session, row.site_id, retired=True)
    users = [user.name for user in (*links, *detectors) if user.body.get("timetable") == row.name]
    users += [f"the recording of {plan.device.code}" for plan in plans_by(session, row.site_id, row.name)]
    if users:
        what = f"{row.name} is used by {', '.join(users)}"
        raise Refused([Fault("timetable", what, "one that nothing goes by: give them another first")])
    remove(session, row, reason=reason, user_id=user_id)


def restore(session: Session, saved: RevisionRow, *, base: int, user_id: int | None) -> None:
    """Save an old state of a link or a timetable anew; one that was deleted is there again.

    Raises `StaleRevisionError` where `base` is not its newest revision, `Refused` for what no longer fits the site.
    """
    document = saved.document
    newest = revisions_of(session, saved.what, [saved.subject_id])[0]
    if newest.number != base:
        raise StaleRevisionError(f"{newest.name} was changed meanwhile. Reload the page to see it, then restore again.")
    reason = restored(saved.number, saved)
    if saved.what == TimetableRow.WHAT:
        save_timetable(
            session,
            saved.site_id,
            document,
            timetable_id=saved.subject_id,
            base=base,
            reason=reason,
            user_id=user_id,
        )
        return
    if document.get("input") is not None:
        cause: Cause = InputCause(saved.site_id, document["input"])
        save_link(session, cause, document, link_id=saved.subject_id, base=base, reason=reason, user_id=user_id)
        return
    name = document["detector"]
    detector = detectors_named(session, saved.site_id, [name]).get(name)
    if detector is None:
        raise Refused([Fault("revision", f"there is no detector {name!r} any more", "one that is there")])
    save_link(session, detector, document, link_id=saved.subject_id, base=base, reason=reason, user_id=user_id)
