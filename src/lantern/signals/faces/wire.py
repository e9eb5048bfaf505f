"""Live looks of a face device on the wire: one JSON document a moment, documented in docs/wire.md."""

from __future__ import annotations

import base64
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lantern.core.faces.looks import Look
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import key_fault
from lantern.formats.limits import MOST_NAME, MOST_READING
from lantern.formats.pictures import without_notes
from lantern.formats.text import has_controls

LARGEST_MESSAGE, LARGEST_PICTURE = 8 * 1024 * 1024, 256 * 1024  # bytes; of the picture before base64
MOST_LOOKS, MOST_CANDIDATES, MOST_GROUPS = 50, 5000, 20  # at one moment; of a look
Name = Annotated[str, Field(min_length=1, max_length=MOST_NAME)]
Score = Annotated[float, Field(ge=-MOST_READING, le=MOST_READING)]


class SentLook(BaseModel):
    """One face as it was seen at that moment, with those it was held against."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    probe: Name
    candidates: tuple[tuple[Name, Score], ...] = Field(min_length=1, max_length=MOST_CANDIDATES)
    picture: str | None = Field(
        default=None, max_length=4 * (LARGEST_PICTURE // 3 + 1), description="JPEG or PNG of the face, in base64"
    )
    groups: dict[Name, Annotated[str, Field(max_length=MOST_NAME)]] = Field(default={}, max_length=MOST_GROUPS)

    @model_validator(mode="after")
    def _plain(self) -> Self:
        words = (self.probe, *(name for name, _ in self.candidates), *self.groups, *self.groups.values())
        if any(has_controls(word) for word in words):
            raise ValueError("control characters in a name: none")
        return self

    @property
    def picture_bytes(self) -> bytes | None:
        """Return its picture without notes. Raises `Refused` for what is none."""
        if self.picture is None:
            return None
        where = f"look {self.probe}: picture"
        try:
            data = base64.b64decode(self.picture, validate=True)
        except ValueError as error:
            raise Refused([Fault(where, "is no base64", "a JPEG or PNG in base64")]) from error
        return without_notes(data, where=where)

    def look(self, *, late: bool, algorithm: str | None = None) -> Look:
        return Look(self.probe, self.candidates, self.groups, late, algorithm)


class SentLooks(BaseModel):
    """All that a face device saw at one moment; no looks: it sees nobody, and works."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-looks/1"] = "lantern-looks/1"
    seq: int = Field(ge=0, le=2**53)
    t: float = Field(gt=0, lt=1e11, description="when they were seen, Unix seconds at the device")
    algorithm: Name | None = Field(default=None, description="name and version of what makes the scores")
    looks: tuple[SentLook, ...] = Field(default=(), max_length=MOST_LOOKS)


def unpack_looks(message: bytes) -> SentLooks:
    """Return a message's looks. Raises `Refused`."""
    try:
        return SentLooks.model_validate_json(message)
    except ValidationError as error:
        raise Refused([key_fault("looks", detail) for detail in error.errors()]) from error
