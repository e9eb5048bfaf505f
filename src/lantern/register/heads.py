"""Devices that are steered: how one is spoken to, and what its own units are by its registration."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.company import Stands
from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.ptz.masks import Mask
from lantern.core.ptz.rounds import Sheet
from lantern.core.ptz.standing import head_of
from lantern.core.ptz.turned import Kept, Pointing, Turned
from lantern.core.watch import Aim
from lantern.devices.onvif.imaging import Picture
from lantern.devices.onvif.ptz import Ptz
from lantern.devices.onvif.wire import Connection
from lantern.register.passwords import password_of
from lantern.register.tables import DeviceRow, pixels_of

EDGE = 0.01  # of a space: so little beyond its end is rounding


@dataclass(frozen=True)
class Steered:
    """What is known of one, outside any session. `pointing`: None: it stands nowhere on the plan, or its lens is not known. `masks`: what
    its pictures must not show, wherever it stands.
    """

    id: int
    site_id: int
    code: str
    url: str
    login: str
    password: str = field(repr=False)
    pointing: Pointing | None = None
    masks: tuple[Mask, ...] = ()

    @property
    def reached(self) -> tuple[str, str, str]:
        return self.url, self.login, self.password


def is_steered(row: DeviceRow) -> bool:
    return DEVICE_KINDS[row.kind].reached == "steered"


def steered_of(session: Session, row: DeviceRow) -> Steered:
    """Raises `Refused` for a device of another sort, and where its password is sealed by a key that is not here."""
    if not is_steered(row):
        raise Refused([Fault(f"device {row.code}", "does not turn", "a device that is steered")])
    address: dict[str, Any] = row.address
    return Steered(
        row.id,
        row.site_id,
        row.code,
        str(address.get("url") or ""),
        str(address.get("login") or ""),
        password_of(session, row),
        pointing_of(row),
        turned_of(row).masks,
    )


def turned_of(row: DeviceRow) -> Turned:
    return read_model(Turned, row.extras.get("turned") or {}, where=f"device {row.code}: turned")


def pointing_of(row: DeviceRow) -> Pointing | None:
    head = head_of(Stands(row.extras.get("mount"), pixels_of(row)))
    return None if head is None else Pointing(turned_of(row), head)


def sheet_of(row: DeviceRow) -> Sheet:
    """Return what it does by itself."""
    return read_model(Sheet, row.extras.get("duty") or {}, where=f"device {row.code}: duty")


def picture_of(kept: Kept) -> Picture:
    """Return how the picture is made at a preset; what it says nothing of stays as it is."""
    return Picture(
        focus_mode=None if kept.focus is None else "MANUAL",
        focus=kept.focus,
        exposure_mode=None if kept.exposure_us is None else "MANUAL",
        exposure_us=kept.exposure_us,
        gain_db=kept.gain_db,
        ir_cut=kept.ir_cut,
    )


def presets_of(row: DeviceRow) -> dict[str, Aim]:
    """Return where each preset looks on the site; none where the device does not turn, or is not registered."""
    pointing = pointing_of(row) if is_steered(row) else None
    if pointing is None or not pointing.is_known:
        return {}
    return {
        f"{each.number} {each.name}": pointing.aim(each.pan, each.tilt, each.zoom) for each in pointing.turned.presets
    }


def spoken_to(steered: Steered, timeout_s: float) -> Ptz:
    """Return a way to speak to it. Raises `Refused` where it has no address yet."""
    if not steered.url or not steered.login:
        what = "has no address yet"
        raise Refused([Fault(f"device {steered.code}", what, "its URL and log-in, at the device, and its password")])
    return Ptz(Connection(steered.url, steered.login, steered.password, timeout_s=timeout_s))


def edged(value: float) -> float:
    """Rounding beyond the end of a space, -1 to 1, is taken back; what lies farther beyond the device itself refuses."""
    return min(max(value, -1.0), 1.0) if abs(value) <= 1 + EDGE else value
