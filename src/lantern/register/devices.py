"""What can be done with devices: make, change, move, copy, retire. Takes and events of a device stay, whatever it becomes."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS, check_address
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.register.installed import HangsOn
from lantern.core.site import Device
from lantern.core.wording import many
from lantern.formats.documents import read_model
from lantern.links.following import follow
from lantern.plan.tables import plan_of
from lantern.register.documents import device_row, document_of, new_token
from lantern.register.history import document_to_restore, keep_device, state_of
from lantern.register.tables import DeviceRow, device_by_code, devices_of_site, register_of
from lantern.register.units import recheck
from lantern.register.wiring import (
    check_inputs,
    check_outputs,
    follow_inputs,
    follow_outputs,
    keep_hours,
    used_inputs,
    used_outputs,
    was_of,
)
from lantern.revisions import RevisionRow, keep, restored
from lantern.sites.tables import PlaceRow
from lantern.takes.tables import count_takes
from lantern.tune.tables import detectors_of_device

PICTURE = ("width", "height")


# ---- devices ---------------------------------------------------------------------------------------------------------


def add_device(
    session: Session, place: PlaceRow, document: dict[str, Any], *, user_id: int | None = None, checked: bool = True
) -> DeviceRow:
    """Its token is new, and is in the row this once for whoever made it. `checked`: see `change_device`. Raises `Refused`."""
    model = _checked(session, place.site_id, document, None)
    row = device_row(model, site_id=place.site_id, place_id=place.id)
    session.add(row)
    session.flush()
    keep_device(session, row, before=None, user_id=user_id)
    if checked:
        recheck(session, place.site_id)
    return row


def change_device(
    session: Session,
    row: DeviceRow,
    document: dict[str, Any],
    *,
    place: PlaceRow,
    user_id: int | None = None,
    reason: str = "",
    facts: dict[str, Any] | None = None,
    checked: bool = True,
) -> None:
    """Change a device to what the document has of it; the rest is kept, as whoever changed it last has left it. Links follow the new
    name of an output or an input. Without a `reason` the state that is kept says what was changed. Not `checked`: whoever changes many calls `recheck` after the last. Raises `Refused`.
    """
    session.refresh(row, with_for_update=True)  # somebody may have changed another part of it meanwhile
    document, before = deepcopy(document), state_of(row)
    outputs_were, inputs_were = was_of(document, "outputs"), was_of(document, "inputs")
    keep_hours(document, "outputs", outputs_were, row.outputs)
    keep_hours(document, "inputs", inputs_were, row.extras.get("inputs", ()))
    ability = {key: value for key, value in (row.ability | document.get("ability", {})).items() if value is not None}
    model = _checked(session, row.site_id, document_of(row) | document | {"kind": row.kind, "ability": ability}, row)
    _check_picture(session, row, model)
    if "outputs" in document:
        follow_outputs(session, row, model, outputs_were, user_id)
    if "inputs" in document:
        follow_inputs(session, row, model, inputs_were, user_id)
    if model.code != row.code:
        _follow_code(session, row, model.code, user_id)
    _take_over(row, device_row(model, site_id=row.site_id, place_id=place.id))
    session.flush()
    keep_device(session, row, before=before, reason=reason, user_id=user_id, facts=facts)
    if checked:
        recheck(session, row.site_id)


def _take_over(row: DeviceRow, fresh: DeviceRow) -> None:
    for key in (
        "code", "name", "kind", "ability", "address", "outputs", "watchdog", "place_id", "type", "firmware", "switch",
        "port", "extras",
    ):  # fmt: skip
        setattr(row, key, getattr(fresh, key))


def _follow_code(session: Session, row: DeviceRow, code: str, user_id: int | None) -> None:
    """Detectors, effects of links, what hangs on it, the boxes that work on its pictures and the plan's aims go along."""
    plan = plan_of(session, row.site_id)
    if plan is not None and any(aim["device"] == row.code for aim in plan.body.get("aims", ())):
        aims = [aim | {"device": code} if aim["device"] == row.code else aim for aim in plan.body["aims"]]
        keep(session, plan, plan.body | {"aims": aims}, reason=f"{row.code} is called {code} now.", user_id=user_id)
    follow(session, row.site_id, "device", {row.code: code}, user_id)
    for detector in detectors_of_device(session, row.id):
        detector.body = detector.body | {"device": code}
    for other in devices_of_site(session, row.site_id, retired=True):
        if other.switch == row.code:
            other.switch = code
        on = other.extras.get("abilities")
        if isinstance(on, list) and any(each.get("of") == row.code for each in on):
            renamed = [each | {"of": code} if each.get("of") == row.code else each for each in on]
            other.extras = other.extras | {"abilities": renamed}


def restore_device(
    session: Session,
    row: DeviceRow,
    saved: RevisionRow,
    *,
    user_id: int | None,
    reason: str = "",
    facts: dict[str, Any] | None = None,
) -> None:
    """Bring an old state back, as a new one. Raises `Refused` where it cannot be any more, such as an output that links use."""
    document = document_to_restore(row, saved)
    place = session.get(PlaceRow, saved.document.get("place_id", row.place_id)) or row.place
    said = reason or restored(saved.number, saved)
    change_device(session, row, document, place=place, user_id=user_id, reason=said, facts=facts, checked=False)
    retired = bool(saved.document.get("retired", False))
    if retired != row.retired:
        set_retired(session, row, retired=retired, user_id=user_id, checked=False)
    recheck(session, row.site_id)


def copy_device(session: Session, row: DeviceRow, *, code: str, name: str, user_id: int | None = None) -> DeviceRow:
    """The same at another address and another port, with a token of its own; names of outputs and inputs are a site's own, so
    they get its code.
    """
    document = document_of(row) | {"code": code.strip(), "name": name.strip(), "address": {}, "retired": False}
    document.pop("hangs_on", None)
    for key in ("outputs", "inputs"):
        named = [each | {"name": f"{each['name']} {code.strip()}"} for each in document.get(key, ())]
        document |= {key: named}
    return add_device(session, row.place, document, user_id=user_id)


def set_retired(
    session: Session, row: DeviceRow, *, retired: bool, user_id: int | None = None, checked: bool = True
) -> None:
    """It is no longer there, or there again: the engine lets go of it. `checked`: see `change_device`. Raises `Refused` for a module whose outputs links use."""
    if retired:
        used = used_outputs(session, row.site_id, {output.name for output in row.output_models})
        if used:
            raise Refused([Fault(f"device {row.code}", used, "links that use its outputs no more")])
        used = used_inputs(session, row.site_id, {each.name for each in row.input_models})
        if used:
            raise Refused([Fault(f"device {row.code}", used, "links that listen to its inputs no more")])
    before, row.retired = state_of(row), retired
    if not retired and row.switch and row.port:
        faults = FaultList()
        _check_port(session, row.site_id, HangsOn(switch=row.switch, port=row.port), row, faults)
        faults.refuse_if_any()
    why = "It is no longer there." if retired else "It is there again."
    keep_device(session, row, before=before, reason=why, user_id=user_id)
    if checked:
        recheck(session, row.site_id)


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
    check_outputs(session, site_id, model, row, faults)
    check_inputs(session, site_id, model, row, faults)
    if model.hangs_on is not None and not model.retired:
        _check_port(session, site_id, model.hangs_on, row, faults)
    if model.type is not None and (row is None or model.type != row.type):
        _check_type(session, site_id, model, faults)
    faults.refuse_if_any()
    return model


def _check_port(session: Session, site_id: int, at: HangsOn, row: DeviceRow | None, faults: FaultList) -> None:
    """The switch is there, and the port free."""
    switch = device_by_code(session, site_id, at.switch)
    if switch is None or (row is not None and switch.id == row.id):
        faults.add("device: hangs_on.switch", repr(at.switch), "the code of another device of this site")
    there = select(DeviceRow).where(DeviceRow.site_id == site_id, DeviceRow.switch == at.switch)
    for other in session.scalars(there.where(DeviceRow.port == at.port, DeviceRow.retired.is_(False))):
        if row is None or other.id != row.id:
            faults.add("device: hangs_on.port", f"port {at.port} of {at.switch} has {other.code} on it", "a free port")


def _check_type(session: Session, site_id: int, model: Device, faults: FaultList) -> None:
    """Chosen anew, it is one of the register, and for such a device."""
    types = register_of(session, site_id)
    found = types.get(str(model.type))
    fitting = ", ".join(sorted(each.name for each in types.values() if each.kind == model.kind))
    if found is None or found.kind != model.kind:
        what = repr(model.type) if found is None else f"{model.type} is for a {found.kind}"
        faults.add("device: type", what, f"empty, or one of: {fitting or 'none for such a device yet'}")


def _said(channel: Any) -> Any:
    """A channel without settings that are empty."""
    if not isinstance(channel, dict) or not isinstance(channel.get("settings"), dict):
        return channel
    return channel | {"settings": {key: value for key, value in channel["settings"].items() if value is not None}}


def _without_empty(document: dict[str, Any]) -> dict[str, Any]:
    out = dict(document)
    for key in ("ability", "address", "watchdog"):
        if isinstance(out.get(key), dict):
            out[key] = {name: value for name, value in out[key].items() if value is not None}
    if out.get("watchdog") == {}:
        del out["watchdog"]
    for key in ("type", "firmware"):
        if out.get(key) == "":
            out[key] = None
    if isinstance(out.get("channels"), list):
        out["channels"] = [_said(channel) for channel in out["channels"]]
    hangs = out.get("hangs_on")
    if isinstance(hangs, dict) and not any(hangs.values()):
        out["hangs_on"] = None
    if set(out.get("address", ())) == {"unit"}:  # of nothing
        out["address"] = {}
    for output in (*out.get("outputs", ()), *out.get("inputs", ())):
        if isinstance(output, dict):
            output.pop("was", None)
    return out


def _check_picture(session: Session, row: DeviceRow, model: Device) -> None:
    """Takes and regions are in the picture's own pixels."""
    before, after = ([held.get(key) for key in PICTURE] for held in (row.ability, model.ability))
    takes = count_takes(session, device_id=row.id)
    if takes and None not in before and before != after:
        what = f"{after[0]} x {after[1]}, and {many(takes, 'take')} of {before[0]} x {before[1]}"
        raise Refused([Fault("device: ability.width", what, "the size of its takes: copy the device for another size")])
