"""What the bench sends: states of a detector that are not saved, what is wished of them, what is asked about them."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from lantern.db.numbers import Count, Id


class Draft(BaseModel):
    """A state of a detector that is not saved: what the page holds. `together`: judge by all takes that are tuned on.

    Once a page has told of a later `turn`, what it asked beside an earlier one is worked out no further.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    take: Id
    detector: dict[str, Any]
    strips: list[str] | None = None
    parts: list[str] = ["judged"]
    together: bool = False
    of_note: str = Field(default="", max_length=200)  # strips count no false alarms but those of this note
    wishes: dict[str, float | None] = Field(default_factory=dict)  # limits, by the names of the wishes of its kind
    also: dict[str, Any] = Field(default_factory=dict)  # what a family's own parts need to know
    page: str = Field(default="", max_length=40)  # who asks, by a name of its own
    turn: Count = 0  # which of its states this is


class StudyAsked(Draft):
    """A map of two dials, or what the family's own bench offers."""

    what: str = Field(max_length=40)
    dial_x: str = ""
    dial_y: str = ""
    dial_x_range: tuple[float, float] | None = None
    dial_y_range: tuple[float, float] | None = None


class Saved(BaseModel):
    model_config = ConfigDict(extra="forbid")

    detector: dict[str, Any]
    reason: str
    base: Count
    over: Count | None = None  # what somebody saved meanwhile, over which this is merged
    choices: dict[str, Literal["theirs", "own"]] = Field(default_factory=dict)  # for what both have changed
