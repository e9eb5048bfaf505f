"""The links of a whole site over events that are given: compounds, what sleeps, orders, and what became of each, line by line."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from lantern.core.effects.clip.effect import Clip
from lantern.core.effects.effect import Effect, Exclusive
from lantern.core.effects.message import Message
from lantern.core.effects.show.effect import Show
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking import outcomes
from lantern.core.linking.links import LinkRule
from lantern.core.linking.one_at_a_time import OneAtATime
from lantern.core.linking.orders import Order, Standing
from lantern.core.logic.causes import Happened
from lantern.core.logic.compounds import Compound, Raised, worked_out
from lantern.core.rule import TIME_TOLERANCE_S

IsOn = Callable[[str, float], bool]  # a timetable's name, and when: is it on then?
HELD_BACK = "held back"
EVENT, COMPOUND, ORDER, ASLEEP = range(4)  # in which order lines of one time are printed


@dataclass(frozen=True)
class Given:
    """An event as it came: of a detector or an input; `as_it_came` is its line."""

    what: Literal["detector", "input"]
    name: str
    raised_s: float
    cleared_s: float | None
    repeat: bool
    region: str = ""
    listed: str | None = None
    as_it_came: Mapping[str, Any] = field(default_factory=dict)
    take: str | None = None


@dataclass(frozen=True)
class Rules:
    """What a site says of all this. `hours`: timetables of detectors, inputs and outputs, by (what, name)."""

    links: tuple[LinkRule, ...]
    compounds: tuple[Compound, ...]
    messages: Mapping[str, Message]
    hours: Mapping[tuple[str, str], str]
    is_on: IsOn


class Shown(NamedTuple):
    """An event as it is looked up: of a cause, at a time, maybe of a take; `place`: its order among all that may fire."""

    what: str
    name: str
    raised_s: float
    place: tuple[float, int, int]
    take: str | None
    asleep: bool


class Line(NamedTuple):
    """A line of the rehearsal, and where it stands among the others. `shown`: of an event; `ordered_by`: of an order, its event's place;
    `expire_s`: how late that may be.
    """

    place: tuple[float, int, tuple[float, ...]]
    said: dict[str, Any]
    shown: Shown | None = None
    ordered_by: tuple[float, int, int] | None = None
    expire_s: float = 0.0


class _Fires(NamedTuple):
    """Something that a link may answer: it fires with its order among all, its name in a line, and whether it is a repeat."""

    happened: Happened
    named: int | str
    repeat: bool
    place: tuple[float, int, int]


class _Ordered(NamedTuple):
    """An effect ordered of one thing."""

    at_s: float
    link: LinkRule
    effect: Effect
    thing: str
    fires: _Fires
    place: tuple[float, ...]  # of its link, its effect, its event, its thing


def rehearsed(rules: Rules, events: Sequence[Given], *, until_s: float | None = None) -> list[Line]:
    """Return the lines in their order. `events` as in the file."""
    return sorted(_lines(rules, events, until_s), key=lambda line: line.place)


def _before(t_s: float, until_s: float | None) -> bool:
    return until_s is None or t_s < until_s - TIME_TOLERANCE_S


def _lines(rules: Rules, events: Sequence[Given], until_s: float | None) -> Iterator[Line]:
    in_order = sorted((each for each in events if _before(each.raised_s, until_s)), key=lambda each: each.raised_s)
    fires: list[_Fires] = []
    awake: list[Happened] = []
    takes: dict[Any, str | None] = {}  # by an event's place; a compound's is that of the first that it used
    for index, each in enumerate(in_order):
        hours = rules.hours.get((each.what, each.name))
        asleep = hours is not None and not rules.is_on(hours, each.raised_s)
        said = {**each.as_it_came, "index": index} | ({"asleep": True} if asleep else {})
        place = (each.raised_s, 0, index)
        takes[place] = each.take
        shown = Shown(each.what, each.name, each.raised_s, place, each.take, asleep)
        yield Line((each.raised_s, EVENT, (index,)), said, shown)
        if asleep:
            continue
        happened = Happened(each.what, each.name, each.raised_s, each.cleared_s, place, each.region, each.listed)
        fires.append(_Fires(happened, index, each.repeat, place))
        if not each.repeat:
            awake.append(happened)
    made = worked_out(rules.compounds, awake, rules.is_on, until_s=until_s)
    for number, compound in enumerate(rules.compounds):
        for count, raised in enumerate(made[compound.name]):
            happened = raised.happened
            takes[happened.place] = takes.get(raised.used[0].place)
            shown = Shown(
                "compound", compound.name, happened.raised_s, happened.place, takes[happened.place], raised.asleep
            )
            yield Line((happened.raised_s, COMPOUND, (number, count)), _compound_line(compound, raised), shown)
            if not raised.asleep:
                fires.append(_Fires(happened, compound.name, False, happened.place))
    fires.sort(key=lambda each: each.place)
    yield from _fired(rules, fires, until_s)


def _compound_line(compound: Compound, raised: Raised) -> dict[str, Any]:
    happened = raised.happened
    return {
        "compound": compound.name,
        "raised_s": happened.raised_s,
        "cleared_s": happened.cleared_s,
        "parts": [used.name if used.what == "compound" else used.place[2] for used in raised.used],
        "asleep": raised.asleep,
    }


def _fired(rules: Rules, fires: Sequence[_Fires], until_s: float | None) -> Iterator[Line]:
    ordered: list[_Ordered] = []
    heard: dict[tuple[str, str], list[tuple[int, _Fires]]] = defaultdict(list)
    for order, each in enumerate(fires):
        heard[each.happened.what, each.happened.name].append((order, each))
    for number, link in enumerate(rules.links):
        cause, bucket = link.cause, link.bucket
        for order, each in heard[cause.of]:
            if not cause.fits(each.happened) or (each.repeat and not link.on_repeat):
                continue
            raised_s = each.happened.raised_s
            if link.timetable is not None and not rules.is_on(link.timetable, raised_s):
                because = f"The timetable {link.timetable} of the link is off then."
                said = {
                    "link": link.name,
                    "event": each.named,
                    "at_s": raised_s,
                    "result": "asleep",
                    "because": because,
                }
                yield Line((raised_s, ASLEEP, (number, order)), said)
                continue
            if bucket is not None and link.effects and not bucket.lets(raised_s):
                because = (
                    f"The link fires {link.limit_burst} times at once at most, then once in {link.limit_refill_s:g} s."
                )
                said = {
                    "link": link.name,
                    "event": each.named,
                    "at_s": raised_s,
                    "result": HELD_BACK,
                    "because": because,
                }
                yield Line((raised_s, ASLEEP, (number, order)), said)
                continue
            at_s = raised_s + link.delay_s
            if not _before(at_s, until_s):
                continue
            for place, effect in enumerate(link.effects):
                ordered += [
                    _Ordered(at_s, link, effect, thing, each, (number, place, order, which))
                    for which, thing in enumerate(effect.things)
                ]
    standings = _one_at_a_time(rules, ordered)
    for at, one in enumerate(ordered):
        said = _order_line(rules, one, standings.get(at))
        yield Line((one.at_s, ORDER, one.place), said, ordered_by=one.fires.place, expire_s=one.effect.expire_s)


def _one_at_a_time(rules: Rules, ordered: Sequence[_Ordered]) -> dict[int, Standing]:
    """How orders to things that do one thing at a time stand in the end, by their place in `ordered`."""
    lengths = {name: message.length_s for name, message in rules.messages.items()}
    machines: dict[tuple[str, str], OneAtATime] = {}
    out: dict[int, Standing] = {}
    keys = {at: key for key, at in enumerate(sorted(range(len(ordered)), key=lambda at: ordered[at].place))}
    for at, each in enumerate(ordered):
        if not isinstance(each.effect, Exclusive):
            continue
        machine = machines.setdefault((each.effect.TAKES, each.thing), OneAtATime())
        out[at] = machine.order(
            Order(
                key=keys[at],
                thing=each.thing,
                at_s=each.at_s,
                length_s=each.effect.lasts_s(lengths),
                priority=each.effect.priority,
                expire_s=each.effect.expire_s,
                when_busy=each.effect.when_busy,
            )
        )
    for machine in machines.values():
        while (next_s := machine.next_s) is not None:
            machine.advance(next_s)
    return out


def _order_line(rules: Rules, each: _Ordered, standing: Standing | None) -> dict[str, Any]:
    link, effect, at_s = each.link, each.effect, each.at_s
    do = effect.do
    said: dict[str, Any] = {"link": link.name, "do": do, "on": each.thing, "event": each.fires.named, "at_s": at_s}
    if standing is not None:
        began = standing.result in ("done", "cut")
        return said | {
            "from_s": standing.from_s if began else None,
            "to_s": standing.to_s if began else None,
            "result": standing.result,
            "because": standing.because or outcomes.LASTED,
        }
    if isinstance(effect, Switch):
        hours = rules.hours.get(("output", effect.output))
        if hours is not None and not rules.is_on(hours, at_s):
            because = f"The timetable {hours} of the output is off then."
            return said | {"from_s": None, "to_s": None, "result": "asleep", "because": because}
        latched = effect.mode == "latched"
        because = "On until somebody acknowledges it." if latched else outcomes.LASTED
        return said | {
            "from_s": at_s,
            "to_s": None if latched else at_s + effect.length_s,
            "result": "done",
            "because": because,
        }
    if isinstance(effect, Clip):
        return said | {
            "from_s": at_s - effect.before_s,
            "to_s": at_s + effect.after_s,
            "result": "done",
            "because": f"Kept from {effect.before_s:g} s before to {effect.after_s:g} s after.",
        }
    return said | {
        "from_s": at_s,
        "to_s": at_s,
        "result": "done",
        "because": "Sent." if not isinstance(effect, Show) else "Shown.",
    }
