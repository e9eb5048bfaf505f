"""Speakers say a message of the site."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from lantern.core.effects.effect import DAY_S, Asked, Exclusive, Lengths, Name


class Say(Exclusive):
    TAKES: ClassVar[str] = "voice"
    TITLE: ClassVar[str] = "say"
    ON: ClassVar[str] = "devices"
    DEVICE_KIND: ClassVar[str] = "speaker"
    BEGINS: ClassVar[Mapping[str, Any]] = {"devices": [], "message": ""}
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("devices", "speakers", "devices", kind="speaker"), Asked("message", "says", "message"),
        Asked("repeats", "times", "number"), Asked("gain_db", "louder by", "number", "dB"),
        Asked("when_busy", "when it is busy", "busy"), Asked("priority", "priority", "number"),
    )  # fmt: skip

    do: Literal["say"]
    devices: tuple[Name, ...] = Field(min_length=1)
    message: Name
    repeats: int = Field(default=1, ge=1, le=1000)
    gain_db: float = Field(default=0.0, ge=-60, le=60)
    length_s: float | None = Field(default=None, gt=0, le=DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        return self.devices

    @property
    def devices_named(self) -> tuple[str, ...]:
        return self.devices

    @property
    def sentence(self) -> str:
        times = "" if self.repeats == 1 else f" {self.repeats} times"
        return f"{', '.join(self.devices)} says {self.message}{times}"

    @property
    def ink(self) -> str:
        times = "" if self.repeats == 1 else f" ×{self.repeats}"
        return f"{self.message}{times}" + (f" {self.gain_db:+g} dB" if self.gain_db else "")

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"{thing} says"

    def lasts_s(self, messages: Lengths) -> float | None:
        return self.length_s or messages[self.message] * self.repeats


EFFECT = Say
