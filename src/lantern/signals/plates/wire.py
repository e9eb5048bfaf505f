"""Live reads of a plate reader on the wire: one JSON document a moment, documented in docs/wire.md."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lantern.core.faults import Refused
from lantern.core.modelled import key_fault
from lantern.core.plates.reads import Read
from lantern.formats.limits import MOST_PX
from lantern.formats.text import has_controls
from lantern.signals.plates.table import MOST_CHARACTERS

LARGEST_MESSAGE = 256 * 1024
MOST_READS = 100  # at one moment
MOST_CROP = 40_000  # characters of base64
Share = Annotated[float, Field(ge=0, le=1)]
Place = Annotated[float, Field(ge=-MOST_PX, le=MOST_PX)]
Size = Annotated[float, Field(gt=0, le=MOST_PX)]
Box = tuple[Place, Place, Size, Size]


class SentRead(BaseModel):
    """One vehicle's plate as it was read at that moment."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    vehicle: str = Field(min_length=1, max_length=200)
    text: str = Field(max_length=MOST_CHARACTERS)
    confidence: Share
    char_confidence: tuple[Share, ...] = Field(default=(), max_length=MOST_CHARACTERS)
    box: Box | None = Field(default=None, description="of the plate: left, top, width, height, px")
    vehicle_box: Box | None = None
    crop: str | None = Field(default=None, max_length=MOST_CROP, description="a small PNG of the plate, base64")

    @model_validator(mode="after")
    def _plain(self) -> Self:
        if has_controls(self.vehicle) or has_controls(self.text):
            raise ValueError("control characters in vehicle or text: none")
        return self

    def read(self, *, late: bool) -> Read:
        return Read(
            self.vehicle, self.text, self.confidence, self.char_confidence, self.box or (), self.vehicle_box or (), late
        )


class SentReads(BaseModel):
    """All that a reader read at one moment; no reads: it sees nothing, and works."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-reads/1"] = "lantern-reads/1"
    seq: int = Field(ge=0, le=2**53)
    t: float = Field(gt=0, lt=1e11, description="when it was read, Unix seconds at the reader")
    reads: tuple[SentRead, ...] = Field(default=(), max_length=MOST_READS)


def unpack_reads(message: bytes) -> SentReads:
    """Return a message's reads. Raises `Refused`."""
    try:
        return SentReads.model_validate_json(message)
    except ValidationError as error:
        raise Refused([key_fault("reads", detail) for detail in error.errors()]) from error
