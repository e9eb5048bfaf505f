"""A head follows whoever raised."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from lantern.core.effects.effect import Asked
from lantern.core.effects.head import WHEN, OfHead


class Follow(OfHead):
    """The event's object, or its region's middle where it has none."""

    TITLE: ClassVar[str] = "follow"
    BEGINS: ClassVar[Mapping[str, Any]] = {"device": "", "length_s": 60.0}
    ASKED: ClassVar[tuple[Asked, ...]] = (
        Asked("device", "head", "device", kind="ptz"), Asked("length_s", "at most", "number", "s"), *WHEN,
    )  # fmt: skip

    do: Literal["follow"]

    @property
    def sentence(self) -> str:
        return f"{self.device} follows it for {self.length_s:g} s at most"

    @property
    def ink(self) -> str:
        return f"{self.length_s:g} s"


EFFECT = Follow
