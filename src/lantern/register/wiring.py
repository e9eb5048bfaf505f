"""Outputs and inputs of modules, which links name: checked on their site, and followed through a change of name."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.site import Device
from lantern.links.following import follow
from lantern.links.tables import CompoundRow, links_of_inputs, links_of_site, rows_of, timetables_of
from lantern.live.tables import forget_inputs, forget_outputs, outputs_that_are_on, rename_outputs
from lantern.register.tables import DeviceRow, inputs_of, outputs_of

# ---- outputs ---------------------------------------------------------------------------------------------------------


def check_outputs(session: Session, site_id: int, model: Device, row: DeviceRow | None, faults: FaultList) -> None:
    if not model.outputs:
        return
    own = row.id if row is not None else 0
    others = {output.name: device.code for device, output in outputs_of(session, site_id) if device.id != own}
    coils: dict[int, str] = {}
    names: set[str] = set()
    for said in limits_on(session, site_id, {output.name for output in model.outputs if output.life_safety}):
        faults.add("device: outputs", said, "life safety where no limit holds back: take the limit away first")
    for output in model.outputs:
        if output.name in others:
            faults.add(f"output {output.name}", f"{others[output.name]} has one of that name", "a name of its own")
        if output.name in names:
            faults.add(f"output {output.name}", "comes twice", "a name of its own")
        check_hours(session, site_id, f"output {output.name}", output.timetable, faults)
        if output.coil in coils:
            faults.add(f"output {output.name}", f"has the coil of {coils[output.coil]}", "a coil of its own")
        names.add(output.name)
        coils[output.coil] = output.name


def follow_outputs(session: Session, row: DeviceRow, model: Device, was: list[str | None], user_id: int | None) -> None:
    """`was`: for each output, the name that it had. One that is gone must be used by no link, and be off."""
    renamed = {old: output.name for old, output in zip(was, model.outputs, strict=False) if old}
    gone = {output.name for output in row.output_models} - renamed.keys()
    used = used_outputs(session, row.site_id, gone)
    if used:
        raise Refused([Fault("device: outputs", used, "no link that uses what is taken away")])
    if standing := outputs_that_are_on(session, row.id, gone):
        raise Refused([Fault("device: outputs", f"{', '.join(standing)} is on", "outputs that are off: acknowledge")])
    forget_outputs(session, row.id, gone)
    changed = {old: new for old, new in renamed.items() if old != new}
    if not changed:
        return
    rename_outputs(session, row.id, changed)
    follow(session, row.site_id, "output", changed, user_id)


def used_outputs(session: Session, site_id: int, names: set[str]) -> str:
    """Return which links use which of these outputs, in words; nothing: none."""
    told = []
    for link in links_of_site(session, site_id):
        told += [f"{link.name} switches {e['output']}" for e in link.body["effects"] if e.get("output") in names]
    return ", ".join(told)


def limits_on(session: Session, site_id: int, names: set[str]) -> list[str]:
    """Return which links hold back what is ordered of these outputs, in words."""
    held = [link for link in links_of_site(session, site_id) if names and link.body.get("limit_refill_s")]
    return [
        f"{link.name} has a limit, and switches {effect['output']}"
        for link in held
        for effect in link.body["effects"]
        if effect.get("output") in names
    ]


def check_hours(session: Session, site_id: int, where: str, name: str | None, faults: FaultList) -> None:
    """A timetable that is named is there. Devices of a file come before its timetables, whose names were looked up there."""
    known = [row.name for row in timetables_of(session, site_id)] if name is not None else []
    if known and name not in known:
        faults.add(where, f"there is no timetable {name!r}", f"none (always), or one of {', '.join(known)}")


# ---- inputs ----------------------------------------------------------------------------------------------------------


def check_inputs(session: Session, site_id: int, model: Device, row: DeviceRow | None, faults: FaultList) -> None:
    """Names are a site's own, addresses a module's own."""
    if not model.inputs:
        return
    own = row.id if row is not None else 0
    others = {each.name: device.code for device, each in inputs_of(session, site_id) if device.id != own}
    names: set[str] = set()
    at: dict[tuple[str, int], str] = {}
    for each in model.inputs:
        if each.name in others:
            faults.add(f"input {each.name}", f"{others[each.name]} has one of that name", "a name of its own")
        if each.name in names:
            faults.add(f"input {each.name}", "comes twice", "a name of its own")
        check_hours(session, site_id, f"input {each.name}", each.timetable, faults)
        names.add(each.name)
        where = ("contact", each.discrete) if each.discrete is not None else None
        if each.supervised is not None:
            where = ("loop", each.supervised.register_address)
        if where is None:
            continue
        if where in at:
            faults.add(f"input {each.name}", f"has the {where[0]} of {at[where]}", "an address of its own")
        at[where] = each.name


def follow_inputs(
    session: Session, row: DeviceRow, model: Device, was: Sequence[str | None], user_id: int | None
) -> None:
    """`was`: for each input, the name that it had. Links go along; one that is gone must be used by none."""
    renamed = {old: each.name for old, each in zip(was, model.inputs, strict=False) if old}
    gone = {each.name for each in row.input_models} - renamed.keys()
    used = used_inputs(session, row.site_id, gone)
    if used:
        raise Refused([Fault("device: inputs", used, "no link that listens to what is taken away")])
    changed = {old: new for old, new in renamed.items() if old != new}
    forget_inputs(session, row.id, {*gone, *changed})
    follow(session, row.site_id, "input", changed, user_id)


def used_inputs(session: Session, site_id: int, names: set[str]) -> str:
    """Return which links listen to which of these inputs, in words; nothing: none."""
    told = [f"{link.name} listens to {link.input}" for link in links_of_inputs(session, site_id, names)]
    for row in rows_of(session, CompoundRow, site_id):
        told += [f"{row.name} listens to {part.input}" for part in row.model.parts if part.input in names]
    return ", ".join(told)


def keep_hours(document: dict[str, Any], key: str, was: Sequence[str | None], before: Sequence[Any]) -> None:
    """Rows of a page that say nothing of their hours have those that they had."""
    held = {each["name"]: each.get("timetable") for each in before}
    for each, name in zip(document.get(key, ()), was, strict=False):
        if isinstance(each, dict) and held.get(name or "") is not None:
            each.setdefault("timetable", held[name or ""])


def was_of(document: dict[str, Any], key: str) -> list[str | None]:
    """The names that a page's rows had, taken out of the document."""
    return [each.pop("was", None) for each in document.get(key, ()) if isinstance(each, dict)]
