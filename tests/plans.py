"""Random plans of links, events and what else happens to outputs; and a plain reading of what must come of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from lantern.core.effects.switch.effect import Switch
from lantern.core.events import Event
from lantern.core.linking.arming import Armed
from lantern.core.linking.links import LinkRule
from lantern.core.linking.orders import Order
from lantern.core.linking.timeline import Circumstances
from lantern.core.logic.timetable import Hours, Timetable

START = datetime(2026, 1, 5, 11, 59, 40, tzinfo=UTC)  # a Monday; the timetable is on from 20 s on
LATER = Timetable(name="afternoon", zone="UTC", hours=(Hours(day=0, start_min=720, end_min=1440),))
OUTPUTS = ("lamp", "stop")
GRID_S = 0.25
LENGTHS_S = (0.25, 1.0, 2.5, 5.0, 10.0, 30.0)
DELAYS_S = (0.0, 0.0, 0.25, 2.0, 5.0, 20.0)
EXPIRE_S = (0.25, 3.0, 10.0, 60.0)
SIZE = 64  # bytes that a plan is made of


@dataclass(frozen=True)
class Plan:
    """Links, events, what happens to outputs, and when the program is started anew. All times lie on the grid."""

    links: tuple[Armed, ...]
    events: tuple[Event, ...]
    during: Circumstances
    restarts_s: tuple[float, ...]


def plan_of(data: bytes) -> Plan:
    """Return the plan that these bytes say; nearly all of them are plans worth a look."""
    dice = iter(data)
    links = tuple(_link(dice, number) for number in range(1 + _of(dice, 3)))
    events = tuple(
        Event("d", "r", at, at, "reading", repeat, 1.0)
        for at, repeat in sorted((_instant(dice, 80), _of(dice, 3) == 0) for _ in range(1 + _of(dice, 4)))
    )
    acknowledged = tuple((_instant(dice, 160), OUTPUTS[_of(dice, 2)]) for _ in range(_of(dice, 3)))
    away = {}
    for output in OUTPUTS:
        if _of(dice, 3) == 0:
            since = _instant(dice, 100)
            away[output] = [(since, since + GRID_S + _instant(dice, 60))]
    restarts = tuple(_instant(dice, 160) for _ in range(_of(dice, 3)))
    return Plan(links, events, Circumstances(acknowledged, away), restarts)


def _of(dice: Iterator[int], sides: int) -> int:
    return next(dice, 0) % sides


def _instant(dice: Iterator[int], steps: int) -> float:
    return _of(dice, steps) * GRID_S


def _link(dice: Iterator[int], number: int) -> Armed:
    outputs = OUTPUTS if _of(dice, 3) == 0 else OUTPUTS[_of(dice, 2) :][:1]
    link = LinkRule(
        name=f"l{number}",
        detector="d",
        delay_s=DELAYS_S[_of(dice, 6)],
        on_repeat=_of(dice, 2) == 0,
        effects=tuple(_effect(dice, output) for output in outputs),
    )
    return Armed(link, LATER if _of(dice, 3) == 0 else None)


def _effect(dice: Iterator[int], output: str) -> Switch:
    mode = "latched" if _of(dice, 4) == 0 else "pulse"
    return Switch(output=output, mode=mode, length_s=LENGTHS_S[_of(dice, 6)], expire_s=EXPIRE_S[_of(dice, 4)])


# ---- the plain reading ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Came:
    """What came of an order: when it ran, or why it did not."""

    result: str
    from_s: float | None
    to_s: float | None


def came_of(order: Order, during: Circumstances) -> Came:
    """By the contract's words: it begins when it is ordered for, or when its output is back, unless that is too late. One that
    latches lasts until it is acknowledged; so it is dropped, if that comes first.
    """
    back_s = order.at_s
    for since, until in during.away.get(order.thing, ()):
        if since <= back_s < until:
            back_s = until
    let_go = sorted(t for t, output in during.acknowledged if output == order.thing and t >= order.at_s)
    before = [t for t in let_go if t <= min(back_s, order.last_s)]
    if order.length_s is None and before:
        return Came("dropped", None, None)
    if back_s > order.last_s:
        return Came("expired", None, None)
    if order.length_s is None:
        return Came("done", back_s if back_s - order.at_s > 0.5 else order.at_s, let_go[0] if let_go else None)
    late = back_s - order.at_s > min(0.5, order.length_s / 10)
    from_s = back_s if late else order.at_s
    return Came("done", from_s, from_s + order.length_s)


def coils_of(output: str, came: Sequence[Came], during: Circumstances) -> list[tuple[float, bool]]:
    """When an output is switched: it is on while anything that has begun lasts, and stays as it is while it is away."""
    instants = {t for each in came for t in (each.from_s, each.to_s) if t is not None}
    switched: list[tuple[float, bool]] = []
    was = False
    for t in sorted({*instants, *during.instants(output)}):
        on = any(each.from_s is not None and each.from_s <= t and (each.to_s is None or t < each.to_s) for each in came)
        if on != was and not during.is_away(output, t):
            switched.append((t, on))
            was = on
    return switched
