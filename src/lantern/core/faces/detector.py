"""A detector of faces: lists of candidates, each with a threshold of its own or with that of the dial."""

from __future__ import annotations

from collections import Counter
from datetime import date
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused

MOST_NAME = 120
MOST_HOLDOFF_S = 86_400.0


class FaceList(BaseModel):
    """A named list. Its members are the names that the device gives to candidates; who they are is said elsewhere. What only a site
    needs of it (colour, purpose, end) plays no part in a match.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str = Field(min_length=1, max_length=MOST_NAME)
    threshold: float | None = Field(default=None, description="empty: the dial's")
    members: tuple[str, ...] = ()
    colour: str | None = Field(default=None, max_length=20)
    purpose: str | None = Field(default=None, max_length=400)
    ends: date | None = Field(default=None, description="the day after which nobody should need it")
    holdoff_s: float | None = Field(default=None, ge=0, le=MOST_HOLDOFF_S, description="s; empty: the dial's")
    cameras: tuple[str, ...] = Field(default=(), description="devices, by code, whose galleries hold its members")
    on_match: str | None = Field(default=None, max_length=400, description="what whoever is told of a match does")

    @model_validator(mode="after")
    def _once(self) -> Self:
        twice = sorted(name for name, n in Counter(self.members).items() if n > 1)
        if twice:
            raise ValueError(f"{', '.join(twice)} twice: each member once")
        if any(not 0 < len(member) <= MOST_NAME for member in self.members):
            raise ValueError(f"a member's name has 1 to {MOST_NAME} characters")
        return self


class FaceDetector(Detector):
    """A detector with its lists, or with the names of lists of its site. It has no regions: a device gives faces, not places."""

    regions: tuple[()] = ()
    lists: tuple[FaceList | str, ...] = ()
    thresholds: dict[str, float] = Field(default_factory=dict, description="of this camera alone, by the list's name")

    @property
    def list_names(self) -> tuple[str, ...]:
        return tuple(held if isinstance(held, str) else held.name for held in self.lists)

    @model_validator(mode="after")
    def _named_once(self) -> Self:
        twice = sorted(name for name, n in Counter(self.list_names).items() if n > 1)
        if twice:
            raise ValueError(f"two lists named {', '.join(twice)}: a name of its own for each")
        strange = sorted(set(self.thresholds) - set(self.list_names))
        if strange:
            raise ValueError(f"a threshold for {', '.join(strange)}, which it does not read: one of its lists")
        return self

    @property
    def known_lists(self) -> tuple[FaceList, ...]:
        """Its lists with their members, each with the threshold that holds at this camera. Raises `Refused` where one is only named."""
        named = [held for held in self.lists if isinstance(held, str)]
        if named:
            what = f"{', '.join(named)} is only named: its members are nowhere"
            raise Refused([Fault("detector: lists", what, "lists with their members, or a site's file beside it")])
        return tuple(self._with_own(held) for held in self.lists if isinstance(held, FaceList))

    def _with_own(self, held: FaceList) -> FaceList:
        return held.model_copy(update={"threshold": self.thresholds.get(held.name, held.threshold)})
