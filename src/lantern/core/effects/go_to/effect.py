"""A head goes to a preset, or to a place of the plan, and stays there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self

from pydantic import model_validator

from lantern.core.effects.effect import Asked
from lantern.core.effects.head import WHEN, OfHead


class GoTo(OfHead):
    TITLE: ClassVar[str] = "go to"
    BEGINS: ClassVar[Mapping[str, Any]] = {"device": "", "preset": 1, "length_s": 20.0}
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("device", "head", "device", kind="ptz"), Asked("preset", "goes to preset", "preset"),
        Asked("length_s", "stays", "number", "s"), *WHEN,
    )  # fmt: skip

    do: Literal["go_to"]
    preset: str | int | None = None
    at: tuple[float, float, float] | None = None

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if (self.preset is None) == (self.at is None):
            raise ValueError("give preset, or at, and not both")
        return self

    @property
    def sentence(self) -> str:
        aim = f"preset {self.preset}" if self.at is None else ", ".join(f"{each:g}" for each in self.at) + " m"
        return f"{self.device} goes to {aim} for {self.length_s:g} s"

    @property
    def ink(self) -> str:
        aim = f"preset {self.preset}" if self.at is None else "a place"
        return f"{aim}, {self.length_s:g} s"


EFFECT = GoTo
