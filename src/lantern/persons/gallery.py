"""Who is to be in the gallery of which device, who is, and how the one is brought about.

A device is to hold the members of every list that is bound to it, by their newest pictures. What it said of each is kept, so that
the difference is shown while it is away.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.db.base import now, transaction
from lantern.devices.gallery import Enrolment, Gallery, GalleryError, Holds
from lantern.persons.actions import HOLDING, KeyGoneError, lists_of_people, portrait_of, put_features
from lantern.persons.tables import (
    GalleryRow,
    GalleryStateRow,
    PersonRow,
    gallery_of,
    person_named,
    persons_of,
    secrets_of,
)
from lantern.register.tables import DeviceRow, devices_live, devices_of_site

MOST_STRANGE = 200


def galleries_of(session: Session, site_id: int) -> list[DeviceRow]:
    """Return the devices of a site that hold galleries."""
    return [device for device in devices_of_site(session, site_id) if DEVICE_KINDS[device.kind].has_gallery]


def client(device: DeviceRow) -> Gallery | None:
    """Return how a device's gallery is spoken to; None: nobody has given its address."""
    url = device.address.get("url")
    return Gallery(str(url), device.token) if url else None


def bound_to(device: DeviceRow, body: Mapping[str, Any]) -> bool:
    """Return whether a list is bound to a device: it names it."""
    return device.code in (body.get("cameras") or ())


def wanted_of(session: Session, device: DeviceRow) -> dict[str, str]:
    """Return whom a device is to hold, each with the digest of the picture; those without a picture are left out."""
    on = {
        m for row in lists_of_people(session, device.site_id) if bound_to(device, row.body) for m in row.body[HOLDING]
    }
    persons = {row.id: row.member for row in persons_of(session, device.site_id) if row.member in on}
    portraits = secrets_of(session, list(persons), "portrait")
    return {str(persons[key]): str(row.facts["digest"]) for key, row in portraits.items()}


def known_by_picture(session: Session, site_id: int) -> set[str]:
    """Return the members of whom the site has a picture, or whom a device of it holds all the same."""
    persons = {row.id: row.member for row in persons_of(session, site_id)}
    found = {persons[key] for key in secrets_of(session, list(persons), "portrait")}
    for device in galleries_of(session, site_id):
        state = session.get(GalleryStateRow, device.id)
        found |= {m for m, row in gallery_of(session, device.id).items() if row.state == "held"}
        found |= set(() if state is None else state.strange)
    return {member for member in found if member is not None}


@dataclass(frozen=True)
class Difference:
    """What is to be done at a device: whom it is to be `given`, and whom it is to `let go`."""

    given: tuple[str, ...]
    let_go: tuple[str, ...]

    def __bool__(self) -> bool:
        return bool(self.given or self.let_go)


def difference(session: Session, device: DeviceRow) -> Difference:
    """Return what is to be done, by what the device last said. What it refused is not tried again by itself."""
    wanted, held = wanted_of(session, device), gallery_of(session, device.id)
    given = tuple(m for m, digest in wanted.items() if m not in held or held[m].digest != digest)
    let_go = tuple(m for m, row in held.items() if row.state == "leaving" or (row.state == "held" and m not in wanted))
    return Difference(given, let_go)


# ---- brought about ---------------------------------------------------------------------------------------------------


def push(device_id: int) -> Difference:
    """Ask a device whom it holds, give it whom it is to hold, have it let go the others; returns what is left to do.

    Raises nothing of the device: what went wrong is kept at it, and shown.
    """
    with transaction() as session:
        device = session.get_one(DeviceRow, device_id)
        gallery = client(device)
        if gallery is None:
            _say(session, device_id, trouble="nobody has given its address")
            return difference(session, device)
    try:
        holds = gallery.held()
        with transaction() as session:
            todo = _taken_over(session, session.get_one(DeviceRow, device_id), holds)
        for member in todo.let_go:
            gallery.let_go(member)
            with transaction() as session:
                session.execute(delete(GalleryRow).where(*_of(device_id, member)))
        for member in todo.given:
            _give(gallery, device_id, member)
        trouble = ""
    except GalleryError as error:
        trouble = str(error)
    with transaction() as session:
        _say(session, device_id, trouble=trouble)
        return difference(session, session.get_one(DeviceRow, device_id))


def _taken_over(session: Session, device: DeviceRow, holds: Holds) -> Difference:
    """Keep what the device says it holds. Whom no list of the site has, somebody else enrolled there: shown, and left alone."""
    known = gallery_of(session, device.id)
    wanted = wanted_of(session, device)
    for member, digest in holds.members.items():
        row = known.get(member)
        if row is not None and row.state != "leaving":
            row.state, row.digest = "held", digest
        elif row is None and member in wanted:
            session.add(GalleryRow(device_id=device.id, member=member, state="held", digest=digest, says=""))
    for member, row in known.items():
        if member not in holds.members and row.state != "refused":
            session.delete(row)
    strange = sorted(set(holds.members) - set(known) - set(wanted))
    _say(session, device.id, algorithm=holds.algorithm, strange=strange[:MOST_STRANGE])
    session.flush()
    return difference(session, device)


def _give(gallery: Gallery, device_id: int, member: str) -> None:
    with transaction() as session:
        site_id = session.get_one(DeviceRow, device_id).site_id
        person = person_named(session, site_id, member)
        try:
            portrait = None if person is None else portrait_of(session, person)
        except KeyGoneError:
            portrait = None
        if portrait is None:
            return
    said = gallery.give(member, portrait.data, portrait.kind)
    with transaction() as session:
        person = session.scalar(
            select(PersonRow).where(PersonRow.site_id == site_id, PersonRow.member == member).with_for_update()
        )
        if person is not None and said.accepted and said.features:
            with suppress(KeyGoneError):
                put_features(session, person, said.features, by=session.get_one(DeviceRow, device_id).code)
        gone = person is None  # erased while the device was given the picture
        row = gallery_of(session, device_id).get(member) or GalleryRow(device_id=device_id, member=member)
        row.state = "leaving" if gone else "held" if said.accepted else "refused"
        row.digest, row.says, row.at = portrait.digest, "; ".join(said.reasons), now()
        session.add(row)


def _say(session: Session, device_id: int, **what: Any) -> None:
    row = session.get(GalleryStateRow, device_id)
    if row is None:
        row = GalleryStateRow(device_id=device_id, trouble="", algorithm="", strange=[])
        session.add(row)
    for key, value in what.items():
        setattr(row, key, value)
    row.at = now()
    session.flush()


def _of(device_id: int, member: str) -> tuple[Any, ...]:
    return GalleryRow.device_id == device_id, GalleryRow.member == member


def ask_first(devices: Sequence[DeviceRow], picture: bytes, kind: str) -> tuple[Enrolment | None, str | None]:
    """Return what the first of these devices that answers says of a picture, and its code; None: none of them answers."""
    for device in devices:
        gallery = client(device)
        if gallery is None:
            continue
        try:
            return gallery.check(picture, kind), device.code
        except GalleryError:
            continue
    return None, None


def waiting_devices() -> list[int]:
    """Return the devices with something to do at their galleries, on all sites that are live."""
    with transaction() as session:
        devices = [device for device in devices_live(session) if DEVICE_KINDS[device.kind].has_gallery]
        return [device.id for device in devices if client(device) is not None and difference(session, device)]
