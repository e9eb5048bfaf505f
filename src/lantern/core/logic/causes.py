"""What sets something off: events of a detector, a state of an input, or a compound of these."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict


@dataclass(frozen=True)
class Happened:
    """Something that a cause may be: of a detector (its `region`, the `listed` that it matched), an input (its `state` is the region), or a
    compound. `cleared_s` None: it stands for ever; equal to `raised_s`: an instant. `place`: its order among all, of equal times too.
    """

    what: Literal["detector", "input", "compound"]
    name: str
    raised_s: float
    cleared_s: float | None
    place: tuple[float, int, int]
    region: str = ""
    listed: str | None = None

    @property
    def is_instant(self) -> bool:
        return self.cleared_s is not None and abs(self.cleared_s - self.raised_s) <= 1e-6


class Cause(Strict):
    """One of a detector, an input, a compound."""

    detector: str | None = Field(default=None, min_length=1, max_length=120)
    input: str | None = Field(default=None, min_length=1, max_length=120)
    compound: str | None = Field(default=None, min_length=1, max_length=120)
    region: str | None = Field(default=None, description="of a detector; empty: all")
    lists: tuple[str, ...] = Field(default=(), description="of a detector; empty: all")
    state: Literal["active", "fault"] | None = Field(default=None, description="of an input; empty: both")

    @model_validator(mode="after")
    def _one(self) -> Self:
        given = [each for each in (self.detector, self.input, self.compound) if each is not None]
        if len(given) != 1:
            raise ValueError("give one of detector, input, compound")
        if self.detector is None and (self.region is not None or self.lists):
            raise ValueError("region and lists belong to a detector")
        if self.input is None and self.state is not None:
            raise ValueError("state belongs to an input")
        return self

    @property
    def of(self) -> tuple[str, str]:
        """Return what sort of thing it is, and its name."""
        if self.detector is not None:
            return "detector", self.detector
        return ("input", self.input) if self.input is not None else ("compound", self.compound or "")

    def fits(self, each: Happened) -> bool:
        if each.what == "detector":
            return (
                self.detector == each.name
                and self.region in (None, each.region)
                and (not self.lists or each.listed in self.lists)
            )
        if each.what == "input":
            return self.input == each.name and self.state in (None, each.region)
        return self.compound == each.name


def first_fit(parts: Sequence[Cause], each: Happened) -> int | None:
    """Return the first part that it fits."""
    return next((at for at, part in enumerate(parts) if part.fits(each)), None)
