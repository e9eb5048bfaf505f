"""A site as rules look at it: its file, its links with their models, and where each thing stands in the file."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from lantern.core.effects.effect import Effect
from lantern.core.effects.message import Message
from lantern.core.effects.switch.effect import Switch
from lantern.core.faults import Refused
from lantern.core.kinds import KINDS
from lantern.core.linking.expectations import Expectation
from lantern.core.linking.links import LinkRule
from lantern.core.logic.causes import Cause
from lantern.core.logic.compounds import Compound
from lantern.core.logic.timetable import Timetable
from lantern.core.promise.claim import Standing, Stood
from lantern.core.promise.mounts import mount_model, standing_of
from lantern.core.register.device_type import DeviceType
from lantern.core.register.installed import Picture, Unit, Work, switched_on
from lantern.core.register.installed import Site as Register
from lantern.core.site import Device, Site, SiteDetector
from lantern.core.spoken import Measured


@dataclass(frozen=True)
class Evidence:
    """What the running program knows of a detector beyond its file: on how many takes it was judged, how it stood, over how many hours
    in which nothing should raise (None: its kind has no such hours), and what is stale of it.
    """

    takes: int
    standing: str
    quiet_h: float | None
    stale: str = ""


@dataclass(frozen=True)
class Account:
    """Somebody who may log in; `acts`: may acknowledge and take a head by hand."""

    login: str
    acts: bool


@dataclass(frozen=True)
class Checked:
    """`types`: of the register, by name. What only the running
    program knows is None for a file: `evidence` by detector, `accounts`, `taken` outputs that another site uses too, with its name. `simulated`: its devices
    are stand-ins on the machine that the program runs on. `sounds`: of messages, by name; `speaks`: this machine speaks texts.
    """

    site: Site
    types: Mapping[str, DeviceType]
    evidence: Mapping[str, Evidence] | None = None
    accounts: tuple[Account, ...] | None = None
    taken: Mapping[str, str] | None = None
    simulated: bool = False
    sounds: Mapping[str, Measured] | None = None
    speaks: bool = False

    @property
    def links(self) -> tuple[LinkRule, ...]:
        return self.site.links

    @property
    def compounds(self) -> tuple[Compound, ...]:
        return self.site.compounds

    @property
    def expectations(self) -> tuple[Expectation, ...]:
        return self.site.expectations

    @cached_property
    def messages(self) -> dict[str, Message]:
        return {each.name: each for each in self.site.messages}

    @cached_property
    def hours(self) -> dict[tuple[str, str], str]:
        return self.site.own_hours

    # ---- where things stand in the file ----

    @cached_property
    def places(self) -> dict[str, str]:
        return {device.code: place.name for place in self.site.places for device in place.devices}

    def device_at(self, code: str) -> str:
        return f"places[{self.places[code]}].devices[{code}]" if code in self.places else f"devices[{code}]"

    def output_at(self, name: str) -> str:
        code = next((each.code for each in self.site.devices for out in each.outputs if out.name == name), None)
        return f"outputs[{name}]" if code is None else f"{self.device_at(code)}.outputs[{name}]"

    def input_at(self, name: str) -> str:
        code = next((each.code for each in self.site.devices for has in each.inputs if has.name == name), None)
        return f"inputs[{name}]" if code is None else f"{self.device_at(code)}.inputs[{name}]"

    def code_of(self, at: str) -> str | None:
        """Return the device that a place in the file is of: it, what is on it, or what goes by it; None: the site's own."""
        if found := DEVICE.search(at):
            return found[1]
        what, _, name = at.removesuffix("]").partition("[")
        if what == "links":
            cause = next((link.cause for link in self.links if link.name == name), None)
            if cause is not None and cause.input:
                return next(
                    (each.code for each in self.site.devices for has in each.inputs if has.name == cause.input), None
                )
            what, name = "detectors", "" if cause is None else cause.detector or ""
        if what == "detectors" and name in self.detectors:
            return self.detectors[name].device
        if what == "plan.aims" and self.site.plan is not None:
            return next((aim.device for aim in self.site.plan.aims if aim.name == name), None)
        return None

    # ---- what there is ----

    @cached_property
    def devices(self) -> dict[str, Device]:
        return {device.code: device for device in self.site.devices}

    @cached_property
    def in_use(self) -> list[Device]:
        return [device for device in self.site.devices if not device.retired]

    @cached_property
    def detectors(self) -> dict[str, SiteDetector]:
        return {detector.name: detector for detector in self.site.detectors}

    @cached_property
    def working(self) -> list[SiteDetector]:
        """Detectors that are there to work: neither they nor their devices are retired."""
        return [each for each in self.site.detectors if not each.retired and not self.is_retired(each.device)]

    def is_retired(self, code: str | None) -> bool:
        return code in self.devices and self.devices[code].retired

    @cached_property
    def timetables(self) -> dict[str, Timetable]:
        return {each.name: each for each in self.site.timetables}

    def is_empty(self, name: str | None) -> bool:
        """Return whether a timetable is on at no hour."""
        return name in self.timetables and self.timetables[name].is_never

    def meet(self, names: Sequence[str | None]) -> bool:
        """Return whether there is an hour of the week at which all are on; those of another zone count as if there were."""
        known = [self.timetables[name] for name in names if name in self.timetables]
        if any(each.is_never for each in known):
            return False
        if len({each.zone for each in known}) > 1:
            return True
        both: list[tuple[int, int]] = [(0, WEEK_MIN)]
        for each in known:
            own = _of_week(each)
            both = [(max(a, c), min(b, d)) for a, b in both for c, d in own if max(a, c) < min(b, d)]
        return bool(both)

    # ---- causes and effects ----

    @cached_property
    def causes(self) -> list[tuple[str, Cause]]:
        """Each cause with where it is written."""
        of_links = [(f"links[{link.name}]", link.cause) for link in self.links]
        return of_links + [(f"compounds[{each.name}]", part) for each in self.compounds for part in each.parts]

    @cached_property
    def effects(self) -> list[tuple[LinkRule, Effect]]:
        return [(link, effect) for link in self.links for effect in link.effects]

    @cached_property
    def switched(self) -> set[str]:
        return {effect.output for _, effect in self.effects if isinstance(effect, Switch)}

    def uses_timetable(self) -> Iterator[tuple[str, str]]:
        """Where a timetable is used, and its name."""
        for detector in self.site.detectors:
            if detector.timetable:
                yield f"detectors[{detector.name}]", detector.timetable
        for link in self.links:
            if link.timetable:
                yield f"links[{link.name}]", link.timetable
        for each in self.compounds:
            if each.timetable:
                yield f"compounds[{each.name}]", each.timetable
        for (what, name), timetable in self.hours.items():
            if what == "output":
                yield self.output_at(name), timetable
            elif what == "input":
                yield self.input_at(name), timetable
        for device in self.in_use:
            for row in device.duty.hours if device.duty is not None else ():
                yield f"{self.device_at(device.code)}.duty", row.timetable

    def list_names(self, detector: SiteDetector) -> list[str]:
        """Return the lists that a detector names."""
        try:
            return list(KINDS[detector.kind].lists.named(detector.plain))
        except Refused:
            return []

    # ---- the register and the plan ----

    @cached_property
    def register(self) -> Register:
        return Register({device.code: self._unit(device) for device in self.site.devices})

    def _unit(self, device: Device) -> Unit:
        ability = device.ability
        width, height = ability.get("width"), ability.get("height")
        return Unit(
            code=device.code, kind=device.kind, type_name=device.type,
            type=self.types.get(device.type) if device.type else None,
            firmware=device.firmware,
            picture=Picture(_whole(width), _whole(height), ability.get("fps")),
            channels=device.channels,
            on=switched_on(device.abilities if isinstance(device.abilities, dict) else list(device.abilities)),
            hangs_on=device.hangs_on,
            power=device.power,
            works=[self.work_of(each) for each in self.site.detectors if each.device == device.code and not each.retired],
            retired=device.retired,
        )  # fmt: skip

    def work_of(self, detector: SiteDetector) -> Work:
        lines = sum(region.shape == "line" for region in detector.regions)
        return Work(
            name=detector.name, kind=detector.kind, channel=detector.channel, regions=len(detector.regions) - lines,
            lines=lines, lists=len(self.list_names(detector)), timetable=detector.timetable, enabled=detector.enabled,
        )  # fmt: skip

    @cached_property
    def stood(self) -> dict[str, Stood]:
        """Devices in use that stand on the plan with an eye or a voice; those whose mount cannot be read are left to their rule."""
        out = {}
        for device in self.in_use:
            standing = self.standing(device)
            if standing is not None:
                lines = {
                    each.name: each.regions[0].points
                    for each in self.working
                    if each.device == device.code and each.regions and each.regions[0].shape == "line"
                }
                fps = device.ability.get("fps")
                out[device.code] = Stood(device.code, standing, lines, float(fps) if fps else None)
        return out

    def standing(self, device: Device) -> Standing | None:
        if not device.mount or mount_model(device.kind) is None or len(device.mount) <= PLACE_ALONE:
            return None
        width, height = device.ability.get("width"), device.ability.get("height")
        pixels = (int(width), int(height)) if width and height else None
        try:
            return standing_of(device.kind, device.mount, pixels=pixels)
        except Refused:
            return None


DEVICE = re.compile(r"devices\[([^\]]+)\]")
WEEK_MIN = 7 * 1440
PLACE_ALONE = 2  # x_m and y_m alone: where it is, and no more


def _of_week(timetable: Timetable) -> list[tuple[int, int]]:
    return [(span.start_min, span.end_min) for span in timetable.of_week()]


def _whole(value: Any) -> int | None:
    return None if value is None else int(value)
