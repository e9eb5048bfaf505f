"""A line or a message goes to another program: over TCP, HTTP or MQTT."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self
from urllib.parse import urlsplit

from pydantic import Field, model_validator

from lantern.core.effects.effect import DAY_S, Asked, Effect, Name, checked_text

SCHEMES = ("tcp", "http", "https", "mqtt", "mqtts")


class Post(Effect):
    TITLE: ClassVar[str] = "post"
    ON: ClassVar[str] = "to"
    BEGINS: ClassVar[Mapping[str, Any]] = {"to": "", "text": "{detector} at {place}, {time}"}
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("to", "to", "text"), Asked("text", "text", "lines"), Asked("expire_s", "given up after", "number", "s"),
    )  # fmt: skip

    do: Literal["post"]
    expire_s: float = Field(default=DAY_S, gt=0, le=7 * DAY_S)
    to: Name
    text: str = Field(default="", max_length=20_000)

    @model_validator(mode="after")
    def _known(self) -> Self:
        checked_text(self.text)
        if urlsplit(self.to).scheme not in SCHEMES:
            raise ValueError(f"to {self.to[:60]!r}: an address that begins with {', '.join(SCHEMES)}")
        return self

    @property
    def things(self) -> tuple[str, ...]:
        return (self.to,)

    @property
    def sentence(self) -> str:
        return f"a message goes to {self.to}"

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"post to {urlsplit(thing).hostname or thing}"


EFFECT = Post
