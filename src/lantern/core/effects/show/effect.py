"""It pops up in the browser of those who have a role."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from lantern.core.effects.effect import Asked, Effect, Name


class Show(Effect):
    TITLE: ClassVar[str] = "show"
    ON: ClassVar[str] = "roles"
    BEGINS: ClassVar[Mapping[str, Any]] = {"roles": ["operator"]}
    ASKED: ClassVar[tuple[Asked, ...]] = (Asked("roles", "to", "roles"),)

    do: Literal["show"]
    roles: tuple[Name, ...] = Field(min_length=1)

    @property
    def things(self) -> tuple[str, ...]:
        return (",".join(self.roles),)

    @property
    def sentence(self) -> str:
        return f"it is shown to {', '.join(self.roles)}"

    @classmethod
    def lane(cls, thing: str) -> str:
        return f"shown to {thing}"


EFFECT = Show
