"""The kinds of device there are: those that the families look at, and those of no family."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import AfterValidator, Field

from lantern.core.device_kind import DeviceKind
from lantern.core.families import FAMILIES
from lantern.core.faults import FaultList
from lantern.core.kind import AnyKind
from lantern.core.kinds import KINDS

MOST_PORT, MOST_UNIT = 65_535, 247  # unit: Modbus application protocol V1.1b3, from memory


APART = (  # of no family: switched, or known and not spoken to yet
    DeviceKind("io_module", "I/O module", (), "written", pictured=False),
    DeviceKind("speaker", "speaker", (), "played", pictured=False),
    DeviceKind("recorder", "recorder", (), "unconnected", pictured=False),
    DeviceKind("analytics", "analytics box", (), "unconnected", pictured=False),
    DeviceKind("switch", "network switch", (), "unconnected", pictured=False),
)
DEVICE_KINDS: dict[str, DeviceKind] = {
    kind.name: kind for kinds in (*(family.devices for family in FAMILIES.values()), APART) for kind in kinds
}

FIGURES = tuple(dict.fromkeys(group for kind in DEVICE_KINDS.values() for group in kind.asks))  # asked of any


SIGNAL_WORDS = {name: words for family in FAMILIES.values() for name, words in family.signals.items()}


def in_words(signals: Sequence[str]) -> str:
    """Return what signals are, as one says it; a signal that no family looks at goes by its name."""
    return " or ".join(SIGNAL_WORDS.get(name, name) for name in signals)


def given_by(kind: str) -> str:
    """Return what a kind of device gives, in words."""
    return in_words(DEVICE_KINDS[kind].signals) or "nothing to look at"


def _known(name: str) -> str:
    if name not in DEVICE_KINDS:
        raise ValueError(f"one of {', '.join(DEVICE_KINDS)}")
    return name


DeviceKindName = Annotated[str, AfterValidator(_known), Field(json_schema_extra={"enum": list(DEVICE_KINDS)})]


@dataclass(frozen=True)
class Suitable:
    """A detector kind for a device, and why not, if it is not. `caution`: it may be made, and the device could not carry it."""

    kind: AnyKind
    why_not: str = ""
    caution: str = ""


def suitable(device_kind: str, takes: Sequence[str] = (), *, also: Sequence[str] = ()) -> list[Suitable]:
    """Return all detector kinds, those that such a device can do first. `takes`: kinds of the takes that there are;
    `also`: signals that this one gives besides those of its kind.
    """
    device = DEVICE_KINDS[device_kind]
    signals = {*device.signals, *also}
    found = []
    for kind in KINDS.values():
        common = [signal for signal in kind.signals if signal in signals]
        if not common:
            why_not = f"it looks at {in_words(kind.signals)}; {device.a_title} gives {given_by(device_kind)}"
        elif takes and not set(common) & set(takes):
            why_not = f"it looks at {in_words(common)}; the device's takes hold {in_words(sorted(set(takes)))}"
        else:
            why_not = ""
        found.append(Suitable(kind, why_not))
    return sorted(found, key=lambda each: bool(each.why_not))


def check_address(kind: str, address: dict[str, Any], faults: FaultList) -> None:
    """An address may be empty: the device is not reached yet. Else it is of the sort that the kind has."""
    reached = DEVICE_KINDS[kind].reached
    known = {
        "sends": (),
        "asked": ("url",),
        "written": ("host", "port", "unit"),
        "steered": ("url", "login"),
        "played": ("url", "host", "port"),
        "unconnected": ("url", "host", "port"),
    }[reached]
    if DEVICE_KINDS[kind].has_gallery:
        known = (*known, "url")
    for key in address.keys() - set(known):
        faults.add(f"address.{key}", "does not belong to such a device", ", ".join(known) or "none: it sends to us")
    url = address.get("url")
    if url is not None and not (isinstance(url, str) and url.startswith(("http://", "https://")) and len(url) < 500):
        faults.add("address.url", repr(url)[:80], "an address such as http://10.0.0.7/metadata")
    login = address.get("login")
    if login is not None and not (isinstance(login, str) and 0 < len(login) < 100 and login.isprintable()):
        faults.add("address.login", repr(login)[:80], "the name by which it lets us in")
    if "host" in address or "port" in address:
        host, port = address.get("host"), address.get("port")
        if not (isinstance(host, str) and 0 < len(host) < 254 and host.isprintable() and " " not in host):
            faults.add("address.host", repr(host)[:80], "a host name or IP address")
        if not (isinstance(port, int) and 1 <= port <= MOST_PORT):
            faults.add("address.port", repr(port)[:80], f"a port, 1 to {MOST_PORT} (Modbus TCP: 502)")
        unit = address.get("unit", 1)
        if not (isinstance(unit, int) and 0 <= unit <= MOST_UNIT):
            faults.add("address.unit", repr(unit)[:80], f"a unit number, 0 to {MOST_UNIT}")
