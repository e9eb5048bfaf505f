"""Which links an event sets off, and why the others stay silent: the one rule, for rehearsal and live engine.

A link fires if it listens to the event, its timetable is on at that instant, the detector's own hours are, and, for a
repeat, it fires on repeats.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from lantern.core.effects.effect import Effect, Exclusive, Lengths
from lantern.core.linking import outcomes
from lantern.core.linking.links import LinkRule
from lantern.core.linking.orders import Order, WhenBusy
from lantern.core.logic.timetable import Timetable
from lantern.core.reasons import Reason


@dataclass(frozen=True)
class Armed:
    """A link with its timetable; None: armed at all times. `messages`: of its site, how long each lasts."""

    link: LinkRule
    timetable: Timetable | None
    messages: Lengths = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Heard:
    """What links hear of an event: its region, the list of the entry that it matched (None: of none), and whether it repeats."""

    region: str
    listed: str | None = None
    repeat: bool = False


@dataclass(frozen=True, slots=True)
class Firing:
    """One effect that an event sets off on one thing, `after_s` after its raise; it lasts `lasts_s` (None: until it is acknowledged)."""

    link: str
    effect: Effect
    after_s: float
    thing: str
    lasts_s: float | None

    def order(self, key: int, raised_s: float) -> Order:
        """Return it as an order, for an event raised at `raised_s`."""
        effect = self.effect
        busy: WhenBusy = effect.when_busy if isinstance(effect, Exclusive) else "drop"
        at_s = raised_s + self.after_s
        return Order(key, self.thing, at_s, self.lasts_s, effect.priority, effect.expire_s, busy)


class Arming:
    """The links of one cause, with its own hours (None: all are), laid out for aware instants from `first` to `last`."""

    def __init__(self, links: Sequence[Armed], hours: Timetable | None, first: datetime, last: datetime) -> None:
        self._hours = hours
        self._awake = _is_on(hours, first, last)
        self._links = [(armed, _is_on(armed.timetable, first, last)) for armed in links]

    def answer(self, heard: Heard, at: datetime) -> tuple[list[Firing], Reason]:
        """Return what an event raised at `at` sets off, or why nothing."""
        if self._hours is not None and not self._awake(at):
            return [], outcomes.outside_own_hours(self._hours)
        if not self._links:
            return [], outcomes.no_link()
        hearing = [each for each in self._links if each[0].link.listens_to(heard.region, heard.listed)]
        if not hearing:
            return [], outcomes.other_region(heard.region, heard.listed)
        awake = [armed for armed, is_on in hearing if is_on(at)]
        fired = [
            Firing(armed.link.name, effect, armed.link.delay_s, thing, effect.lasts_s(armed.messages))
            for armed in awake
            if armed.link.on_repeat or not heard.repeat
            for effect in armed.link.effects
            for thing in effect.things
        ]
        if fired:
            return fired, outcomes.fired(
                (each.effect.lane(each.thing) for each in fired), min(each.after_s for each in fired)
            )
        if len(awake) < len(hearing):
            slept = [(a.link.name, a.timetable) for a, is_on in hearing if a.timetable is not None and not is_on(at)]
            return [], outcomes.outside_hours(slept)
        return [], outcomes.repeat() if heard.repeat else outcomes.no_effect()


def _is_on(hours: Timetable | None, first: datetime, last: datetime) -> Callable[[datetime], bool]:
    return (lambda at: True) if hours is None else hours.active_between(first, last)
