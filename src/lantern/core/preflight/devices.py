"""What goes wrong with devices: types, load, watts, mounts, addresses."""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Iterator
from urllib.parse import urlsplit

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Refused
from lantern.core.preflight.checked import PLACE_ALONE, Checked
from lantern.core.preflight.finding import Fix, Found, rule
from lantern.core.promise.mounts import mount_model, standing_of
from lantern.core.register.carrying import burden_of
from lantern.core.register.channels import compared
from lantern.core.register.curing import port_cures
from lantern.core.register.limits import load_reasons, power_reasons
from lantern.core.register.mounting import mounting_reasons
from lantern.core.registration.registered import apart
from lantern.core.site import Device

USUAL_LOGINS = ("admin", "root", "user", "guest", "service")  # as devices come; common practice, no source


@rule("What it can do, and whether that is enough, nobody knows.")
def type_unknown(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        if device.type and device.type not in checked.types:
            yield Found(
                "warning", checked.device_at(device.code), f"the register has no type {device.type!r}", "its type"
            )


@rule("A type of another kind says nothing of it.")
def type_of_another_kind(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        of = checked.types.get(device.type or "")
        if of is not None and of.kind != device.kind:
            yield Found(
                "error",
                checked.device_at(device.code),
                f"its type is for a {of.kind}, it is a {device.kind}",
                "its type",
            )


@rule("What its type cannot do does not happen, though it is switched on.")
def ability_unknown(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        unit = checked.register.units[device.code]
        strange = [each.name for each in unit.on if unit.type is not None and unit.type.ability(each.name) is None]
        for name in strange:
            yield Found(
                "error",
                checked.device_at(device.code),
                f"its type has no ability {name}, and it is on",
                "switch it off",
            )


@rule("Beyond its reserve it drops frames, and then alarms.")
def load_too_high(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        unit = checked.register.units[device.code]
        if unit.type is not None and unit.on:
            for reason in load_reasons(burden_of(unit, checked.register)):
                if not reason.unsure:
                    yield Found("error", checked.device_at(device.code), reason.text, "less at once, or another device")


@rule("Without its watts it restarts, mostly at night when its heating or its lamps come on.")
def watts_short(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for reason in power_reasons(checked.register.units[device.code], checked.register):
            if not reason.unsure:
                remedy, fix = "another port, an injector, or less", _other_port(checked, device)
                yield Found("error", checked.device_at(device.code), reason.text, remedy, fix)


@rule("A box has so many streams: one of a device that is not there leaves it blind.")
def stream_of_nobody(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for each in checked.register.units[device.code].on:
            if each.of is not None and (each.of not in checked.devices or checked.is_retired(each.of)):
                word = "is retired" if each.of in checked.devices else "is not there"
                yield Found(
                    "error",
                    checked.device_at(device.code),
                    f"{each.words}: {each.of} {word}",
                    "another device's stream",
                )


@rule("More than it has terminals for cannot be wired.")
def terminals_short(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        of = checked.types.get(device.type or "")
        if of is None:
            continue
        for what, has, takes in (
            ("inputs", len(device.inputs), of.inputs),
            ("outputs", len(device.outputs), of.outputs),
        ):
            if has > takes:
                yield Found(
                    "error", checked.device_at(device.code), f"it has {has} {what}, its type {takes}", "another module"
                )


@rule("Two bodies that should see alike are judged alike, and are not.")
def channels_differ(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for setting in compared(checked.register.units[device.code]):
            if setting.amiss:
                values = ", ".join("not set" if value is None else str(value) for value in setting.values)
                what = f"{setting.setting.title} differs between its channels: {values}"
                yield Found("warning", checked.device_at(device.code), what, "the same for all")


@rule("Mounted otherwise than it is made for, it does not see what its sheet promises.")
def mounted_otherwise(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        of = checked.types.get(device.type or "")
        if of is not None and of.mounting is not None and device.mount:
            for reason in mounting_reasons(of.mounting, device.mount):
                yield Found("warning", checked.device_at(device.code), reason.text, "another place, or another type")


@rule("A mount that says nothing sure cannot be promised from.")
def mount_wrong(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        if not device.mount or mount_model(device.kind) is None or len(device.mount) <= PLACE_ALONE:
            continue
        try:
            standing_of(device.kind, device.mount, pixels=_pixels(device))
        except Refused as refused:
            yield Found("error", checked.device_at(device.code), str(refused.faults[0]), "a mount as its kind has it")


@rule("It was registered where it stood: what it says of places is wrong by as much.")
def not_as_registered(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        if device.registered is not None and device.mount and "azimuth_deg" in device.mount:
            said = apart(device.mount, device.registered)
            if said:
                yield Found("warning", checked.device_at(device.code), said, "register it again, or mend its mount")


@rule("What stands off the plan is seen by nobody there.")
def off_the_plan(checked: Checked) -> Iterator[Found]:
    plan = checked.site.plan
    for device in checked.in_use if plan is not None else ():
        x, y = (device.mount or {}).get("x_m"), (device.mount or {}).get("y_m")
        if (
            plan is not None
            and x is not None
            and y is not None
            and not (0 <= x <= plan.width_m and 0 <= y <= plan.height_m)
        ):
            yield Found(
                "error", checked.device_at(device.code), f"stands at {x:g}, {y:g} m, off the plan", "a place on it"
            )


@rule("Nobody can say what it sees, or for whom it is loud enough.")
def not_on_the_plan(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use if checked.site.plan is not None else ():
        if mount_model(device.kind) is not None and not device.mount:
            yield Found("note", checked.device_at(device.code), "stands nowhere on the plan", "a place on it")


def _other_port(checked: Checked, device: Device) -> Fix | None:
    """Return that it hangs on a free port which feeds it, if there is one."""
    unit = checked.register.units[device.code]
    cure = next(iter(port_cures(unit, checked.register)), None)
    if cure is None or not cure.take:
        return None
    sets = tuple(((key,), value) for key, value in cure.take["change"].items())
    return Fix(cure.text[0].upper() + cure.text[1:], "device", device.code, sets)


# ---- how they are reached ----


@rule("Two at one address answer for each other.")
def address_twice(checked: Checked) -> Iterator[Found]:
    held: dict[tuple[object, ...], list[str]] = defaultdict(list)
    for device in checked.in_use:
        where = _reached(device)
        if where is not None:
            held[where].append(device.code)
    for where, codes in held.items():
        for code in codes[1:]:
            what = f"has the address of {codes[0]}, {where[0]}"
            yield Found("error", checked.device_at(code), what, "an address of its own")


@rule("A loopback address is the machine that the program runs on: on site nothing answers there.")
def address_of_this_machine(checked: Checked) -> Iterator[Found]:
    for device in () if checked.simulated else checked.in_use:
        where = _reached(device)
        if where is not None and _is_loopback(str(where[0])):
            yield Found(
                "warning", checked.device_at(device.code), f"is reached at {where[0]}", "its address on the network"
            )


@rule("Without an address it is never switched.")
def address_missing(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        needed = [output.name for output in device.outputs if output.name in checked.switched]
        if needed and _reached(device) is None and DEVICE_KINDS[device.kind].reached == "written":
            what = f"has no address, and {', '.join(needed)} {'is' if len(needed) == 1 else 'are'} linked"
            yield Found("warning", checked.device_at(device.code), what, "its host and port")


@rule("The first thing that anybody tries is the name that it came with.")
def usual_login(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        login = str(device.address.get("login") or "")
        if login.casefold() in USUAL_LOGINS:
            yield Found(
                "warning",
                checked.device_at(device.code),
                f"its log-in is {login!r}",
                "an account of its own, and a password",
            )


@rule("Coils that stay as they are when the program is gone may hold a gate open all night.")
def no_watchdog(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        if any(output.name in checked.switched for output in device.outputs) and device.watchdog is None:
            yield Found("note", checked.device_at(device.code), "has no watchdog", "one, where the module has it")


def _reached(device: Device) -> tuple[object, ...] | None:
    """Return where it is reached: host, port, unit, path; None: nobody said."""
    address = device.address
    if address.get("host"):
        return str(address["host"]), address.get("port"), address.get("unit")
    url = address.get("url")
    if not url:
        return None
    parts = urlsplit(str(url))
    return str(parts.hostname), parts.port, parts.path


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost" or host.endswith(".localhost")


def _pixels(device: Device) -> tuple[int, int] | None:
    width, height = device.ability.get("width"), device.ability.get("height")
    return (int(width), int(height)) if width and height else None


RULES = (
    type_unknown, type_of_another_kind, ability_unknown, load_too_high, watts_short, stream_of_nobody, terminals_short,
    channels_differ, mounted_otherwise, mount_wrong, not_as_registered, off_the_plan, not_on_the_plan, address_twice,
    address_of_this_machine, address_missing, usual_login, no_watchdog,
)  # fmt: skip
