"""A device replaced by one of another type: its detectors and takes stay, and what the new one cannot do is told before."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.register.carrying import carries
from lantern.core.register.device_type import DeviceType
from lantern.core.register.installed import Site, Unit, switched_on
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow, register_of
from lantern.register.units import recheck, units_of
from lantern.register.wiring import used_inputs, used_outputs


def cannot(session: Session, row: DeviceRow, type_name: str) -> list[str]:
    """Return what a device of that type could not do of what this one does, in lines. Raises `Refused` for a type that
    is not there.
    """
    new = _type(session, row, type_name)
    site = units_of(session, row.site_id)
    old = site.units[row.code]
    unit = _replaced(old, new)
    after = Site({**site.units, row.code: unit})
    out = []
    for work in unit.works:
        verdict = carries(unit, work, after, cured=False)
        if verdict.answer == "no":
            out.append(f"{work.name} ({work.kind}): {verdict.why}")
    gone = [each.words for each in old.on if each not in unit.on]
    if gone:
        out.append(f"it has no ability {', '.join(gone)}, which is on")
    lost = [name for name in old.channel_names if name not in unit.channel_names]
    if lost:
        out.append(f"it has no channel {', '.join(lost)}")
    for what, has, takes in (
        ("inputs", len(row.input_models), new.inputs),
        ("outputs", len(row.outputs), new.outputs),
    ):
        if has > takes:
            out.append(f"it has {takes} {what}, and {has} are in use")
    if DEVICE_KINDS[new.kind].reached != DEVICE_KINDS[row.kind].reached:
        out.append("it is reached in another way: its address must be given anew")
    return out


def replace_device(
    session: Session, row: DeviceRow, type_name: str, *, firmware: str | None, user_id: int | None
) -> None:
    """The device is of another type from now on, with another firmware, and with a token of its own. Raises `Refused`."""
    new = _type(session, row, type_name)
    if DEVICE_KINDS[new.kind].reached != DEVICE_KINDS[row.kind].reached:
        used = [used_outputs(session, row.site_id, {each.name for each in row.output_models})]
        used += [used_inputs(session, row.site_id, {each.name for each in row.input_models})]
        if any(used):
            told = ", ".join(each for each in used if each)
            raise Refused(
                [Fault(f"device {row.code}", told, "links that do not use it, or a type with inputs and outputs")]
            )
        row.address = {}
    row.kind = new.kind
    on = [each for each in switched_on(row.extras.get("abilities", ())) if new.ability(each.name) is not None]
    channels = {channel.name for channel in new.channels}
    kept = [each for each in row.extras.get("channels", ()) if each.get("name") in channels]
    document = {
        "type": new.name,
        "firmware": firmware or None,
        "abilities": [each.model_dump(mode="json", exclude_none=True) for each in on],
        "channels": kept,
        "power": None,
    }
    reason = f"Replaced by a {document['type']}."
    change_device(session, row, document, place=row.place, user_id=user_id, reason=reason)
    recheck(session, row.site_id)


def types_for(session: Session, row: DeviceRow) -> list[DeviceType]:
    """Return what it may be replaced by: of its own kind first."""
    types = register_of(session, row.site_id).values()
    return sorted(types, key=lambda each: (each.kind != row.kind, each.name))


def _type(session: Session, row: DeviceRow, name: str) -> DeviceType:
    types = register_of(session, row.site_id)
    if name not in types:
        raise Refused(
            [Fault("device: type", f"the register has no type {name[:80]!r}", f"one of {', '.join(sorted(types))}")]
        )
    return types[name]


def _replaced(unit: Unit, new: DeviceType) -> Unit:
    on = [each for each in unit.on if new.ability(each.name) is not None]
    channels = {channel.name for channel in new.channels}
    kept = [each for each in unit.channels if each.name in channels]
    return replace(unit, kind=new.kind, type_name=new.name, type=new, on=on, channels=kept, power=None)
