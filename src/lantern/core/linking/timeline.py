"""Orders over time: which output is active when, and because of which orders, where every output that is there answers at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from lantern.core.effects.effect import Effect, Exclusive
from lantern.core.linking import outcomes
from lantern.core.linking.one_at_a_time import OneAtATime
from lantern.core.linking.orders import Order, Standing
from lantern.core.linking.switch import Switch


@dataclass(slots=True)
class Active:
    """A stretch during which an output is active, with the orders (by key) that caused or extended it.

    `off_s` None: latched, on until somebody acknowledges it.
    """

    output: str
    on_s: float
    off_s: float | None = None
    orders: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class Circumstances:
    """What happens to outputs besides orders: acknowledgements (when, of which), and stretches [from, to) in which an output
    cannot be written.
    """

    acknowledged: Sequence[tuple[float, str]] = ()
    away: Mapping[str, Sequence[tuple[float, float]]] = field(default_factory=dict)

    def is_away(self, output: str, t: float) -> bool:
        return any(from_s <= t < to_s for from_s, to_s in self.away.get(output, ()))

    def instants(self, output: str) -> list[float]:
        """Return when something happens to an output."""
        acknowledged = [t for t, of in self.acknowledged if of == output]
        return sorted({*acknowledged, *(to_s for _, to_s in self.away.get(output, ()))})


def played(
    ordered: Sequence[tuple[Order, Effect]], during: Circumstances = Circumstances()
) -> tuple[list[Active], dict[int, Standing]]:
    """Let all that was ordered be done, each by how it is held. Returns the stretches by the lanes of the effects, in order of time,
    and how each order stands, by key.
    """
    stretches, standings = activity((order for order, effect in ordered if effect.HELD == "coil"), during)
    heads: dict[tuple[str, str], OneAtATime] = {}
    for order, effect in ordered:
        if isinstance(effect, Exclusive):
            machine = heads.setdefault((effect.TAKES, order.thing), OneAtATime())
            standings[order.key] = machine.order(order)
        elif effect.HELD == "moment":
            standings[order.key] = Standing(order, "over", order.at_s, order.at_s, "done", outcomes.DELIVERED)
    for machine in heads.values():
        while (next_s := machine.next_s) is not None:
            machine.advance(next_s)
    for order, effect in ordered:
        standing = standings[order.key]
        if effect.HELD != "coil" and standing.from_s is not None:
            stretches.append(Active(effect.lane(order.thing), standing.from_s, standing.to_s, [order.key]))
    return sorted(stretches, key=lambda active: (active.on_s, active.output)), standings


def activity(
    ordered: Iterable[Order], during: Circumstances = Circumstances()
) -> tuple[list[Active], dict[int, Standing]]:
    """Step every output through its orders. Returns the stretches in order of time, and how each order stands, by key."""
    by_output: dict[str, list[Order]] = {}
    for order in ordered:
        by_output.setdefault(order.thing, []).append(order)
    stretches: list[Active] = []
    standings: dict[int, Standing] = {}
    for output, orders in by_output.items():
        switch = Switch()
        standings |= {order.key: switch.order(order) for order in orders}
        stretches += _stepped(output, switch, during)
    return sorted(stretches, key=lambda active: (active.on_s, active.output)), standings


def _stepped(output: str, switch: Switch, during: Circumstances) -> list[Active]:
    """Step the switch until nothing is left to wait for, and return its stretches. At one instant time passes first,
    then come acknowledgements, then what is written.
    """
    stretches: list[Active] = []
    others = during.instants(output)
    while (t := min((at for at in (switch.next_s, *others[:1]) if at is not None), default=None)) is not None:
        switch.advance(t)
        if others and t >= others[0]:
            del others[0]
            if (t, output) in during.acknowledged:
                switch.acknowledge(t)
        wanted = switch.wanted
        if wanted is None or during.is_away(output, t):
            continue
        if wanted and not switch.on:
            stretches.append(Active(output, t))
        begun = switch.confirm(t, wanted)
        stretches[-1].orders += [standing.order.key for standing in begun]
        if not wanted:
            stretches[-1].off_s = t
    return stretches
