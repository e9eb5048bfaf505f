"""Outputs of modules, and the watchdog that lets them go."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer

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

    timetable: str | None = Field(default=None, max_length=120, description="ordered outside it nothing is done")

    life_safety: bool = Field(default=False, description="no limit may hold back what is ordered of it")

    @model_serializer(mode="wrap")
    def _plain(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """What it is not is not written."""
        out: dict[str, Any] = handler(self)
        return out if self.life_safety else {key: value for key, value in out.items() if key != "life_safety"}

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
