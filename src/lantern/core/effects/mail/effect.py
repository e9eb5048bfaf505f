"""People are written to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from lantern.core.effects.effect import DAY_S, Asked, Effect, Name, checked_text


class Mail(Effect):
    TITLE: ClassVar[str] = "mail"
    ON: ClassVar[str] = "to"
    BEGINS: ClassVar[Mapping[str, Any]] = {
        "to": [],
        "subject": "{place}: {detector}",
        "text": "{detector} at {place}, {time}",
    }
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("to", "to", "words"), Asked("subject", "subject", "text"), Asked("text", "text", "lines"),
        Asked("expire_s", "given up after", "number", "s"),
    )  # fmt: skip

    do: Literal["mail"]
    expire_s: float = Field(default=DAY_S, gt=0, le=7 * DAY_S)
    to: tuple[Name, ...] = Field(min_length=1)
    subject: str = Field(default="", max_length=500)
    text: str = Field(default="", max_length=20_000)

    @model_validator(mode="after")
    def _known(self) -> Self:
        checked_text(self.subject)
        checked_text(self.text)
        return self

    @property
    def things(self) -> tuple[str, ...]:
        return self.to

    @property
    def sentence(self) -> str:
        return f"{', '.join(self.to)} is written to"

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"mail to {thing}"


EFFECT = Mail
