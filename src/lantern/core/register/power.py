"""Power over the network cable: the classes of IEEE 802.3, and what of a switch's budget each port takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict

# class: (W at the port, W at the device), IEEE 802.3 (clauses 33 and 145), from memory
CLASSES: dict[int, tuple[float, float]] = {
    1: (4.0, 3.84),
    2: (7.0, 6.49),
    3: (15.4, 12.95),
    4: (30.0, 25.5),
    5: (45.0, 40.0),
    6: (60.0, 51.0),
    7: (75.0, 62.0),
    8: (90.0, 71.3),
}
PoeClass = Annotated[int, Field(ge=1, le=8)]
NEAR_W = 1e-9


class Power(Strict):
    """What is drawn or given over a cable: a class, or so many W (of a device: at the device; of a port: at the port)."""

    poe_class: PoeClass | None = None
    watts: float | None = Field(default=None, ge=0, le=1000)

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.poe_class is None) == (self.watts is None):
            raise ValueError("give poe_class, or watts, and not both")
        return self

    @property
    def drawn_w(self) -> float:
        """Return what a device draws, at the device."""
        return CLASSES[self.poe_class][1] if self.poe_class is not None else self.watts or 0.0

    @property
    def taken_w(self) -> float:
        """Return what a device that draws this takes of a switch's budget: all that its class allows at the port."""
        if self.poe_class is not None:
            return CLASSES[self.poe_class][0]
        fits = [port_w for port_w, device_w in CLASSES.values() if device_w >= self.drawn_w - NEAR_W]
        return min(fits, default=self.drawn_w * CLASSES[8][0] / CLASSES[8][1])

    @property
    def given_w(self) -> float:
        """Return what a port that gives this leaves for a device, at the device."""
        return CLASSES[self.poe_class][1] if self.poe_class is not None else 0.0

    @property
    def words(self) -> str:
        return f"class {self.poe_class}, {self.drawn_w:g} W" if self.poe_class is not None else f"{self.watts:g} W"

    @property
    def short(self) -> str:
        return f"class {self.poe_class}" if self.poe_class is not None else f"{self.watts:g} W"


def class_of(port_w: float) -> Power:
    """The greatest class that a port with so many W feeds; one that feeds none gives 0 W."""
    fed = [each for each, (needs_w, _) in CLASSES.items() if needs_w <= port_w + NEAR_W]
    return Power(poe_class=max(fed)) if fed else Power(watts=0.0)


@dataclass(frozen=True)
class Fed:
    """A device on a port of a switch: what the port gives at the device, and what of the budget is left for it."""

    code: str
    port: str
    drawn_w: float
    taken_w: float
    given_w: float | None  # None: the switch has no such port
    left_w: float | None  # of the budget, before this device; None: the switch has none

    @property
    def port_lacks_w(self) -> float:
        return max(self.drawn_w - (self.given_w or 0.0), 0.0) if self.given_w is not None else 0.0

    @property
    def budget_lacks_w(self) -> float:
        return 0.0 if self.left_w is None else max(self.taken_w - self.left_w, 0.0)


def port_order(port: str) -> tuple[int, str]:
    return (int(port), "") if port.isdigit() else (10**9, port)


def fed(
    ports: Mapping[str, Power], budget_w: float | None, hanging: Sequence[tuple[str, str, Power]]
) -> dict[str, Fed]:
    """Return what each device gets, by code. `hanging`: (code, port, what it draws).

    Ports are fed in the order of their numbers until the budget is used up (common practice, no source); one that no
    longer fits gets nothing, and what comes after it still may.
    """
    out: dict[str, Fed] = {}
    left_w = budget_w
    for code, port, power in sorted(hanging, key=lambda each: (port_order(each[1]), each[0])):
        given = ports.get(port)
        one = Fed(code, port, power.drawn_w, power.taken_w, None if given is None else given.given_w, left_w)
        out[code] = one
        if left_w is not None and one.given_w is not None and not one.port_lacks_w and one.budget_lacks_w <= NEAR_W:
            left_w -= one.taken_w
    return out
