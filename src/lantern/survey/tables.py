"""Sites, their places, and the devices in them."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.linking.links import Output
from lantern.db.base import Base


class SiteRow(Base):
    __tablename__ = "site"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    zone: Mapped[str]
    places: Mapped[list[PlaceRow]] = relationship(back_populates="site", order_by="PlaceRow.position")


class PlaceRow(Base):
    __tablename__ = "place"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    position: Mapped[int]
    site: Mapped[SiteRow] = relationship(back_populates="places")
    devices: Mapped[list[DeviceRow]] = relationship(back_populates="place", order_by="DeviceRow.code")


class DeviceRow(Base):
    __tablename__ = "device"
    __table_args__ = (UniqueConstraint("site_id", "code"),)

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
    place: Mapped[PlaceRow] = relationship(back_populates="devices")

    @property
    def output_models(self) -> list[Output]:
        return [Output.model_validate(output) for output in self.outputs]


def get_site(session: Session) -> SiteRow | None:
    """The site being worked on: the first by name."""
    return session.scalar(select(SiteRow).order_by(SiteRow.id).limit(1))


def device_by_code(session: Session, site_id: int, code: str) -> DeviceRow | None:
    return session.scalar(select(DeviceRow).where(DeviceRow.site_id == site_id, DeviceRow.code == code))


def outputs_of(session: Session, site_id: int) -> list[tuple[DeviceRow, Output]]:
    """Every output of the site with the module it is on."""
    devices = session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code))
    return [(device, output) for device in devices for output in device.output_models]
