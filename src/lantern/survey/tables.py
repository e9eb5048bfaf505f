"""Sites, their places, and the devices in them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.linking.inputs import Input
from lantern.core.linking.links import Output, Watchdog
from lantern.core.promise.plan import Plan
from lantern.core.register.device_type import DeviceType
from lantern.db.base import Base
from lantern.db.work import WorkRow
from lantern.revisions import Revised


class SiteRow(Base):
    __tablename__ = "site"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    zone: Mapped[str]
    live: Mapped[bool] = mapped_column(default=True)  # the engine runs it; else it is paused
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)  # of its file: subjects to come, kept as they are
    recording_mb: Mapped[int] = mapped_column(default=10_000)  # room for recordings
    demo: Mapped[bool] = mapped_column(default=False)  # its devices are the stand-ins that ship with the program
    places: Mapped[list[PlaceRow]] = relationship(back_populates="site", order_by="PlaceRow.position")


class PlaceRow(Base):
    __tablename__ = "place"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    position: Mapped[int]
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)
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
    retired: Mapped[bool] = mapped_column(default=False)  # no longer there; its takes and events stay
    type: Mapped[str | None]  # of the register
    firmware: Mapped[str | None]
    switch: Mapped[str | None]  # the code of the one that it hangs on
    port: Mapped[str | None]
    cautions: Mapped[list[Any]] = mapped_column(
        default=list
    )  # what is wrong with it, as `survey/register.py` last found
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)
    watchdog: Mapped[dict[str, Any] | None]  # of a module
    place: Mapped[PlaceRow] = relationship(back_populates="devices")

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


class PlanRow(Revised, Base):
    """The plan of a site, one at most: its body is the `plan` of the site's file."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("site_id"),)
    WHAT = "plan"

    @property
    def model(self) -> Plan:
        return Plan.model_validate({key: value for key, value in self.body.items() if key != "name"})


class PlanPictureRow(Base):
    """A ground picture that was brought for a plan. Its name has a few letters of what it holds; earlier states of the plan lead to it."""

    __tablename__ = "plan_picture"
    __table_args__ = (UniqueConstraint("site_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    media: Mapped[str]
    width_px: Mapped[float]
    height_px: Mapped[float]
    metres_per_px: Mapped[float | None]  # where the file says its scale by itself
    paper_mm_per_px: Mapped[float | None]
    data: Mapped[bytes] = mapped_column(deferred=True)

    def as_dict(self) -> dict[str, Any]:
        """As the pages have it."""
        keys = ("name", "media", "width_px", "height_px", "metres_per_px", "paper_mm_per_px")
        return {key: getattr(self, key) for key in keys}


class SiteJobRow(WorkRow, Base):
    """Work on a whole site that takes long, done by a worker: the demo, set up."""

    __tablename__ = "site_job"

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str]
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="SET NULL"))

    def as_dict(self) -> dict[str, Any]:
        """As the pages have it."""
        return {
            key: getattr(self, key) for key in ("id", "what", "state", "open", "done", "total", "faults", "site_id")
        }


# what lists show of a device; to read what it can do and is reached by for hundreds of rows takes longer than all else
LISTED = (DeviceRow.site_id, DeviceRow.place_id, DeviceRow.code, DeviceRow.name, DeviceRow.kind, DeviceRow.cautions)


def devices_of_site(session: Session, site_id: int, *, retired: bool = False) -> list[DeviceRow]:
    """By their codes; those that are retired only where asked for."""
    query = select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code)
    return list(session.scalars(query if retired else query.where(DeviceRow.retired.is_(False))))


def site_of(session: Session, site_id: int) -> SiteRow:
    """Return a site that is known to be there."""
    return session.get_one(SiteRow, site_id)


def listed_devices(session: Session, site_id: int) -> Sequence[Any]:
    """(id, place_id, code, name, kind, cautions) of those in use, by their codes."""
    query = select(DeviceRow.id, *LISTED[1:])
    in_use = (DeviceRow.site_id == site_id, DeviceRow.retired.is_(False))
    return session.execute(query.where(*in_use).order_by(DeviceRow.code)).all()


def demo_site(session: Session) -> SiteRow | None:
    """The site whose devices are the stand-ins that ship with the program."""
    return session.scalar(select(SiteRow).where(SiteRow.demo).limit(1))


def device_by_code(session: Session, site_id: int, code: str) -> DeviceRow | None:
    return session.scalar(select(DeviceRow).where(DeviceRow.site_id == site_id, DeviceRow.code == code))


def outputs_of(session: Session, site_id: int) -> list[tuple[DeviceRow, Output]]:
    """Every output of the site with the module it is on."""
    devices = session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code))
    return [(device, output) for device in devices for output in device.output_models]


def inputs_of(session: Session, site_id: int) -> list[tuple[DeviceRow, Input]]:
    """Every input of the site with the module it is on."""
    devices = session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id).order_by(DeviceRow.code))
    return [(device, each) for device in devices for each in device.input_models]


def types_of(session: Session, site_id: int) -> list[DeviceTypeRow]:
    """The register's entries that the site has of its own, by name."""
    query = select(DeviceTypeRow).where(DeviceTypeRow.site_id == site_id).order_by(DeviceTypeRow.name)
    return list(session.scalars(query))


def plan_of(session: Session, site_id: int) -> PlanRow | None:
    """The site's plan, if it has one."""
    return session.scalar(select(PlanRow).where(PlanRow.site_id == site_id))
