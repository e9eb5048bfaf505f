"""What devices see is kept from before to after, or as one picture."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from lantern.core.effects.effect import DAY_S, Asked, Effect, Name


class Clip(Effect):
    TITLE: ClassVar[str] = "keep a clip"
    ON: ClassVar[str] = "devices"
    BEGINS: ClassVar[Mapping[str, Any]] = {"devices": [], "before_s": 10.0, "after_s": 20.0}
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("devices", "of", "devices"), Asked("before_s", "from", "number", "s before"),
        Asked("after_s", "to", "number", "s after"), Asked("still", "a still", "yes"),
    )  # fmt: skip

    do: Literal["clip"]
    devices: tuple[Name, ...] = Field(min_length=1)
    before_s: float = Field(default=0.0, ge=0, le=DAY_S)
    after_s: float = Field(default=0.0, ge=0, le=DAY_S)
    still: bool = False

    @property
    def things(self) -> tuple[str, ...]:
        return self.devices

    @property
    def devices_named(self) -> tuple[str, ...]:
        return self.devices

    @property
    def looks_back_s(self) -> float:
        return 0.0 if self.still else self.before_s

    @property
    def sentence(self) -> str:
        what = "a still" if self.still else f"{self.before_s:g} s before to {self.after_s:g} s after"
        return f"{', '.join(self.devices)} keeps {what}"

    @property
    def ink(self) -> str:
        return "still" if self.still else f"−{self.before_s:g} +{self.after_s:g} s"

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"{thing} keeps"


EFFECT = Clip
