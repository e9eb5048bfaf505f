"""Types of devices: those that ship, and a site's own, which are made, changed and deleted."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.register.device_type import DeviceType
from lantern.register.tables import DeviceRow, DeviceTypeRow
from lantern.register.units import recheck
from lantern.revisions import check_reason, hold, keep, remove


def save_type(
    session: Session,
    site_id: int,
    model: DeviceType,
    *,
    type_id: int | None,
    base: int = 0,
    reason: str,
    user_id: int | None,
) -> DeviceTypeRow:
    """Make or change a type of the site; devices keep it through a change of its name.

    Raises `StaleRevisionError` where `base` is not the revision that is to be changed, `Refused` for what is wrong with it.
    """
    check_reason(reason)
    clash = session.scalar(
        select(DeviceTypeRow).where(DeviceTypeRow.site_id == site_id, DeviceTypeRow.name == model.name)
    )
    if clash is not None and clash.id != type_id:
        raise Refused([Fault("type: name", f"{model.name!r} is taken", "a name of its own on this site")])
    row = None if type_id is None else session.get(DeviceTypeRow, type_id)
    if row is None:
        row = DeviceTypeRow(id=type_id, site_id=site_id, revision=base)
    else:
        hold(session, row, base)
        users = users_of(session, row)
        if users and model.kind != row.model.kind:
            what = f"{model.kind}, and {', '.join(user.code for user in users)} of it are {row.model.kind}"
            raise Refused([Fault("type: kind", what, "the kind of its devices, or another name for another type")])
        for user in users:
            user.type = model.name
    keep(session, row, model.model_dump(mode="json"), reason=reason, user_id=user_id)
    recheck(session, site_id)
    return row


def users_of(session: Session, row: DeviceTypeRow) -> list[DeviceRow]:
    """Return the devices of a type, retired ones too."""
    query = select(DeviceRow).where(DeviceRow.site_id == row.site_id, DeviceRow.type == row.name)
    return list(session.scalars(query.order_by(DeviceRow.code)))


def delete_type(session: Session, row: DeviceTypeRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while a device is of it."""
    users = users_of(session, row)
    if users:
        what = f"{', '.join(user.code for user in users)} are of it"
        raise Refused([Fault("type", what, "one that no device is of: give them another first")])
    remove(session, row, reason=reason, user_id=user_id)
