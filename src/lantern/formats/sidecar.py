"""`take.json` or a sidecar: what describes a data file (format `lantern-take/1`)."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.signals import RecordedAs
from lantern.formats.limits import COLDEST_C, FIRST_YEAR, LAST_YEAR, MOST_M, MOST_NAME
from lantern.formats.text import has_controls, is_whole

FIRST, LAST = datetime(FIRST_YEAR, 1, 1, tzinfo=UTC), datetime(LAST_YEAR, 1, 1, tzinfo=UTC)


class TakeInfo(BaseModel):
    """`take.json` or the sidecar (format `lantern-take/1`)."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-take/1"]
    name: str = Field(min_length=1, max_length=MOST_NAME)
    kind: str = Field(max_length=MOST_NAME, description="the signal that it holds")
    device: str = Field(min_length=1, max_length=80)
    start: datetime = Field(description="ISO 8601 with an offset from UTC")
    data: str | None = Field(default=None, description="the data file or folder, beside take.json")
    fps: float | None = Field(default=None, gt=0, le=1000)
    times: str | None = Field(
        default=None, description="CSV with header t_s, one row a frame; of a series: its column of times"
    )
    scale: float | None = Field(default=None, gt=0, description="°C = raw x scale + offset")
    offset: float | None = None
    emissivity_set: float | None = Field(default=None, ge=0.01, le=1)
    reflected_c: float | None = Field(default=None, gt=COLDEST_C, le=2000)
    distance_m: float | None = Field(default=None, gt=0, le=MOST_M)
    humidity_percent: float | None = Field(default=None, ge=0, le=100)
    air_c: float | None = Field(default=None, ge=-100, le=200)
    units: dict[str, str] = Field(default_factory=dict)
    width: int | None = Field(default=None, gt=0, le=20_000, description="of the picture that boxes are in, pixels")
    height: int | None = Field(default=None, gt=0, le=20_000)
    classes: dict[str, str] = Field(default_factory=dict, description="class number to name")
    detections: bool = Field(default=False, description="of a radar: bare detections, whose targets are not known yet")
    noise_cells: int | None = Field(
        default=None, ge=1, le=10_000, description="of a radar: by so many cells it knows the noise"
    )
    still: str | None = Field(default=None, description="PNG or JPEG of the scene")
    marks: str | None = Field(default=None, description="CSV of marks, as `lantern score` takes them")
    truths: str | None = Field(default=None, description="CSV of what things on it truly were: object,at_s,text")
    counts: str | None = Field(default=None, description="CSV of counts by hand: count,who,start_s,end_s,in,out")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.start.tzinfo is None:
            raise ValueError(f"start {self.start.isoformat()} has no offset: write 2026-03-04T05:12:00+01:00")
        if not FIRST <= self.start < LAST:
            raise ValueError(f"start {self.start.isoformat()} is not within {FIRST_YEAR} to {LAST_YEAR}")
        if any(not is_whole(key) or len(key) > 16 for key in self.classes):
            raise ValueError("classes: a class number for each name, such as 1: person")
        texts = (self.name, self.device, *self.units, *self.units.values(), *self.classes.values())
        if any(len(text) > MOST_NAME or has_controls(text) for text in texts):
            raise ValueError(f"a name is longer than {MOST_NAME} characters, or holds control characters")
        return self

    def recorded(self) -> RecordedAs:
        return RecordedAs(self.emissivity_set, self.reflected_c, self.distance_m, self.humidity_percent, self.air_c)
