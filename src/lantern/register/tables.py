"""Devices, and the types of devices that a site has of its own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ForeignKey, Select, UniqueConstraint, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.linking.inputs import Input
from lantern.core.linking.outputs import Output, Watchdog
from lantern.core.register.device_type import DeviceType
from lantern.db.base import Base
from lantern.formats.device_types import shipped_types
from lantern.revisions import Revised
from lantern.sites.tables import PlaceRow, SiteRow


class DeviceRow(Base):
    __tablename__ = "device"
    __table_args__ = (UniqueConstraint("site_id", "code"), {"info": {"told": "devices"}})

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    code: Mapped[str]
    name: Mapped[str]
    kind: Mapped[str]
    ability: Mapped[dict[str, Any]]
    address: Mapped[dict[str, Any]]
    outputs: Mapped[list[Any]]
    token: Mapped[str]
    retired: Mapped[bool] = mapped_column(default=False)  # no longer there; its takes and events stay
    type: Mapped[str | None]  # of the register
    firmware: Mapped[str | None]
    switch: Mapped[str | None]  # the code of the one that it hangs on
    port: Mapped[str | None]
    cautions: Mapped[list[Any]] = mapped_column(
        default=list
    )  # what is wrong with it, as `register/units.py` last found
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)
    watchdog: Mapped[dict[str, Any] | None]  # of a module
    place: Mapped[PlaceRow] = relationship()

    @property
    def output_models(self) -> list[Output]:
        return [Output.model_validate(output) for output in self.outputs]

    @property
    def input_models(self) -> list[Input]:
        return [Input.model_validate(each) for each in self.extras.get("inputs", ())]

    @property
    def watchdog_model(self) -> Watchdog | None:
        return None if self.watchdog is None else Watchdog.model_validate(self.watchdog)


class DeviceTypeRow(Revised, Base):
    """An entry of the register that the site has of its own. Its body is a lantern-type/1 document."""

    __tablename__ = "device_type"
    __table_args__ = (UniqueConstraint("site_id", "name"),)
    WHAT = "device type"

    @property
    def model(self) -> DeviceType:
        return DeviceType.model_validate(self.body)


# what lists show of a device; to read what it can do and is reached by for hundreds of rows takes longer than all else
LISTED = (DeviceRow.site_id, DeviceRow.place_id, DeviceRow.code, DeviceRow.name, DeviceRow.kind, DeviceRow.cautions)


def devices_of_site(session: Session, site_id: int, *, retired: bool = False) -> list[DeviceRow]:
    """Return a site's devices by their codes; those that are retired only where asked for."""
    query = select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code)
    return list(session.scalars(query if retired else query.where(DeviceRow.retired.is_(False))))


def pixels_of(row: DeviceRow) -> tuple[int, int] | None:
    """Return the size of a device's picture; None: it is not known."""
    width, height = row.ability.get("width"), row.ability.get("height")
    return (int(width), int(height)) if width and height else None


def listed_devices(session: Session, site_id: int) -> Sequence[Any]:
    """(id, place_id, code, name, kind, cautions) of those in use, by their codes."""
    query = select(DeviceRow.id, *LISTED[1:])
    in_use = (DeviceRow.site_id == site_id, DeviceRow.retired.is_(False))
    return session.execute(query.where(*in_use).order_by(DeviceRow.code)).all()


def device_by_code(session: Session, site_id: int, code: str) -> DeviceRow | None:
    return session.scalar(select(DeviceRow).where(DeviceRow.site_id == site_id, DeviceRow.code == code))


def outputs_of(session: Session, site_id: int) -> list[tuple[DeviceRow, Output]]:
    """Every output of the site with the module it is on."""
    devices = session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code))
    return [(device, output) for device in devices for output in device.output_models]


def switched_elsewhere(session: Session, site_id: int) -> dict[str, str]:
    """Return the outputs of a site on a coil that another site has too, each with that site's name."""
    query = select(DeviceRow, SiteRow.name).join(SiteRow, SiteRow.id == DeviceRow.site_id)
    rows = session.execute(
        query.where(DeviceRow.retired.is_(False), func.jsonb_array_length(DeviceRow.outputs) > 0)
    ).all()
    others = {
        (_reached(device), output.coil): name
        for device, name in rows
        if device.site_id != site_id and _reached(device) is not None
        for output in device.output_models
    }
    own = [(device, output) for device, _ in rows if device.site_id == site_id for output in device.output_models]
    return {o.name: others[_reached(d), o.coil] for d, o in own if (_reached(d), o.coil) in others}


def _reached(device: DeviceRow) -> tuple[Any, ...] | None:
    address = device.address
    return (address["host"], address.get("port"), address.get("unit")) if address.get("host") else None


def inputs_of(session: Session, site_id: int) -> list[tuple[DeviceRow, Input]]:
    """Every input of the site with the module it is on."""
    devices = session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code))
    return [(device, each) for device in devices for each in device.input_models]


def types_of(session: Session, site_id: int) -> list[DeviceTypeRow]:
    """The register's entries that the site has of its own, by name."""
    query = select(DeviceTypeRow).where(DeviceTypeRow.site_id == site_id).order_by(DeviceTypeRow.name)
    return list(session.scalars(query))


def register_of(session: Session, site_id: int) -> dict[str, DeviceType]:
    """Return all types that a device of the site may be of, by name: those that ship, then its own."""
    return {**shipped_types(), **{row.name: row.model for row in types_of(session, site_id)}}


def devices_in(session: Session, place_id: int) -> list[DeviceRow]:
    """Those in a place, retired ones too, by their codes."""
    return list(session.scalars(select(DeviceRow).where(DeviceRow.place_id == place_id).order_by(DeviceRow.code)))


def devices_live(session: Session) -> list[DeviceRow]:
    """Those in use on all sites that the engine runs."""
    query = select(DeviceRow).join(SiteRow).where(SiteRow.live, DeviceRow.retired.is_(False))
    return list(session.scalars(query.order_by(DeviceRow.id)))


def demo_devices(session: Session) -> list[DeviceRow]:
    """The devices in use of the demo site."""
    return list(session.scalars(select(DeviceRow).join(SiteRow).where(SiteRow.demo, DeviceRow.retired.is_(False))))


def ids_of_devices(site_id: int) -> Select[int]:
    """A query for the numbers of a site's devices."""
    return select(DeviceRow.id).where(DeviceRow.site_id == site_id)
