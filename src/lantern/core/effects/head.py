"""What effects of heads have: one thing at a time, for so long."""

from __future__ import annotations

from typing import ClassVar

from pydantic import Field

from lantern.core.effects.effect import DAY_S, Asked, Exclusive, Lengths, Name

WHEN = (Asked("when_busy", "when it is busy", "busy"), Asked("priority", "priority", "number"))


class OfHead(Exclusive):
    TAKES: ClassVar[str] = "head"
    DEVICE_KIND: ClassVar[str] = "ptz"
    ON: ClassVar[str] = "device"

    device: Name
    length_s: float = Field(gt=0, le=DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        return (self.device,)

    @property
    def devices_named(self) -> tuple[str, ...]:
        return (self.device,)

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"{thing} looks"

    def lasts_s(self, messages: Lengths) -> float | None:
        return self.length_s
