"""Which links an event sets off, and why the others stay silent: the one rule, for rehearsal and live engine.

A link fires if it listens to the event, its timetable is on at that instant, the detector's own hours are, for a
repeat it fires on repeats, and its limit lets it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from lantern.core.effects.effect import Effect, Exclusive, Lengths
from lantern.core.linking import outcomes
from lantern.core.linking.limit import Bucket
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


_Laid = tuple[Armed, Callable[[datetime], bool]]  # a link, and whether its timetable is on


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
    """The links of one cause, with its own hours (None: all are), laid out for aware instants from `first` to `last`. `buckets`: how
    full those of links with a limit are, by name; None: as they begin.
    """

    def __init__(
        self,
        links: Sequence[Armed],
        hours: Timetable | None,
        first: datetime,
        last: datetime,
        buckets: Mapping[str, Bucket] | None = None,
    ) -> None:
        self._buckets = buckets_of(each.link for each in links) if buckets is None else buckets
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
        firing = [each for each in awake if each.link.effects and (each.link.on_repeat or not heard.repeat)]
        letting = [each for each in firing if self._lets(each.link, at)]
        fired = [
            Firing(armed.link.name, effect, armed.link.delay_s, thing, effect.lasts_s(armed.messages))
            for armed in letting
            for effect in armed.link.effects
            for thing in effect.things
        ]
        if fired:
            return fired, outcomes.fired(
                (each.effect.lane(each.thing) for each in fired), min(each.after_s for each in fired)
            )
        return [], self._silent(heard, at, hearing, awake, firing)

    @staticmethod
    def _silent(
        heard: Heard, at: datetime, hearing: Sequence[_Laid], awake: Sequence[Armed], firing: Sequence[Armed]
    ) -> Reason:
        """Return why none of the links that listen has fired."""
        if firing:
            held = [(each.link.name, each.link.limit_burst or 1, each.link.limit_refill_s or 0.0) for each in firing]
            return outcomes.held_back(held)
        if len(awake) < len(hearing):
            slept = [(a.link.name, a.timetable) for a, is_on in hearing if a.timetable is not None and not is_on(at)]
            return outcomes.outside_hours(slept)
        return outcomes.repeat() if heard.repeat else outcomes.no_effect()

    def _lets(self, link: LinkRule, at: datetime) -> bool:
        bucket = self._buckets.get(link.name)
        return bucket is None or bucket.lets(at.timestamp())


def buckets_of(links: Iterable[LinkRule]) -> dict[str, Bucket]:
    """Return those of links that have a limit, by name, as they begin."""
    return {link.name: bucket for link in links if (bucket := link.bucket) is not None}


def _is_on(hours: Timetable | None, first: datetime, last: datetime) -> Callable[[datetime], bool]:
    return (lambda at: True) if hours is None else hours.active_between(first, last)
