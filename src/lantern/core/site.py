"""The whole of a site as one document (file format `lantern-site/1`). Names refer to names."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from lantern.core.devices import DeviceKindName
from lantern.core.effects.message import Message
from lantern.core.events import Detector, Region
from lantern.core.faults import FaultList, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.linking.expectations import Expectation
from lantern.core.linking.inputs import Input
from lantern.core.linking.leads import Names
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output, Watchdog
from lantern.core.logic.compounds import Compound, ordered
from lantern.core.logic.timetable import Timetable, zone_of
from lantern.core.modelled import Strict
from lantern.core.promise.plan import Plan
from lantern.core.ptz.rounds import Sheet
from lantern.core.ptz.turned import Turned
from lantern.core.register.device_type import DeviceType
from lantern.core.register.firmware import Firmware
from lantern.core.register.installed import Channel, HangsOn, SwitchedOn
from lantern.core.register.power import Power
from lantern.core.registration.registered import Registered


def _known_zone(name: str) -> str:
    zone_of(name)
    return name


Zone = Annotated[str, AfterValidator(_known_zone)]
Point = tuple[float, float]


class Named(BaseModel):
    """Something of a subject to come: its name is checked, the rest is kept as it is."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)

    name: str = Field(min_length=1, max_length=120)


class Device(Strict):
    """A sensor, a module, a switch. `ability` are its settings, `abilities` what of its type is on, `address` how it is reached;
    tokens are in no file. `mount` is of a subject to come: checked for shape, kept, written again.
    """

    code: str = Field(min_length=1, max_length=20)
    name: str = Field(min_length=1, max_length=120)
    kind: DeviceKindName
    ability: dict[str, Any] = Field(default_factory=dict)
    address: dict[str, Any] = Field(default_factory=dict)
    outputs: tuple[Output, ...] = ()
    watchdog: Watchdog | None = None
    retired: bool = False
    type: str | None = Field(default=None, max_length=120)
    firmware: Firmware | None = None
    power: Power | None = Field(default=None, description="what it draws, where that is not what its type draws")
    hangs_on: HangsOn | None = None
    mount: dict[str, Any] | None = None
    registered: Registered | None = None
    turned: Turned | None = None
    duty: Sheet | None = None
    channels: tuple[Channel, ...] = ()
    abilities: dict[str, Any] | tuple[SwitchedOn, ...] = ()
    inputs: tuple[Input, ...] = ()


class Place(Strict):
    name: str = Field(min_length=1, max_length=120)
    devices: tuple[Device, ...] = ()
    polygon: tuple[Point, ...] | None = None


class Acceptance(Strict):
    """A finding of the preflight that somebody lives with: why, who, and since when. `what`: what it said then; none: whatever it says."""

    rule: str = Field(min_length=1, max_length=80)
    at: str = Field(max_length=400)
    because: str = Field(min_length=1, max_length=2000)
    by: str = Field(default="", max_length=120)
    on: str = Field(default="", max_length=40)
    what: str | None = Field(default=None, max_length=2000)


class SiteRegion(Region):
    """A region with whatever its family keeps of it, which `Site.check` holds against the family's model."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)


class SiteDetector(Detector):
    """A detector with how it stands on its site; what only its family has is held against the family's model by `Site.check`."""

    model_config = ConfigDict(frozen=True, extra="allow")

    regions: tuple[SiteRegion, ...] = ()
    enabled: bool = Field(default=True, description="it runs live")
    retired: bool = False

    @property
    def plain(self) -> Detector:
        """Return it as a detector's own file has it. Raises `Refused`."""
        return detector_of(self.model_dump(mode="json", exclude={"enabled", "retired"}))


class Site(Strict):
    """`lists` are for the families whose detectors name them."""

    format: Literal["lantern-site/1"] = "lantern-site/1"
    name: str = Field(min_length=1, max_length=120)
    zone: Zone = "UTC"
    places: tuple[Place, ...] = ()
    detectors: tuple[SiteDetector, ...] = ()
    timetables: tuple[Timetable, ...] = ()
    links: tuple[LinkRule, ...] = ()
    types: tuple[DeviceType, ...] = Field(
        default=(), description="of its devices, where the register that ships has them not"
    )
    plan: Plan | None = None
    lists: tuple[Named, ...] = ()
    compounds: tuple[Compound, ...] = ()
    messages: tuple[Message, ...] = ()
    expectations: tuple[Expectation, ...] = ()
    accepted: tuple[Acceptance, ...] = ()

    @property
    def devices(self) -> list[Device]:
        return [device for place in self.places for device in place.devices]

    @property
    def list_bodies(self) -> dict[str, dict[str, Any]]:
        """Return what is on the lists, by name."""
        return {held.name: held.model_dump(mode="json") for held in self.lists}

    @property
    def own_hours(self) -> dict[tuple[str, str], str]:
        """Return the timetables of detectors, inputs and outputs, by (what, name)."""
        devices = self.devices
        things = [("output", each) for device in devices for each in device.outputs]
        found = [(what, each.name, each.timetable) for what, each in things]
        found += [("input", each.name, each.timetable) for device in devices for each in device.inputs]
        found += [("detector", each.name, each.timetable) for each in self.detectors]
        return {(what, name): timetable for what, name, timetable in found if timetable}

    @property
    def names(self) -> Names:
        """Return what compounds and links may lead to."""
        devices = self.devices
        return Names(
            detectors={each.name for each in self.detectors},
            inputs={each.name for device in devices for each in device.inputs},
            compounds={each.name for each in self.compounds},
            timetables={each.name for each in self.timetables},
            messages={each.name for each in self.messages},
            outputs={output.name: output for device in devices for output in device.outputs},
            kinds={device.code: device.kind for device in devices},
        )

    def check(self) -> None:
        """Names that must be unique are, names lead somewhere, dials are their kind's. Raises `Refused` with every fault."""
        faults = FaultList()
        _check_names(self, faults)
        timetables = {t.name for t in self.timetables}
        devices = {device.code for device in self.devices}
        for n, detector in enumerate(self.detectors):
            where = f"detectors.{n}"
            _check_leads(faults, f"{where}.device", detector.device, devices)
            if detector.timetable:
                _check_leads(faults, f"{where}.timetable", detector.timetable, timetables)
            try:
                kind, plain = kind_of(detector.kind), detector.plain
                kind.read_dials(plain)
                kind.lists.filled(plain, self.list_bodies)
            except Refused as error:
                for fault in error.faults:
                    faults.add(f"{where}.{fault.where.removeprefix('detector: ')}", fault.what, fault.expected)
        _check_cables(self, faults)
        for n, aim in enumerate(self.plan.aims if self.plan is not None else ()):
            _check_leads(faults, f"plan.aims.{n}.device", aim.device, devices)
        names = self.names
        names.check_compounds(self.compounds, faults)
        for n, link in enumerate(self.links):
            names.check_link(f"links.{n}", link, faults)
        for (what, name), timetable in self.own_hours.items():
            if what != "detector":
                _check_leads(faults, f"{what} {name}: timetable", timetable, timetables)
        faults.refuse_if_any()
        ordered(self.compounds)  # a circle is refused


NAMING = frozenset({"code", "name", "output"})  # keys by which one of a list is told from the others


def differences(one: Site, other: Site) -> list[dict[str, Any]]:
    """Return where two sites are not alike: the place in the document, and what stands there in each. Lists of what has
    a name (or a code) go by it, so that another order is no difference.
    """
    documents = (site.model_dump(mode="json", exclude_none=True) for site in (one, other))
    return [{"at": key, "first": first, "second": second} for key, first, second in differing(*documents)]


def differing(one: Mapping[str, Any], other: Mapping[str, Any]) -> list[tuple[str, Any, Any]]:
    """The places at which two documents are not alike, in their order, with what stands there in each (None: nothing)."""
    first, second = _flat(dict(one)), _flat(dict(other))
    keys = sorted(first.keys() | second.keys())
    return [(key, first.get(key), second.get(key)) for key in keys if first.get(key) != second.get(key)]


def by_object(found: Sequence[dict[str, Any]]) -> list[tuple[str, list[dict[str, Any]]]]:
    """Differences by what they are of: the last in their place that has a name (`places[Yard].devices[V2]`); of the site itself: ""."""
    out: dict[str, list[dict[str, Any]]] = {}
    for each in found:
        at = each["at"]
        out.setdefault(at[: at.rfind("]") + 1], []).append(each)
    return list(out.items())


def _flat(value: Any, at: str = "") -> dict[str, Any]:
    if isinstance(value, dict):
        inner = {f"{at}.{key}" if at else key: part for key, part in value.items()}
    elif isinstance(value, list) and value and all(isinstance(v, dict) and not NAMING.isdisjoint(v) for v in value):
        inner = {f"{at}[{next(v[key] for key in v if key in NAMING)}]": v for v in value}
    else:
        return {} if value == [] else {at: value}
    return {key: each for place, part in inner.items() for key, each in _flat(part, place).items()}


def _check_names(site: Site, faults: FaultList) -> None:
    named: dict[str, list[str]] = {
        "places": [place.name for place in site.places],
        "devices": [device.code for device in site.devices],
        "outputs": [output.name for device in site.devices for output in device.outputs],
        "inputs": [each.name for device in site.devices for each in device.inputs],
        "types": [each.name for each in site.types],
        "accepted": [f"{each.rule} at {each.at}" for each in site.accepted],
        **{what: [each.name for each in getattr(site, what)] for what in ("detectors", "timetables", "links")},
        **{
            what: [each.name for each in getattr(site, what)]
            for what in ("lists", "compounds", "messages", "expectations")
        },
    }
    for what, names in named.items():
        for name, count in sorted(Counter(names).items()):
            if count > 1:
                faults.add(what, f"{count} are called {name!r}", "a name of its own for each")


def _check_cables(site: Site, faults: FaultList) -> None:
    """Check that what a device hangs on is there, and that no two hang on one port."""
    codes = {device.code for device in site.devices}
    held: dict[tuple[str, str], str] = {}
    for device in site.devices:
        if device.hangs_on is None or device.retired:
            continue
        where, at = f"devices: {device.code}.hangs_on", (device.hangs_on.switch, device.hangs_on.port)
        _check_leads(faults, f"{where}.switch", device.hangs_on.switch, codes - {device.code})
        if at in held:
            faults.add(where, f"port {at[1]} of {at[0]} has {held[at]} on it", "a port of its own")
        held[at] = device.code


def _check_leads(faults: FaultList, where: str, name: str | None, there: Collection[str]) -> None:
    if name not in there:
        known = ", ".join(sorted(there)[:12]) or "none is there"
        faults.add(where, f"{name!r} is not in the file", f"one of its own: {known}")
