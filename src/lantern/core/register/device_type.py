"""What a device of some type can do: the form of the register's entries (file format `lantern-type/1`)."""

from __future__ import annotations

from collections import Counter
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from lantern.core.devices import DeviceKindName
from lantern.core.modelled import Strict
from lantern.core.register.firmware import Firmware
from lantern.core.register.mounting import Mounting
from lantern.core.register.power import Power, class_of

RESERVE_PERCENT = 20.0  # common practice, no source: a processor that is full drops frames when the scene gets busy


class Load(Strict):
    """What an ability costs the device's processor: fixed + k x megapixels a second."""

    fixed_percent: float = Field(default=0.0, ge=0, le=100)
    percent_per_mps: float = Field(default=0.0, ge=0, le=100, description="for each megapixel a second")

    def percent(self, mps: float) -> float:
        """The load in percent at `mps` megapixels a second."""
        return self.fixed_percent + self.percent_per_mps * mps


class Limits(Strict):
    """The most of each that the ability takes; what is left out has no limit."""

    regions: int | None = Field(default=None, ge=0, description="of detectors on it, lines not counted")
    lines: int | None = Field(default=None, ge=0)
    lists: int | None = Field(default=None, ge=0, description="that one detector may name")
    rate_hz: float | None = Field(default=None, gt=0, le=1000, description="pictures a second")
    width: int | None = Field(default=None, gt=0, le=20_000, description="of the picture it looks at, in px")
    height: int | None = Field(default=None, gt=0, le=20_000)
    streams: int | None = Field(
        default=None, gt=0, le=10_000, description="of other devices, for a box that has none of its own"
    )


class Ability(Strict):
    """Something that the device can be set to do."""

    name: str = Field(min_length=1, max_length=60)
    signal: str = Field(min_length=1, max_length=40, description="what it gives: a kind of take")
    kinds: tuple[str, ...] = Field(
        default=(), description="detector kinds that may stand on it; empty: all that read the signal"
    )
    limits: Limits = Limits()
    load: Load = Load()
    excludes: tuple[str, ...] = Field(default=(), description="abilities that cannot be on together with it")
    firmware: Firmware | None = Field(default=None, description="from which firmware on")


class TypeChannel(Strict):
    """A body or a sensor of the device, with the picture that it gives unless it is set otherwise."""

    name: str = Field(min_length=1, max_length=40)
    width: int | None = Field(default=None, gt=0, le=20_000)
    height: int | None = Field(default=None, gt=0, le=20_000)
    fps: float | None = Field(default=None, gt=0, le=1000)


class PortGroup(Power):
    """Ports of a switch that are alike: by class, or by the W that each gives at the port (0: it feeds nothing)."""

    count: int = Field(ge=1, le=128)

    @property
    def gives(self) -> Power:
        """Return what one of them gives."""
        return Power(poe_class=self.poe_class) if self.poe_class is not None else class_of(self.watts or 0.0)


class DeviceType(Strict):
    """A type of device: what it gives, what that costs, what it excludes, what it draws."""

    format: Literal["lantern-type/1"] = "lantern-type/1"
    name: str = Field(min_length=1, max_length=120)
    kind: DeviceKindName = Field(description="how it is reached, and what sort of device it is")
    says: str = Field(default="", max_length=400, description="what it is, in a line")
    channels: tuple[TypeChannel, ...] = ()
    abilities: tuple[Ability, ...] = ()
    reserve_percent: float = Field(default=RESERVE_PERCENT, ge=0, lt=100, description="of its processor, left free")
    mixes: bool = Field(default=True, description="it takes streams of several families at once")
    mounting: Mounting | None = Field(default=None, description="how it may be mounted")
    power: Power | None = Field(default=None, description="what it draws over its network cable")
    ports: tuple[PortGroup, ...] = Field(default=(), description="of a switch, numbered from 1 through the groups")
    budget_w: float | None = Field(default=None, gt=0, le=100_000, description="of a switch, over all its ports")
    inputs: int = Field(default=0, ge=0, le=1000)
    outputs: int = Field(default=0, ge=0, le=1000)

    @model_validator(mode="after")
    def _leads_somewhere(self) -> Self:
        for what, names in (("abilities", self.ability_names), ("channels", [each.name for each in self.channels])):
            if twice := sorted(name for name, count in Counter(names).items() if count > 1):
                raise ValueError(f"two {what} are called {', '.join(twice)}: a name of its own for each")
        for ability in self.abilities:
            if strange := sorted(set(ability.excludes) - set(self.ability_names)):
                known = ", ".join(self.ability_names)
                raise ValueError(f"{ability.name} excludes {', '.join(strange)}, which it has not: one of {known}")
            if ability.name in ability.excludes:
                raise ValueError(f"{ability.name} excludes itself: name another")
        return self

    @property
    def ability_names(self) -> list[str]:
        return [ability.name for ability in self.abilities]

    def ability(self, name: str) -> Ability | None:
        return next((ability for ability in self.abilities if ability.name == name), None)

    @property
    def takes_streams(self) -> bool:
        """Return whether it works on pictures of other devices."""
        return any(ability.limits.streams is not None for ability in self.abilities)

    def excluded(self, one: str, other: str) -> bool:
        """Return whether two of its abilities cannot be on together, whichever of the two says so."""
        return any(
            ability.name == a and b in ability.excludes
            for a, b in ((one, other), (other, one))
            for ability in self.abilities
        )

    @property
    def port_powers(self) -> dict[str, Power]:
        """Return what each port gives, by its number."""
        powers = [group.gives for group in self.ports for _ in range(group.count)]
        return {str(number): power for number, power in enumerate(powers, 1)}


def type_schema() -> dict[str, Any]:
    """The JSON Schema of an entry of the register."""
    return DeviceType.model_json_schema()
