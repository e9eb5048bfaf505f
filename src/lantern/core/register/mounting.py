"""How a type of device may be mounted: how high, how far and how wide it then sees, and behind what it may stand."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict
from lantern.core.register.reason import Reason

NEAR = 1e-9


class Mounting(Strict):
    """What is left out has no limit. `behind`: materials that it may stand right behind; None: nobody says."""

    height_from_m: float | None = Field(default=None, gt=0, le=1000)
    height_to_m: float | None = Field(default=None, gt=0, le=1000)
    range_m: float | None = Field(
        default=None, gt=0, le=20_000, description="as far as it sees a person, of 1 m² to a radar"
    )
    sector_deg: float | None = Field(default=None, gt=0, le=360)
    behind: tuple[str, ...] | None = Field(
        default=None, description="such as wood or plastic; no metal, nor what is coated with it"
    )

    @model_validator(mode="after")
    def _upwards(self) -> Self:
        if self.height_from_m and self.height_to_m and self.height_from_m > self.height_to_m:
            raise ValueError(f"height_from_m {self.height_from_m:g} is above height_to_m {self.height_to_m:g}")
        return self


def mounting_reasons(mounting: Mounting, mount: Mapping[str, Any]) -> list[Reason]:
    """Return what of a mount goes beyond what its type is made for."""
    out = []
    for key, most, words in (
        ("height_m", mounting.height_to_m, "hangs at {:g} m, its type at {:g} m at most"),
        ("range_m", mounting.range_m, "is said to see a person to {:g} m, its type sees one to {:g} m"),
        ("sector_deg", mounting.sector_deg, "is said to see {:g}°, its type sees {:g}°"),
    ):
        value = mount.get(key)
        if most is not None and value is not None and value > most + NEAR:
            out.append(Reason("mounting", f"it {words.format(value, most)}", lacks=value - most))
    least, height = mounting.height_from_m, mount.get("height_m")
    if least is not None and height is not None and height < least - NEAR:
        out.append(
            Reason("mounting", f"it hangs at {height:g} m, its type at {least:g} m at least", lacks=least - height)
        )
    return out
