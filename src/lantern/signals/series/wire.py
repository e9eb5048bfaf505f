"""Live readings on the wire: one JSON document a moment, documented in docs/wire.md."""

from __future__ import annotations

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lantern.core.faults import FaultList, Refused
from lantern.core.modelled import key_fault
from lantern.core.signals import Series
from lantern.formats.limits import COLDEST_C, HOTTEST_C, MOST_NAME, MOST_READING
from lantern.formats.text import has_controls
from lantern.formats.units import read_units

LARGEST_MESSAGE = 64 * 1024
MOST_COLUMNS = 200
Reading = Annotated[float, Field(ge=-MOST_READING, le=MOST_READING)]


class SentReadings(BaseModel):
    """All that a device measured at one moment, by the names of its columns."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-readings/1"] = "lantern-readings/1"
    seq: int = Field(ge=0, le=2**53)
    t: float = Field(gt=0, lt=1e11, description="when it was measured, Unix seconds at the device")
    readings: dict[str, Reading] = Field(min_length=1, max_length=MOST_COLUMNS)
    units: dict[str, str] = Field(default_factory=dict, max_length=MOST_COLUMNS)

    @model_validator(mode="after")
    def _named(self) -> Self:
        for name in (*self.readings, *self.units):
            if not name or len(name) > MOST_NAME or has_controls(name):
                raise ValueError(
                    f"{name[:40]!r}: a name of 1 to {MOST_NAME} characters, none of them a control character"
                )
        return self

    def columns(self) -> dict[str, Series]:
        """Return each reading as a series of one sample, in the units of the program. Raises `Refused`."""
        faults = FaultList()
        units = read_units(self.units, faults, where="readings: units")
        out, at = {}, np.array([self.t])
        for name, value in self.readings.items():
            unit = units.get(name)
            x = np.array([value]) if unit is None else unit.to_inside(np.array([value]))
            inside = "" if unit is None else unit.inside
            if inside == "°C" and not COLDEST_C <= x[0] <= HOTTEST_C:
                faults.add(f"readings: {name}", f"{value:g} {self.units[name]}", f"{COLDEST_C:g} to {HOTTEST_C:g} °C")
            out[name] = Series(at, x, inside, name)
        faults.refuse_if_any()
        return out


def unpack_readings(message: bytes) -> SentReadings:
    """Return a message's readings. Raises `Refused`."""
    try:
        return SentReadings.model_validate_json(message)
    except ValidationError as error:
        raise Refused([key_fault("readings", detail) for detail in error.errors()]) from error
