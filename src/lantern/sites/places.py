"""What can be done with places: make, rename, remove."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.plan.tables import plan_of
from lantern.register.tables import devices_in
from lantern.revisions import keep
from lantern.sites.tables import PlaceRow, keep_place, new_place, place_state


def add_place(session: Session, site_id: int, name: str, *, user_id: int | None = None) -> PlaceRow:
    name = _place_name(session, site_id, name, None)
    last = session.scalar(select(func.max(PlaceRow.position)).where(PlaceRow.site_id == site_id))
    row = new_place(session, site_id, name, position=0 if last is None else last + 1, extras={})
    keep_place(session, row, before=None, reason="Made.", user_id=user_id)
    return row


def rename_place(session: Session, row: PlaceRow, name: str, *, user_id: int | None) -> None:
    """Rename a place; what the plan says of how loud it is there, and who should hear what there, goes along."""
    was, before = row.name, place_state(row)
    row.name = _place_name(session, row.site_id, name, row.id)
    keep_place(session, row, before=before, reason=f"It was called {was}.", user_id=user_id)
    plan = plan_of(session, row.site_id)
    if plan is None or was == row.name:
        return
    held = {key: plan.body.get(key, []) for key in ("ambient", "aims")}
    if any(each.get("place") == was for found in held.values() for each in found):
        followed = {
            key: [each | {"place": row.name} if each.get("place") == was else each for each in found]
            for key, found in held.items()
            if found
        }
        keep(session, plan, plan.body | followed, reason=f"{was} is called {row.name} now.", user_id=user_id)


def remove_place(session: Session, row: PlaceRow) -> None:
    """Raises `Refused` while a device is in it, retired or not."""
    codes = [device.code for device in devices_in(session, row.id)]
    if codes:
        raise Refused([Fault(f"place {row.name}", f"{', '.join(codes)} in it", "an empty place: move its devices")])
    session.delete(row)


def _place_name(session: Session, site_id: int, name: str, place_id: int | None) -> str:
    name = name.strip()
    if not 1 <= len(name) <= 120 or not name.isprintable():
        raise Refused([Fault("place: name", repr(name[:40]), "a name of up to 120 characters")])
    held = session.scalar(select(PlaceRow.id).where(PlaceRow.site_id == site_id, PlaceRow.name == name))
    if held is not None and held != place_id:
        raise Refused([Fault("place: name", f"{name!r} is taken", "a name of its own on this site")])
    return name
