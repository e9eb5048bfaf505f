"""What can be done with findings: accept one, take that back, mend one by its quick fix, undo that, say that all are seen."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.preflight.finding import Fix
from lantern.core.preflight.rules import preflight
from lantern.db.base import now
from lantern.links.actions import restore, save_state
from lantern.links.tables import LinkRow, TimetableRow, row_named
from lantern.people.tables import User
from lantern.preflight.looking import checked_of, look
from lantern.preflight.tables import AcceptedRow, SeenRow, accepted_at
from lantern.register.devices import change_device, restore_device
from lantern.register.documents import document_of
from lantern.register.history import WHAT as DEVICE
from lantern.register.tables import DeviceRow, device_by_code
from lantern.revisions import RevisionRow, revisions_of
from lantern.sites.tables import SiteRow

GONE = "it is found no more: somebody mended it, or it says something else"


class Done(NamedTuple):
    """A quick fix that was taken: what it was, and the state before it, which an undo brings back."""

    label: str
    revision_id: int
    number: int  # of the state that it made


# ---- accepted --------------------------------------------------------------------------------------------------------


def accept(session: Session, site_id: int, rule: str, at: str, *, because: str, user: User) -> AcceptedRow:
    """Somebody lives with a finding, as it is now. Raises `Refused` without a reason, and where it is found no more."""
    if not because.strip():
        raise Refused([Fault("because", "is empty", "why one can live with it, for whoever reads it next")])
    found = _found(session, site_id, rule, at)
    row = accepted_at(session, site_id, rule, at) or AcceptedRow(site_id=site_id, rule=rule, at=at)
    row.because, row.by, row.on, row.what = because.strip(), user.name, now().date().isoformat(), found["what"]
    session.add(row)
    session.flush()
    return row


def take_back(session: Session, site_id: int, rule: str, at: str) -> None:
    """Nobody lives with it any more. Raises `Refused` where nobody did."""
    row = accepted_at(session, site_id, rule, at)
    if row is None:
        raise Refused([Fault("finding", f"{rule} is not accepted", "one that is")])
    session.delete(row)
    session.flush()


def _found(session: Session, site_id: int, rule: str, at: str) -> dict[str, Any]:
    for each in look(session, site_id).findings:
        if (each["rule"], each["at"]) == (rule, at):
            told: dict[str, Any] = each
            return told
    raise Refused([Fault("finding", GONE, "the page anew")])


def note_seen(session: Session, site_id: int, user_id: int) -> None:
    """All that is found by now is new to them no more."""
    session.merge(SeenRow(user_id=user_id, site_id=site_id, at=now()))


# ---- mended ----------------------------------------------------------------------------------------------------------


def mend(session: Session, site_id: int, rule: str, at: str, *, user_id: int | None) -> Done:
    """Take the quick fix of a finding, as a revision of what it changes. Raises `Refused` where there is none any more."""
    for each in preflight(checked_of(session, session.get_one(SiteRow, site_id))):
        if (each.finding.rule, each.finding.at) == (rule, at) and each.finding.fix is not None:
            return _mended(session, site_id, each.finding.fix, f"Preflight: {each.finding.what}.", user_id)
    raise Refused([Fault("finding", GONE, "the page anew")])


def _mended(session: Session, site_id: int, fix: Fix, reason: str, user_id: int | None) -> Done:
    if fix.of == "device":
        device = device_by_code(session, site_id, fix.name)
        assert device is not None  # it was found a moment ago, in this transaction
        document = fix.changed(document_of(device))
        own = {str(path[0]): document[str(path[0])] for path, _ in fix.sets}
        change_device(session, device, own, place=device.place, user_id=user_id, reason=reason)
        return _done(session, fix, DEVICE, device.id)
    row: LinkRow | TimetableRow = (
        row_named(session, LinkRow, site_id, fix.name)
        if fix.of == "link"
        else row_named(session, TimetableRow, site_id, fix.name)
    )
    save_state(
        session, site_id, row.WHAT, fix.changed(row.body), subject_id=row.id, base=row.revision, reason=reason,
        user_id=user_id,
    )  # fmt: skip
    return _done(session, fix, row.WHAT, row.id)


def _done(session: Session, fix: Fix, what: str, subject_id: int) -> Done:
    newest, before, *_ = revisions_of(session, what, [subject_id])
    return Done(fix.label, before.id, newest.number)


def undo(session: Session, site_id: int, revision_id: int, number: int, *, user_id: int | None) -> None:
    """Bring the state before a quick fix back. `number`: of the state that the fix made; refused where a newer one is there."""
    saved = session.get(RevisionRow, revision_id)
    if saved is None or saved.site_id != site_id or saved.what not in (DEVICE, LinkRow.WHAT, TimetableRow.WHAT):
        raise Refused([Fault("revision", f"no quick fix began from revision {revision_id}", "the page anew")])
    if saved.what != DEVICE:
        restore(session, saved, base=number, user_id=user_id)
        return
    if revisions_of(session, DEVICE, [saved.subject_id])[0].number != number:
        raise Refused([Fault("revision", f"{saved.name} was changed meanwhile", "its own page, with its history")])
    restore_device(session, session.get_one(DeviceRow, saved.subject_id), saved, user_id=user_id)
