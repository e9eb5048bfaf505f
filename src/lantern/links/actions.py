"""What can be done with timetables and links."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.kinds import kind_of
from lantern.core.linking.inputs import SOURCES
from lantern.core.linking.links import LinkRule, Sort
from lantern.core.logic.timetable import Timetable
from lantern.formats.documents import read_model
from lantern.links.following import by_timetable, follow
from lantern.links.names import names_on
from lantern.links.tables import (
    Cause,
    CompoundRow,
    LinkRow,
    NamedCause,
    TimetableRow,
    named,
    rows_of,
    timetables_of,
)
from lantern.plan.actions import plan_model
from lantern.recordings.tables import plans_by
from lantern.register.tables import inputs_of
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
Held = TypeVar("Held", LinkRow, TimetableRow, CompoundRow)


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
    model = read_model(Timetable, placed(session, site_id, document), where="timetable")
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


def placed(session: Session, site_id: int, document: dict[str, Any]) -> dict[str, Any]:
    """Return a timetable's document with where the site lies, if it needs that and does not say it. Raises `Refused` where the plan does not
    say it either.
    """
    if not document.get("sun") or document.get("latitude") is not None:
        return document
    plan = plan_model(session, site_id)
    if plan.latitude is None or plan.longitude is None:
        what = "hours by the sun, and nobody knows where the site lies"
        raise Refused([Fault("timetable: sun", what, "latitude and longitude of the plan's origin, at Plan")])
    return document | {"latitude": plan.latitude, "longitude": plan.longitude}


def _rename_timetable(session: Session, row: TimetableRow, name: str, user_id: int | None) -> None:
    """All that names it goes along: links, compounds, devices, detectors, the hours of recordings."""
    reason = f"{row.name} is called {name} now."
    follow(session, row.site_id, "timetable", {row.name: name}, user_id)
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
    if not isinstance(cause, NamedCause) and not kind_of(cause.kind).raises:
        faults.add(
            "link: detector", f"a {cause.kind} detector raises nothing", "one that raises, an input or a compound"
        )
    names_on(session, site_id).check_effects("link", model, faults)
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
        row = LinkRow(id=link_id, site_id=site_id, revision=base)
    row.detector_id = None if isinstance(cause, NamedCause) else cause.id
    row.input, row.compound = model.input, model.compound
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
    users += by_timetable(session, row.site_id, row.name)
    users += [f"the recording of {plan.device.code}" for plan in plans_by(session, row.site_id, row.name)]
    if users:
        what = f"{row.name} is used by {', '.join(users)}"
        raise Refused([Fault("timetable", what, "one that nothing goes by: give them another first")])
    remove(session, row, reason=reason, user_id=user_id)


def restore(session: Session, saved: RevisionRow, *, base: int, user_id: int | None) -> None:
    """Save an old state of a link or a timetable anew; one that was deleted is there again.

    Raises `StaleRevisionError` where `base` is not its newest revision, `Refused` for what no longer fits the site.
    """
    newest = revisions_of(session, saved.what, [saved.subject_id])[0]
    if newest.number != base:
        raise StaleRevisionError(f"{newest.name} was changed meanwhile. Reload the page to see it, then restore again.")
    save_state(
        session,
        saved.site_id,
        saved.what,
        saved.document,
        subject_id=saved.subject_id,
        base=base,
        reason=restored(saved.number, saved),
        user_id=user_id,
    )


def save_state(
    session: Session,
    site_id: int,
    what: str,
    document: dict[str, Any],
    *,
    subject_id: int,
    base: int,
    reason: str,
    user_id: int | None,
) -> None:
    """Save a state of a link or a timetable, by the cause that its document names. Raises as `save_link` and `save_timetable` do."""
    if what == TimetableRow.WHAT:
        save_timetable(session, site_id, document, timetable_id=subject_id, base=base, reason=reason, user_id=user_id)
        return
    save_link_of(session, site_id, document, link_id=subject_id, base=base, reason=reason, user_id=user_id)


def save_link_of(
    session: Session,
    site_id: int,
    document: dict[str, Any],
    *,
    link_id: int | None,
    base: int = 0,
    reason: str = MADE,
    user_id: int | None = None,
) -> LinkRow:
    """Make or change a link of the cause that its document names. Raises as `save_link` does."""
    return save_link(
        session,
        _cause_of(session, site_id, document),
        document,
        link_id=link_id,
        base=base,
        reason=reason,
        user_id=user_id,
    )


def _cause_of(session: Session, site_id: int, document: dict[str, Any]) -> Cause:
    """Raises `Refused` for a detector or a compound that is not there; an input is looked for when the link is saved."""
    name = document.get("detector")
    if name is not None:
        detector = detectors_named(session, site_id, [str(name)]).get(str(name))
        if detector is None:
            raise Refused([Fault("link: detector", f"there is no {name!r}", "a detector that is there")])
        return detector
    of: Sort = "input" if document.get("input") is not None else "compound"
    if document.get(of) is None:
        raise Refused([Fault("link: detector", "is not given, nor input, nor compound", "one of them")])
    there = {row.name for row in rows_of(session, CompoundRow, site_id)}
    if of == "compound" and document[of] not in there:
        known = ", ".join(sorted(there)) or "none yet"
        raise Refused([Fault("link: compound", f"there is no {document[of]!r}", f"one of {known}")])
    return NamedCause(site_id, of, str(document[of]))
