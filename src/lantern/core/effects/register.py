"""All effects, found by listing: each a folder with a module `effect` that holds `EFFECT`. They are told apart by `do`."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Discriminator, Tag

import lantern.core.effects
from lantern.core.effects.effect import Effect
from lantern.core.listing import modules_named
from lantern.core.modelled import BRANCH, TOLD_BY

EFFECTS: dict[str, type[Effect]] = {
    name: each.EFFECT for name, each in modules_named("effect", lantern.core.effects).items()
}
USUAL = "switch"  # without `do`


def _told_apart(value: Any) -> str | None:
    do = str(value.get("do", USUAL)) if isinstance(value, dict) else getattr(value, "do", USUAL)
    return f"{BRANCH}{do}" if do in EFFECTS else None  # a refusal that lists them


if TYPE_CHECKING:
    AnyEffect = Effect
else:
    AnyEffect = Annotated[
        reduce(or_, [Annotated[model, Tag(f"{BRANCH}{name}")] for name, model in EFFECTS.items()]),
        Discriminator(
            _told_apart,
            custom_error_type=f"{TOLD_BY}do",
            custom_error_message=f"one of {', '.join(EFFECTS)}",
        ),
    ]
