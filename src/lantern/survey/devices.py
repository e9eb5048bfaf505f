"""What can be done with places and devices: make, change, move, copy, retire. Takes and events of a device stay, whatever it becomes."""

from __future__ import annotations

from typing import Any

from sqlalchemy import and_, delete, func, or_, select, update
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS, check_address
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.site import Device
from lantern.formats.documents import read_model
from lantern.links.tables import LinkRow
from lantern.live.tables import EffectRow, OutputRow
from lantern.revisions import keep
from lantern.survey.actions import device_row, new_token
from lantern.survey.tables import DeviceRow, PlaceRow, device_by_code, outputs_of
from lantern.takes.tables import TakeRow
from lantern.tune.tables import DetectorRow

PICTURE = ("width", "height")


# ---- places ----------------------------------------------------------------------------------------------------------


def add_place(session: Session, site_id: int, name: str) -> PlaceRow:
    name = _place_name(session, site_id, name, None)
    last = session.scalar(select(func.max(PlaceRow.position)).where(PlaceRow.site_id == site_id))
    row = PlaceRow(site_id=site_id, name=name, position=0 if last is None else last + 1, extras={})
    session.add(row)
    session.flush()
    return row


def rename_place(session: Session, row: PlaceRow, name: str) -> None:
    row.name = _place_name(session, row.site_id, name, row.id)


def remove_place(session: Session, row: PlaceRow) -> None:
    """Raises `Refused` while a device is in it, retired or not."""
    codes = [device.code for device in row.devices]
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


# ---- devices ---------------------------------------------------------------------------------------------------------


def add_device(session: Session, place: PlaceRow, document: dict[str, Any]) -> DeviceRow:
    """Its token is new, and is in the row this once for whoever made it. Raises `Refused`."""
    model = _checked(session, place.site_id, document, None)
    row = device_row(model, site_id=place.site_id, place_id=place.id)
    session.add(row)
    session.flush()
    return row


def change_device(
    session: Session, row: DeviceRow, document: dict[str, Any], *, place: PlaceRow, user_id: int | None = None
) -> None:
    """All that the page shows of it; what it does not show is kept. Links follow an output's new name. Raises `Refused`."""
    document = dict(document)
    was = [output.pop("was", None) for output in document.get("outputs", [])]
    ability = {key: value for key, value in (row.ability | document.get("ability", {})).items() if value is not None}
    kept = {"retired": row.retired, "kind": row.kind, "ability": ability, **row.extras}
    model = _checked(session, row.site_id, document | kept, row)
    _check_picture(session, row, model)
    _follow_outputs(session, row, model, was, user_id)
    if model.code != row.code:
        for detector in session.scalars(select(DetectorRow).where(DetectorRow.device_id == row.id)):
            detector.body = detector.body | {"device": model.code}
    fresh = device_row(model, site_id=row.site_id, place_id=place.id)
    for key in ("code", "name", "ability", "address", "outputs", "watchdog", "place_id"):
        setattr(row, key, getattr(fresh, key))
    session.flush()


def copy_device(session: Session, row: DeviceRow, *, code: str, name: str) -> DeviceRow:
    """The same at another address, with a token of its own; names of outputs are a site's own, so they get its code."""
    outputs = [output | {"name": f"{output['name']} {code.strip()}"} for output in row.outputs]
    document = {
        "code": code.strip(), "name": name.strip(), "kind": row.kind, "ability": row.ability, "outputs": outputs,
        "watchdog": row.watchdog, **row.extras,
    }  # fmt: skip
    return add_device(session, row.place, document)


def set_retired(session: Session, row: DeviceRow, *, retired: bool) -> None:
    """It is no longer there, or there again: the engine lets go of it. Raises `Refused` for a module whose outputs links use."""
    if retired:
        used = _used(session, row.site_id, {output.name for output in row.output_models})
        if used:
            raise Refused([Fault(f"device {row.code}", used, "links that use its outputs no more")])
    row.retired = retired


def renew_token(row: DeviceRow) -> str:
    """The old one is worth nothing from now on."""
    row.token = new_token()
    return row.token


def _checked(session: Session, site_id: int, document: dict[str, Any], row: DeviceRow | None) -> Device:
    """The document as a device of this site; what a page left empty is not there."""
    model = read_model(Device, _without_empty(document), where="device")
    faults = FaultList()
    held = device_by_code(session, site_id, model.code)
    if held is not None and (row is None or held.id != row.id):
        faults.add("device: code", f"{model.code!r} is taken", "a code of its own on this site")
    if model.kind not in DEVICE_KINDS:
        faults.add("device: kind", repr(model.kind), f"one of {', '.join(DEVICE_KINDS)}")
    else:
        check_address(model.kind, model.address, faults)
    for key in (*PICTURE, "fps"):
        value = model.ability.get(key)
        if value is not None and not (isinstance(value, int | float) and 0 < value <= 20_000):
            faults.add(f"device: ability.{key}", repr(value)[:40], "a number above 0, or nothing")
    if (model.ability.get("width") is None) != (model.ability.get("height") is None):
        faults.add("device: ability", "has one of width and height", "both, or none")
    _check_outputs(session, site_id, model, row, faults)
    faults.refuse_if_any()
    return model


def _without_empty(document: dict[str, Any]) -> dict[str, Any]:
    out = dict(document)
    for key in ("ability", "address", "watchdog"):
        if isinstance(out.get(key), dict):
            out[key] = {name: value for name, value in out[key].items() if value is not None}
    if out.get("watchdog") == {}:
        del out["watchdog"]
    if set(out.get("address", ())) == {"unit"}:  # of nothing
        out["address"] = {}
    for output in out.get("outputs", ()):
        if isinstance(output, dict):
            output.pop("was", None)
    return out


def _check_outputs(session: Session, site_id: int, model: Device, row: DeviceRow | None, faults: FaultList) -> None:
    own = row.id if row is not None else 0
    others = {output.name: device.code for device, output in outputs_of(session, site_id) if device.id != own}
    coils: dict[int, str] = {}
    names: set[str] = set()
    for output in model.outputs:
        if output.name in others:
            faults.add(f"output {output.name}", f"{others[output.name]} has one of that name", "a name of its own")
        if output.name in names:
            faults.add(f"output {output.name}", "comes twice", "a name of its own")
        if output.coil in coils:
            faults.add(f"output {output.name}", f"has the coil of {coils[output.coil]}", "a coil of its own")
        names.add(output.name)
        coils[output.coil] = output.name


def _check_picture(session: Session, row: DeviceRow, model: Device) -> None:
    """Takes and regions are in the picture's own pixels."""
    before, after = ([held.get(key) for key in PICTURE] for held in (row.ability, model.ability))
    takes = session.scalar(select(func.count()).where(TakeRow.device_id == row.id)) or 0
    if takes and None not in before and before != after:
        what = f"{after[0]} x {after[1]}, and {takes} takes of {before[0]} x {before[1]}"
        raise Refused([Fault("device: ability.width", what, "the size of its takes: copy the device for another size")])


def _follow_outputs(
    session: Session, row: DeviceRow, model: Device, was: list[str | None], user_id: int | None
) -> None:
    """`was`: for each output, the name that it had. One that is gone must be used by no link, and be off."""
    renamed = {old: output.name for old, output in zip(was, model.outputs, strict=False) if old}
    gone = {output.name for output in row.output_models} - renamed.keys()
    used = _used(session, row.site_id, gone)
    if used:
        raise Refused([Fault("device: outputs", used, "no link that uses what is taken away")])
    on = select(OutputRow.output).where(OutputRow.device_id == row.id, OutputRow.output.in_(gone), OutputRow.active)
    if standing := session.scalars(on).all():
        raise Refused([Fault("device: outputs", f"{', '.join(standing)} is on", "outputs that are off: acknowledge")])
    session.execute(delete(OutputRow).where(OutputRow.device_id == row.id, OutputRow.output.in_(gone)))
    changed = {old: new for old, new in renamed.items() if old != new}
    if not changed:
        return
    stands = (OutputRow, OutputRow.device_id == row.id)
    waits = (EffectRow, and_(EffectRow.device_id == row.id, or_(EffectRow.state == "waiting", EffectRow.holds)))
    for table, which in (stands, waits):  # by way of names that nothing has, for two may change places
        steps = [(old, f"\x1f{number}") for number, old in enumerate(changed)]
        steps += [(f"\x1f{number}", new) for number, new in enumerate(changed.values())]
        for old, new in steps:
            session.execute(update(table).where(which, table.output == old).values(output=new))
    for link in session.scalars(select(LinkRow).where(LinkRow.site_id == row.site_id)):
        effects = [
            effect | {"output": changed.get(effect["output"], effect["output"])} for effect in link.body["effects"]
        ]
        if effects != link.body["effects"]:
            renamed_now = "; ".join(f"{old} is called {new} now" for old, new in changed.items())
            keep(session, link, link.body | {"effects": effects}, reason=f"{renamed_now}.", user_id=user_id)


def _used(session: Session, site_id: int, names: set[str]) -> str:
    """Which links use which of these outputs, in words; nothing: none."""
    told = []
    for link in session.scalars(select(LinkRow).where(LinkRow.site_id == site_id).order_by(LinkRow.name)):
        told += [f"{link.name} switches {e['output']}" for e in link.body.get("effects", []) if e["output"] in names]
    return ", ".join(told)
