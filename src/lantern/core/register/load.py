"""The load of a device's processor, as the parts that it is made of."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from lantern.core.register.device_type import Ability
from lantern.core.register.installed import Picture, Site, SwitchedOn, Unit

NEAR = 1e-9


@dataclass(frozen=True)
class Part:
    """One ability that runs: what it costs, and for whose sake it is on."""

    on: SwitchedOn
    ability: Ability
    picture: Picture
    needed_by: tuple[str, ...] = ()  # detectors
    asked: bool = False  # only asked about: it is not on

    @property
    def percent(self) -> float:
        """Its load; a picture that nobody knows counts with the fixed part alone."""
        return self.ability.load.percent(self.picture.mps or 0.0)

    @property
    def unknown(self) -> bool:
        """Return whether its load depends on a picture that nobody knows."""
        return self.ability.load.percent_per_mps > 0 and self.picture.mps is None


@dataclass(frozen=True)
class Burden:
    """All that runs on a processor, with what must stay free."""

    parts: Sequence[Part]
    reserve_percent: float

    @property
    def percent(self) -> float:
        return sum(part.percent for part in self.parts)

    @property
    def room_percent(self) -> float:
        """Return what may be used."""
        return 100.0 - self.reserve_percent

    @property
    def over_percent(self) -> float:
        """Return by how much it is over what may be used; 0: it is not."""
        over = self.percent - self.room_percent
        return over if over > NEAR else 0.0


def part_of(on: SwitchedOn, ability: Ability, unit: Unit, site: Site, *, asked: bool = False) -> Part:
    """The ability with the picture that it looks at: as set for it, else the channel's or the other device's."""
    below = site.stream(on.of) if on.of else unit.picture_of(on.channel)
    return Part(on, ability, Picture(on.width, on.height, on.fps).over(below), asked=asked)


def least_to_drop(parts: Sequence[Part], over_percent: float) -> list[Part]:
    """The fewest of these parts that free so much, and of those the ones that free the least; none: all are too little."""
    droppable = [part for part in parts if not part.asked and not part.needed_by and part.percent > 0]
    for size in range(1, len(droppable) + 1):
        fitting = [
            chosen
            for chosen in combinations(droppable, size)
            if sum(part.percent for part in chosen) >= over_percent - NEAR
        ]
        if fitting:
            return list(min(fitting, key=lambda chosen: sum(part.percent for part in chosen)))
    return []


def rate_that_fits(part: Part, over_percent: float) -> float | None:
    """The greatest whole rate in Hz at which the part costs so much less; None: even 1 Hz is too much, or rate costs nothing."""
    picture = part.picture
    if picture.width is None or picture.height is None or picture.fps is None or not part.ability.load.percent_per_mps:
        return None
    a_hz = part.ability.load.percent_per_mps * picture.width * picture.height / 1e6
    rate_hz = int((part.percent - over_percent - part.ability.load.fixed_percent) / a_hz + NEAR)
    return float(rate_hz) if 1 <= rate_hz < picture.fps else None
