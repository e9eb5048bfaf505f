"""What a device's own document says of it as a thing that can do something: channels, what is switched on, where it hangs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from lantern.core.modelled import Strict
from lantern.core.register.device_type import Ability, DeviceType
from lantern.core.register.power import Power


class Loose(BaseModel):
    """Keys of subjects to come are kept as they are."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)


class Channel(Loose):
    """A body or a sensor of the device, as it is set."""

    name: str | None = Field(default=None, min_length=1, max_length=40)
    width: int | None = Field(default=None, gt=0, le=20_000)
    height: int | None = Field(default=None, gt=0, le=20_000)
    fps: float | None = Field(default=None, gt=0, le=1000)
    settings: dict[str, str | float | bool] = Field(default_factory=dict, description="time zone, exposure, ...")


class SwitchedOn(Loose):
    """An ability that is on: on one of the device's channels, or on the stream `of` another device."""

    name: str = Field(min_length=1, max_length=60)
    channel: str | None = Field(default=None, max_length=40)
    of: str | None = Field(default=None, max_length=20, description="the device whose pictures it looks at")
    width: int | None = Field(default=None, gt=0, le=20_000)
    height: int | None = Field(default=None, gt=0, le=20_000)
    fps: float | None = Field(default=None, gt=0, le=1000)

    @property
    def words(self) -> str:
        return self.name + (f" of {self.of}" if self.of else f" on {self.channel}" if self.channel else "")


class HangsOn(Strict):
    """The switch that feeds it and brings its data, and the port there."""

    switch: str = Field(min_length=1, max_length=20)
    port: str = Field(min_length=1, max_length=20)


@dataclass(frozen=True)
class Picture:
    """Pixels and rate of what an ability looks at; None where nobody said."""

    width: int | None = None
    height: int | None = None
    fps: float | None = None

    @property
    def mps(self) -> float | None:
        """Megapixels a second."""
        if self.width is None or self.height is None or self.fps is None:
            return None
        return self.width * self.height * self.fps / 1e6

    @property
    def words(self) -> str:
        size = f"{self.width} x {self.height}" if self.width is not None else "a picture of unknown size"
        return f"{size} at {self.fps:g} Hz" if self.fps is not None else size

    def over(self, below: Picture) -> Picture:
        """This where it says something, else what is below."""
        return Picture(
            below.width if self.width is None else self.width,
            below.height if self.height is None else self.height,
            below.fps if self.fps is None else self.fps,
        )


@dataclass(frozen=True)
class Work:
    """A detector as it burdens its device: what it is, and how much of each limit it needs."""

    name: str
    kind: str
    channel: str | None = None
    regions: int = 0
    lines: int = 0
    lists: int = 0
    timetable: str | None = None
    enabled: bool = True


@dataclass(frozen=True)
class Unit:
    """A device of the site as the register sees it."""

    code: str
    kind: str  # of device
    type_name: str | None = None
    type: DeviceType | None = None  # None: none given, or one that the register has not
    firmware: str | None = None
    picture: Picture = Picture()
    channels: Sequence[Channel] = ()
    on: Sequence[SwitchedOn] = ()
    hangs_on: HangsOn | None = None
    power: Power | None = None  # its own, where it differs from its type's
    works: Sequence[Work] = ()
    retired: bool = False

    @property
    def draws(self) -> Power | None:
        return self.power or (self.type.power if self.type else None)

    @property
    def channel_names(self) -> list[str]:
        """Return the channels of its type, then those that only its own document has."""
        named = [channel.name for channel in self.type.channels] if self.type else []
        own = [channel.name or str(number) for number, channel in enumerate(self.channels, 1)]
        return [*named, *(name for name in own if name not in named)]

    def picture_of(self, channel: str | None) -> Picture:
        """Return the picture as the channel is set; else as its type has it; else the device's own. None: the first
        channel.
        """
        names = self.channel_names
        name = channel or (names[0] if names else None)
        own = next((c for n, c in enumerate(self.channels, 1) if (c.name or str(n)) == name), None)
        typed = next((c for c in self.type.channels if c.name == name), None) if self.type else None
        found = Picture() if own is None else Picture(own.width, own.height, own.fps)
        if name in names[1:]:  # the device's own picture is that of its first channel
            return found if typed is None else found.over(Picture(typed.width, typed.height, typed.fps))
        found = found.over(self.picture)
        return found if typed is None else found.over(Picture(typed.width, typed.height, typed.fps))


@dataclass(frozen=True)
class Site:
    """All devices of a site, by code: what hangs on what, and who else can."""

    units: Mapping[str, Unit] = field(default_factory=dict)

    def in_use(self) -> list[Unit]:
        return [unit for unit in self.units.values() if not unit.retired]

    def stream(self, of: str) -> Picture:
        """The picture that another device gives."""
        return self.units[of].picture_of(None) if of in self.units else Picture()


def switched_on(given: Sequence[Any] | Mapping[str, Any]) -> list[SwitchedOn]:
    """Return what is on, of a device's `abilities`: a list of entries, or settings by name."""
    if isinstance(given, Mapping):
        return [SwitchedOn.model_validate({"name": name, **dict(more or {})}) for name, more in given.items()]
    return [SwitchedOn.model_validate(each) for each in given]


def serves(ability: Ability, kind: str, signals: Sequence[str]) -> bool:
    """Return whether a detector of this kind, which reads these signals, may stand on the ability."""
    return kind in ability.kinds if ability.kinds else ability.signal in signals
