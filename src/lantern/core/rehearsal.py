"""A take through detector, timetable, link and effects on one clock, with a reason for all that did and did not happen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from lantern.core.effects.effect import Effect
from lantern.core.events import Event
from lantern.core.linking.arming import Armed, Arming, Heard
from lantern.core.linking.orders import Order, Standing
from lantern.core.linking.timeline import Active, Circumstances, played
from lantern.core.logic.timetable import Timetable
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Judgement, Mark, Slack, judge, within


@dataclass(frozen=True)
class Ordered:
    """An order with the event (by index) and the link that it came of, and how it stands at the end."""

    event: int
    link: str
    standing: Standing


@dataclass(frozen=True)
class Rehearsal:
    """Everything that happened, index by index: events, each event's outcome, marks, each mark's outcome, orders, and what
    outputs did; an order's key is its index.
    """

    events: tuple[Event, ...]
    outcomes: tuple[Reason, ...]
    judged: Judgement
    marks: tuple[Mark, ...]
    mark_reasons: tuple[Reason, ...]
    orders: tuple[Ordered, ...]
    effects: tuple[Active, ...]
    armed_s: dict[str, list[tuple[float, float]]]

    def effects_shown(self) -> list[dict[str, Any]]:
        """Return what outputs did, as the pages have it: with the events that caused or extended each stretch."""
        return [
            {"output": a.output, "on_s": a.on_s, "off_s": a.off_s, "events": [self.orders[k].event for k in a.orders]}
            for a in self.effects
        ]


def rehearse(
    events: Sequence[Event],
    silent: Callable[[Mark], Reason],
    marks: Sequence[Mark],
    links: Sequence[Armed],
    *,
    start: datetime,
    length_s: float,
    hours: Timetable | None = None,
    slack: Slack = Slack(),
    during: Circumstances = Circumstances(),
) -> Rehearsal:
    """Run one detector's events through its links. `start` is the aware instant at which the take begins; `silent` says why nothing hit a mark.

    `hours` are the detector's own: what raises outside them fires nothing, whatever its links say (None: all hours are). `during`:
    acknowledgements, and outputs that are away.
    """
    end = start + timedelta(seconds=max([length_s, *(event.raised_s for event in events)]))
    arming = Arming(links, hours, start, end)
    came_of: list[tuple[int, str]] = []
    orders: list[tuple[Order, Effect]] = []
    outcomes: list[Reason] = []
    for index, event in enumerate(events):
        fired, reason = arming.answer(heard(event), start + timedelta(seconds=event.raised_s))
        for firing in fired:
            orders.append((firing.order(len(orders), event.raised_s), firing.effect))
            came_of.append((index, firing.link))
        outcomes.append(reason)
    effects, standings = played(orders, during)
    judged = judge([event.raised_s for event in events], marks, slack)
    hit_by = {mark: index for index, mark in enumerate(judged.hit_marks) if mark is not None}
    reasons = tuple(_mark_reason(mark, hit_by.get(i), events, outcomes, silent) for i, mark in enumerate(marks))
    return Rehearsal(
        events=tuple(events),
        outcomes=tuple(outcomes),
        judged=judged,
        marks=tuple(marks),
        mark_reasons=reasons,
        orders=tuple(Ordered(event, link, standings[key]) for key, (event, link) in enumerate(came_of)),
        effects=tuple(effects),
        armed_s={armed.link.name: _armed_s(armed.timetable, start, length_s) for armed in links},
    )


def heard(event: Event) -> Heard:
    """Return what links hear of an event."""
    return Heard(event.region, event.own.get("list"), event.repeat)


def _armed_s(hours: Timetable | None, start: datetime, length_s: float) -> list[tuple[float, float]]:
    """Return when a link is armed, in s from the take's start."""
    if hours is None:
        return [(0.0, length_s)]
    spans = hours.spans(start, start + timedelta(seconds=length_s))
    return [((a - start).total_seconds(), (b - start).total_seconds()) for a, b in spans]


def _mark_reason(
    mark: Mark,
    hit_by: int | None,
    events: Sequence[Event],
    outcomes: Sequence[Reason],
    silent: Callable[[Mark], Reason],
) -> Reason:
    if mark.label != "expect":
        inside = [e for e in events if within(e.raised_s, mark.start_s, mark.end_s)]
        if not inside:
            return Reason("silent", "Nothing raised here.", {})
        what = "ignored" if mark.label == "ignore" else "false"
        return Reason(what, f"{len(inside)} raised here.", {"events": len(inside)})
    if hit_by is not None:
        event, outcome = events[hit_by], outcomes[hit_by]
        delay_s = mark.delay_s(event.raised_s)
        when = "Raised; nobody said when it began." if delay_s is None else f"Raised after {delay_s:.1f} s."
        return Reason("hit", f"{when} {outcome.text}", {"delay_s": delay_s, "outcome": outcome.code})
    return silent(mark)
