"""Links: from a detector's events, under a timetable, to what outputs do."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict

MOST_FLASHES_PER_S = 3.0  # WCAG 2.x success criterion 2.3.1, three flashes; from memory


class Output(Strict):
    """Something that can be switched: a relay's contact, or a beacon on one. `coil` is its address on the module."""

    name: str = Field(min_length=1, max_length=80)
    what: Literal["relay", "beacon"] = "relay"
    coil: int = Field(ge=0, le=65_535)
    contact: Literal["normally_open", "normally_closed"] = Field(
        default="normally_open",
        description="normally closed: the coil is held on while idle and let go when active, so a cut wire shows",
    )

    @property
    def flashes(self) -> bool:
        """Return whether it can flash."""
        return self.what == "beacon"

    def coil_for(self, active: bool) -> bool:
        """Normally open: coil on when active. Normally closed: coil on when idle."""
        return active if self.contact == "normally_open" else not active


class Watchdog(Strict):
    """A module that lets all its coils go when nobody has written to a holding register of it for a while.

    Who drives it writes `value` there again and again; after `value` x `unit_s` seconds without that, coils drop.
    """

    register_address: int = Field(ge=0, le=65_535, description="holding register, from 0")
    unit_s: float = Field(gt=0, le=60, description="what one unit of the value stands for, in s")
    value: int = Field(ge=1, le=65_535)

    @property
    def timeout_s(self) -> float:
        return self.value * self.unit_s


class Effect(Strict):
    """What one output does when the link fires."""

    output: str
    mode: Literal["pulse", "latched"] = Field(default="pulse", description="latched: on until someone acknowledges it")
    length_s: float = Field(default=5.0, gt=0, le=86_400, description="how long a pulse lasts, in s")
    flash_hz: float | None = Field(default=None, gt=0, le=MOST_FLASHES_PER_S, description="a beacon's flashes a second")
    expire_s: float = Field(default=60.0, gt=0, le=86_400, description="delivered later than this it is dropped, in s")


class LinkRule(Strict):
    """Cause to effects: a detector, or an input of a module. `on_repeat`: does a repeat of a standing alarm fire again
    (and so extend a pulse)?
    """

    name: str = Field(min_length=1, max_length=120)
    detector: str | None = None
    input: str | None = Field(default=None, description="an input of a module, instead of a detector")
    region: str | None = Field(
        default=None,
        description="only what this region raises (occupancy: the capacity; an input: active, fault); empty: all",
    )
    lists: tuple[str, ...] = Field(default=(), description="only what matched an entry of these lists; empty: all")
    timetable: str | None = None
    delay_s: float = Field(default=0.0, ge=0, le=86_400)
    on_repeat: bool = True
    effects: tuple[Effect, ...] = ()

    def listens_to(self, region: str, listed: str | None = None) -> bool:
        """Return whether it hears an event of this region, which matched an entry of that list (None: of none)."""
        return self.region in (None, region) and (not self.lists or listed in self.lists)

    @property
    def cause(self) -> str:
        """The name of what it listens to."""
        return self.detector or self.input or ""

    @model_validator(mode="after")
    def _one_cause(self) -> Self:
        if (self.detector is None) == (self.input is None):
            raise ValueError("give detector, or input, and not both: a link has one cause")
        return self

    @model_validator(mode="after")
    def _one_effect_an_output(self) -> Self:
        names = [effect.output for effect in self.effects]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise ValueError(f"output {', '.join(twice)} has two effects in one link: keep one")
        return self
