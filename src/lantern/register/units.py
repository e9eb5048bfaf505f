"""Devices as the register sees them, with what stands on them, and what is wrong.

What is found is kept at the devices and detectors, so that no page works it out for hundreds of them: whatever changes a
device, a type or a detector calls `recheck`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.faults import Refused
from lantern.core.kinds import KINDS
from lantern.core.ptz.turned import MOVED_DEG
from lantern.core.register.carrying import burden_of, carries
from lantern.core.register.channels import compared
from lantern.core.register.device_type import DeviceType
from lantern.core.register.installed import Channel, HangsOn, Picture, Site, Unit, Work, switched_on
from lantern.core.register.limits import load_reasons, power_reasons
from lantern.core.register.mounting import mounting_reasons
from lantern.core.register.power import Power
from lantern.core.registration.registered import Registered, apart
from lantern.register.heads import pointing_of
from lantern.register.tables import DeviceRow, devices_of_site, register_of
from lantern.tune.tables import DetectorRow, detectors_by_device

# ---- devices as the register sees them -------------------------------------------------------------------------------


def unit_of(row: DeviceRow, types: Mapping[str, DeviceType], detectors: list[DetectorRow]) -> Unit:
    """A device with what stands on it."""
    ability = row.ability
    power = row.extras.get("power")
    return Unit(
        code=row.code,
        kind=row.kind,
        type_name=row.type,
        type=types.get(row.type) if row.type else None,
        firmware=row.firmware,
        picture=Picture(_whole(ability.get("width")), _whole(ability.get("height")), ability.get("fps")),
        channels=[Channel.model_validate(each) for each in row.extras.get("channels", ())],
        on=switched_on(row.extras.get("abilities", ())),
        hangs_on=HangsOn(switch=row.switch, port=row.port) if row.switch and row.port else None,
        power=None if power is None else Power.model_validate(power),
        works=[work_of(detector) for detector in detectors if not detector.retired],
        retired=row.retired,
    )


def _whole(value: Any) -> int | None:
    return None if value is None else int(value)


def work_of(row: DetectorRow) -> Work:
    """A detector as it burdens its device."""
    body = row.body
    lines = sum(region["shape"] == "line" for region in body.get("regions", ()))
    return Work(
        name=row.name,
        kind=row.kind,
        channel=body.get("channel"),
        regions=len(body.get("regions", ())) - lines,
        lines=lines,
        lists=len(KINDS[row.kind].lists.named(row.model)),
        timetable=body.get("timetable"),
        enabled=row.enabled,
    )


def units_of(session: Session, site_id: int) -> Site:
    """Return all devices of a site, with what stands on them. Three queries."""
    types = register_of(session, site_id)
    detectors = detectors_by_device(session, site_id)
    rows = devices_of_site(session, site_id, retired=True)
    return Site({row.code: unit_of(row, types, detectors[row.id]) for row in rows})


def signals_of_type(session: Session, row: DeviceRow) -> list[str]:
    """The signals that its type gives, which a device of its kind may not."""
    of = register_of(session, row.site_id).get(row.type) if row.type else None
    return [] if of is None else [ability.signal for ability in of.abilities]


def channels_of(session: Session, row: DeviceRow) -> list[str]:
    """The names of its bodies or sensors, where it has more than one."""
    names = unit_of(row, register_of(session, row.site_id), []).channel_names
    return names if len(names) > 1 else []


# ---- what is wrong ---------------------------------------------------------------------------------------------------


def recheck(session: Session, site_id: int) -> None:
    """Find anew what is wrong with each device, and which detectors their devices cannot carry."""
    session.flush()
    site = units_of(session, site_id)
    ids: dict[int, str] = {}
    for row in devices_of_site(session, site_id, retired=True):
        ids[row.id] = row.code
        found = [] if row.retired else wrong_with(site.units[row.code], site, row)
        if found != row.cautions:
            row.cautions = found
    for detector in (each for own in detectors_by_device(session, site_id).values() for each in own):
        unit = site.units[ids[detector.device_id]]
        told = "" if detector.retired or unit.retired else _caution(unit, work_of(detector), site)
        if told != detector.caution:
            detector.caution = told
    session.flush()


def _caution(unit: Unit, work: Work, site: Site) -> str:
    verdict = carries(unit, work, site, cured=False)
    return "" if verdict.answer != "no" else f"{unit.code} cannot carry it: {verdict.why}"


def wrong_with(unit: Unit, site: Site, row: DeviceRow) -> list[str]:
    """Return what is wrong with a device, in lines; what its detectors cannot have is told at them."""
    out = [*_not_as_registered(row), *_moved(row)]
    if unit.type is None:
        return [*out, f"the register has no type {unit.type_name!r}"] if unit.type_name else out
    if unit.type.mounting is not None and (mount := row.extras.get("mount")) is not None:
        out += [reason.text for reason in mounting_reasons(unit.type.mounting, mount)]
    if unit.type.kind != unit.kind:
        out.append(f"its type is for a {unit.type.kind}, and it is a {unit.kind}")
    strange = [each.name for each in unit.on if unit.type.ability(each.name) is None]
    if strange:
        out.append(f"its type has no ability {', '.join(strange)}, and it is on")
    if unit.on:  # of what only its detectors ask, each is told at its detector
        out += [reason.text for reason in load_reasons(burden_of(unit, site)) if not reason.unsure]
    out += [reason.text for reason in power_reasons(unit, site) if not reason.unsure]
    for part in burden_of(unit, site).parts:
        if part.on.of is not None and part.on.of not in site.units:
            out.append(f"{part.on.words}: there is no device {part.on.of}")
    for what, has, takes in (
        ("inputs", len(row.input_models), unit.type.inputs),
        ("outputs", len(row.outputs), unit.type.outputs),
    ):
        if has > takes:
            out.append(f"it has {has} {what}, its type {takes}")
    for setting in compared(unit):
        if setting.amiss:
            values = ", ".join("not set" if value is None else str(value) for value in setting.values)
            out.append(f"{setting.setting.title} differs between its channels: {values}")
    return out


def _moved(row: DeviceRow) -> list[str]:
    """Return whether somebody moved a head: its check point is missed."""
    pointing = pointing_of(row) if row.extras.get("turned") else None
    try:
        off = None if pointing is None else pointing.check_off_deg
    except Refused:  # its registration fits nothing, which its own page says
        return []
    return (
        [f"its check point is missed by {off:.1f}°: it was moved, register it again"] if off and off > MOVED_DEG else []
    )


def _not_as_registered(row: DeviceRow) -> list[str]:
    held, mount = row.extras.get("registered"), row.extras.get("mount")
    if held is None or mount is None or "azimuth_deg" not in mount:
        return []
    said = apart(mount, Registered.model_validate(held))
    return [said] if said else []
