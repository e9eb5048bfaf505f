"""Messages of a site: what a speaker says."""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from lantern.core.effects.effect import DAY_S, Name, checked_text
from lantern.core.modelled import Strict


class Message(Strict):
    """What a speaker says: a file, or a text to be spoken."""

    name: Name
    file: str | None = Field(default=None, max_length=300)
    text: str | None = Field(default=None, max_length=5000)
    length_s: float = Field(gt=0, le=DAY_S)

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.file is None) == (self.text is None):
            raise ValueError("give file, or text, and not both")
        if self.text is not None:
            checked_text(self.text)
        return self
