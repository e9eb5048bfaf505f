"""What can be done with compounds and messages of a site: made, changed, taken away."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.effects.message import Message
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.logic.compounds import Compound, ordered
from lantern.formats.documents import read_model
from lantern.links.actions import MADE, held
from lantern.links.following import follow
from lantern.links.names import names_on
from lantern.links.tables import CompoundRow, LinkRow, MessageRow, NamedCause, links_of_named, links_of_site, rows_of
from lantern.revisions import check_reason, keep, remove


def save_compound(
    session: Session,
    site_id: int,
    document: dict[str, Any],
    *,
    compound_id: int | None,
    base: int = 0,
    reason: str = MADE,
    user_id: int | None = None,
) -> CompoundRow:
    """Make or change a compound; links and compounds that listen to it follow a new name. Raises `Refused` for names that lead
    nowhere and for a circle, `StaleRevisionError` where `base` is not the revision that is to be changed.
    """
    model = read_model(Compound, document, where="compound")
    check_reason(reason)
    rows = rows_of(session, CompoundRow, site_id)
    others = [row.model for row in rows if row.id != compound_id]
    faults = FaultList()
    if any(each.name == model.name for each in others):
        faults.add("compound: name", f"{model.name!r} is taken", "a name of its own on this site")
    names_on(session, site_id).check_compounds([model], faults)
    faults.refuse_if_any()
    ordered([*others, model])
    row = None if compound_id is None else held(session, CompoundRow, compound_id, base)
    if row is None:
        row = CompoundRow(id=compound_id, site_id=site_id, revision=base)
    elif row.name != model.name:
        follow(session, site_id, "compound", {row.name: model.name}, user_id)
    keep(session, row, model.model_dump(mode="json"), reason=reason, user_id=user_id)
    return row


def delete_compound(session: Session, row: CompoundRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while links or other compounds listen to it."""
    users = [link.name for link in links_of_named(session, NamedCause(row.site_id, "compound", row.name))]
    for other in rows_of(session, CompoundRow, row.site_id):
        users += [other.name for part in other.model.parts if part.compound == row.name]
    if users:
        what = f"{', '.join(users)} listens to {row.name}"
        raise Refused([Fault("compound", what, "one that nothing listens to")])
    remove(session, row, reason=reason, user_id=user_id)


def save_message(
    session: Session, site_id: int, document: dict[str, Any], *, reason: str = MADE, user_id: int | None = None
) -> MessageRow:
    """Make a message of the site, or change the one of that name."""
    model = read_model(Message, document, where="message")
    rows = {row.name: row for row in rows_of(session, MessageRow, site_id)}
    row = rows.get(model.name) or MessageRow(site_id=site_id, revision=0)
    keep(session, row, model.model_dump(mode="json"), reason=reason, user_id=user_id)
    return row


def delete_message(session: Session, row: MessageRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while a link says it."""
    users = [link.name for link in links_of_site(session, row.site_id) if _says(link, row.name)]
    if users:
        raise Refused([Fault("message", f"{', '.join(users)} says {row.name}", "one that no link says")])
    remove(session, row, reason=reason, user_id=user_id)


def _says(link: LinkRow, name: str) -> bool:
    return any(effect.get("message") == name for effect in link.body["effects"])
