"""Links: from a cause, under a timetable, to what is done."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import (
    Field,
    SerializerFunctionWrapHandler,
    ValidationInfo,
    field_validator,
    model_serializer,
    model_validator,
)

from lantern.core.effects.effect import DAY_S
from lantern.core.effects.register import AnyEffect
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.limit import MOST_BURST, MOST_REFILL_S, Bucket
from lantern.core.logic.causes import Cause
from lantern.core.modelled import Strict

Name = Annotated[str, Field(min_length=1, max_length=200)]
Sort = Literal["detector", "input", "compound"]
CAUSES: tuple[Sort, ...] = ("detector", "input", "compound")


class LinkRule(Strict):
    """Cause to effects: a detector, an input of a module, or a compound. `on_repeat`: does a repeat of a standing alarm fire again
    (and so extend a pulse)? `limit_burst`, `limit_refill_s`: it fires so often at once, and then once in so long; both or neither.
    """

    name: str = Field(min_length=1, max_length=120)
    detector: Name | None = None
    input: Name | None = Field(default=None, description="an input of a module, instead of a detector")
    compound: Name | None = Field(default=None, description="a compound, instead of a detector")
    region: str | None = Field(
        default=None,
        description="only what this region raises (occupancy: the capacity; an input: active, fault); empty: all",
    )
    lists: tuple[str, ...] = Field(default=(), description="only what matched an entry of these lists; empty: all")
    timetable: Name | None = None
    delay_s: float = Field(default=0.0, ge=0, le=DAY_S)
    on_repeat: bool = True
    limit_burst: int | None = Field(default=None, ge=1, le=MOST_BURST)
    limit_refill_s: float | None = Field(default=None, gt=0, le=MOST_REFILL_S, validate_default=True)
    effects: tuple[AnyEffect, ...] = ()

    def listens_to(self, region: str, listed: str | None = None) -> bool:
        """Return whether it hears an event of this region, which matched an entry of that list (None: of none)."""
        return self.region in (None, region) and (not self.lists or listed in self.lists)

    @property
    def of(self) -> tuple[Sort, str]:
        """Return what sort of thing it listens to, and its name."""
        return next((what, name) for what in CAUSES if (name := getattr(self, what)) is not None)

    @property
    def cause(self) -> Cause:
        """Raises `ValueError` for what no cause can be."""
        if self.input is not None:
            return Cause.model_validate({"input": self.input, "state": self.region, "lists": self.lists})
        return Cause(detector=self.detector, compound=self.compound, region=self.region, lists=self.lists)

    @property
    def bucket(self) -> Bucket | None:
        """Return what holds it back, as it begins; None: nothing does."""
        return None if self.limit_refill_s is None else Bucket(self.limit_burst or 1, self.limit_refill_s)

    @field_validator("limit_refill_s")
    @classmethod
    def _whole_limit(cls, refill_s: float | None, held: ValidationInfo) -> float | None:
        burst = held.data.get("limit_burst")
        if burst is not None and refill_s is None:
            raise ValueError(
                f"seconds, beside limit_burst {burst}: so many at once, then one in so long; or both empty"
            )
        if burst is None and refill_s is not None:
            raise ValueError("limit_burst beside it: so many at once, then one in so long; or both empty")
        return refill_s

    @model_serializer(mode="wrap")
    def _plain(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """A limit that is not there is not written."""
        out: dict[str, Any] = handler(self)
        return out if self.limit_refill_s is not None else {k: v for k, v in out.items() if not k.startswith("limit_")}

    @model_validator(mode="after")
    def _one_cause(self) -> Self:
        if sum(getattr(self, what) is not None for what in CAUSES) != 1:
            raise ValueError("give one of detector, input, compound: a link has one cause")
        if self.compound is not None and (self.region is not None or self.lists):
            raise ValueError("region and lists belong to a detector, and this listens to a compound")
        return self

    @model_validator(mode="after")
    def _one_effect_an_output(self) -> Self:
        names = [effect.output for effect in self.effects if isinstance(effect, Switch)]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise ValueError(f"output {', '.join(twice)} has two effects in one link: keep one")
        return self
