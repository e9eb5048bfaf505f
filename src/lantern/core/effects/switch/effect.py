"""An output is switched: for a while, or until somebody acknowledges it."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer

from lantern.core.effects.effect import DAY_S, Effect, Held, Lengths, Name
from lantern.core.linking.outputs import MOST_FLASHES_PER_S


class Switch(Effect):
    """What one output does when the link fires."""

    HELD: ClassVar[Held] = "coil"
    ON: ClassVar[str] = "output"

    do: Literal["switch"] = "switch"
    output: Name
    mode: Literal["pulse", "latched"] = Field(default="pulse", description="latched: on until someone acknowledges it")
    length_s: float = Field(default=5.0, gt=0, le=DAY_S, description="how long a pulse lasts, in s")
    flash_hz: float | None = Field(default=None, gt=0, le=MOST_FLASHES_PER_S, description="a beacon's flashes a second")
    expire_s: float = Field(
        default=60.0, gt=0, le=7 * DAY_S, description="delivered later than this it is dropped, in s"
    )

    @property
    def things(self) -> tuple[str, ...]:
        return (self.output,)

    @property
    def sentence(self) -> str:
        if self.mode == "latched":
            return f"{self.output} stays on until somebody acknowledges it"
        flashes = "" if self.flash_hz is None else f" flashes {self.flash_hz:g} times a second"
        return f"{self.output}{flashes or ' is on'} for {self.length_s:g} s"

    @property
    def ink(self) -> str:
        flashes = "" if self.flash_hz is None else f", {self.flash_hz:g}/s"
        return ("latched" if self.mode == "latched" else f"{self.length_s:g} s") + flashes

    @classmethod
    def lane(cls, thing: str) -> str:
        return thing

    def lasts_s(self, messages: Lengths) -> float | None:
        return None if self.mode == "latched" else self.length_s

    @model_serializer(mode="wrap")
    def _as_ever(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Written as it is in files that know no other effect: without `do`."""
        out: dict[str, Any] = handler(self)
        out.pop("do", None)
        if self.priority == type(self).model_fields["priority"].default:
            out.pop("priority", None)
        return out


EFFECT = Switch
