"""Live returns of a radar on the wire: one JSON document a scan, documented in docs/wire.md."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lantern.core.faults import Refused
from lantern.core.modelled import key_fault
from lantern.core.radar.returns import Return
from lantern.formats.limits import MOST_NAME
from lantern.formats.text import has_controls
from lantern.signals.radar.table import MOST_AZIMUTH_DEG, MOST_RANGE_M, MOST_RCS_DBSM, MOST_SPEED_MPS

LARGEST_MESSAGE = 256 * 1024
MOST_RETURNS = 1000  # of a scan


class SentReturn(BaseModel):
    """One target in a scan, or one detection: `snr_db` above the noise, where the unit knows."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    target: Annotated[str, Field(max_length=MOST_NAME)] = ""
    range_m: Annotated[float, Field(ge=0, le=MOST_RANGE_M)]
    azimuth_deg: Annotated[float, Field(ge=-MOST_AZIMUTH_DEG, le=MOST_AZIMUTH_DEG)]
    radial_speed_mps: Annotated[float, Field(ge=-MOST_SPEED_MPS, le=MOST_SPEED_MPS)]
    rcs_dbsm: Annotated[float, Field(ge=-MOST_RCS_DBSM, le=MOST_RCS_DBSM)]

    snr_db: Annotated[float, Field(ge=-300, le=300)] | None = None

    def seen(self) -> Return:
        return Return(self.target, self.range_m, self.azimuth_deg, self.radial_speed_mps, self.rcs_dbsm, self.snr_db)


class SentScan(BaseModel):
    """All that a radar saw in one scan; no returns: it sees nothing, and works."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-scan/1"] = "lantern-scan/1"
    seq: int = Field(ge=0, le=2**53)
    t: float = Field(gt=0, lt=1e11, description="when it was, Unix seconds at the radar")
    detections: bool = Field(default=False, description="nobody has followed them: none has a target")
    returns: tuple[SentReturn, ...] = Field(default=(), max_length=MOST_RETURNS)

    @model_validator(mode="after")
    def _plain(self) -> Self:
        named = [each.target for each in self.returns if each.target]
        if self.detections and named:
            raise ValueError(f"{named[0]} among detections: no target, or detections false")
        if not self.detections and len(named) < len(self.returns):
            raise ValueError("a return without a target: what the radar calls it, or detections true")
        twice = [target for target, count in Counter(named).items() if count > 1]
        if twice:
            raise ValueError(f"{', '.join(twice[:3])} twice in a scan: each target once")
        if any(has_controls(each.target) for each in self.returns):
            raise ValueError("control characters in a target: none")
        return self


def unpack_scan(message: bytes) -> SentScan:
    """Return a message's scan. Raises `Refused`."""
    try:
        return SentScan.model_validate_json(message)
    except ValidationError as error:
        raise Refused([key_fault("scan", detail) for detail in error.errors()]) from error
