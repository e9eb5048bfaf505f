"""Pulses of a meter: it raises where more than so many come within a time. A family of one kind, for the tests."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, NamedTuple, Self

import numpy as np

from lantern.core.decide import Change
from lantern.core.dials import DialInfo, Dials, dial, read_dials
from lantern.core.events import Detector, Event, Shape
from lantern.core.family import Family
from lantern.core.kind import Kind
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.signals import Series
from lantern.core.sweepable import Sweepable
from lantern.core.tuning.measures import Measure, Wish, Yardstick
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watch import Sample, Standing, Turn, Watch


class PulseDials(Dials):
    """More than `pulses` within `within_s` raise."""

    pulses: float = dial(
        3.0, unit="pulses", low=0, high=1000, step=1, meaning="So many pulses may come within the time"
    )
    within_s: float = dial(2.0, unit="s", low=0.1, high=60, step=0.1, meaning="The time within which they are counted")


@dataclass(frozen=True, kw_only=True)
class PulseKind(Kind):
    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ()


def beyond(window: Sequence[tuple[float, float]], dials: PulseDials) -> bool:
    return window[-1][1] - window[0][1] > dials.pulses


def turns(t_s: Sequence[float], x: Sequence[float], dials: PulseDials) -> Iterator[tuple[float, bool, float]]:
    """(t, raised, pulses within the time) wherever raised changes. The meter counts on and on; the time slides."""
    window: deque[tuple[float, float]] = deque()
    raised = False
    for t, count in zip(t_s, x, strict=True):
        window.append((t, count))
        while window[0][0] < t - dials.within_s - 1e-9:
            window.popleft()
        if beyond(window, dials) != raised:
            raised = not raised
            yield t, raised, window[-1][1] - window[0][1]


@dataclass(frozen=True)
class Metered(Sweepable):
    """A detector on a take of meters."""

    detector: Detector
    kind: Kind
    dials: Any
    columns: Mapping[str, Series]

    @property
    def length_s(self) -> float:
        return next(iter(self.columns.values())).length_s

    def with_dials(self, **changes: Any) -> Self:
        return replace(self, dials=read_dials(self.kind.dials, self.dials.model_dump() | changes))

    def traces(self) -> Mapping[str, Series]:
        return self.columns


@dataclass(frozen=True)
class Pulses(Metered, Raising):
    none_exact = "none: every value runs over all pulses"

    def events(self) -> list[Event]:
        out: list[Event] = []
        for region in self.detector.regions:
            series = self.columns[region.name]
            for t, raised, count in turns(series.t_s.tolist(), series.x.tolist(), self.dials):
                if raised:
                    out.append(Event(self.detector.name, region.name, t, None, "end", False, count))
                else:
                    out[-1] = replace(out[-1], cleared_s=t, cleared_by="reading")
        return out

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        tally = Tally(marks, slack)
        for event in self.events():
            tally.add(event.raised_s)
        return tally.counts()

    def exact_dials(self) -> Collection[str]:
        return ()

    def rows_exact(self, *args: Any, **named: Any) -> list[Row]:
        raise NotImplementedError

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        return Reason("too_few", "Too few pulses came within the time.", {})

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return 10.0


class PulseWatch(Watch):
    """A sample is the meter's count, by region."""

    def __init__(self, detector: Detector, kind: Kind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials = kind.read_dials(detector)
        self.seen: dict[str, list[tuple[float, float]]] = {}
        self.raised: dict[str, bool] = {}

    def step(self, sample: Sample, interval_s: float) -> Iterator[Turn]:
        for name, count in sample.value.items():
            seen = [each for each in self.seen.get(name, []) if each[0] >= sample.t - self.dials.within_s - 1e-9]
            self.seen[name] = [*seen, (sample.t, count)]
            now = beyond(self.seen[name], self.dials)
            if now != self.raised.get(name, False):
                self.raised[name] = now
                change = Change("raise", sample.t) if now else Change("clear", sample.t, "reading")
                yield Turn(name, (change,), None, count, {})

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        return False

    def inherit(self, held: Watch) -> None:
        assert isinstance(held, PulseWatch)
        self.seen, self.raised = held.seen, held.raised

    def shift(self, seconds: float) -> None:
        self.seen = {}

    def standing(self, *, trouble: str = "") -> Standing:
        states = {name: ("raised" if on else "clear", "") for name, on in self.raised.items()}
        return Standing(readings={name: seen[-1][1] for name, seen in self.seen.items()}, unit="pulses", states=states)


def judged(detector: Detector, kind: Kind, columns: Mapping[str, Series]) -> Pulses:
    return Pulses(detector, kind, kind.read_dials(detector), columns)


KIND = PulseKind(
    name="pulse-rate",
    says="a meter runs faster than it may",
    dials=PulseDials,
    groups=(("Alarm", ("pulses", "within_s")),),
    signals=("series",),
    matters=lambda dial, dials: True,
    yardstick=RAISES,
    unit=lambda dials: "pulses",
    pair=lambda dials: ("pulses", "within_s"),
)


class Followed(NamedTuple):
    """What it gives: for how long the meter ran too fast to be followed, and the share of its pulses that were followed."""

    lost_s: float
    followed_percent: float | None


FOLLOWING = Yardstick(
    measures=(
        Measure(
            name="lost_s",
            label="seconds lost",
            form="{} s lost",
            wish=Wish(name="lost_s", label="At most so many seconds lost", words=("≤", "s lost")),
        ),
        Measure(
            name="followed_percent",
            label="followed",
            form="{} % followed",
            better="more",
            ideal=100.0,
            pool="worst",
            wish=Wish(name="followed_percent", label="At least so much followed", words=("≥", "% followed"), high=100),
        ),
    )
)


@dataclass(frozen=True)
class Following(Metered):
    """It raises nothing: it follows the meter as long as no more than `pulses` come from one sample to the next."""

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Followed:
        series = self.columns[self.detector.regions[0].name]
        came, took_s = np.diff(series.x), np.diff(series.t_s)
        kept = came <= self.dials.pulses
        share = None if came.sum() == 0 else 100 * float(came[kept].sum() / came.sum())
        return Followed(float(took_s[~kept].sum()), share)

    def exact_dials(self) -> Collection[str]:
        return ("pulses",)

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        steps = np.unique(np.diff(self.columns[self.detector.regions[0].name].x)).tolist()
        ends = [low, *(step for step in steps if low < step < high), high]
        middles = [(a + b) / 2 for a, b in pairwise(ends)]
        return [
            Row(a, b, middle, self.with_dials(pulses=middle).result(marks))
            for (a, b), middle in zip(pairwise(ends), middles, strict=True)
        ]

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return 0.0, 10.0


class FollowWatch(PulseWatch):
    def step(self, sample: Sample, interval_s: float) -> Iterator[Turn]:
        yield from ()


FOLLOW = replace(
    KIND,
    name="pulse-follow",
    raises=False,
    says="nothing: it follows a meter",
    groups=(("Reach", ("pulses",)),),
    matters=lambda dial, dials: dial == "pulses",
    yardstick=FOLLOWING,
)
FAMILY = Family(
    name="pulses",
    kinds=(KIND, FOLLOW),
    judge=lambda detector, kind, columns: (
        Following(detector, kind, kind.read_dials(detector), columns)
        if kind is FOLLOW
        else judged(detector, kind, columns)
    ),
    watch=lambda detector, kind, facts: (FollowWatch if kind is FOLLOW else PulseWatch)(detector, kind, facts),
)


def example_series() -> Series:
    """One pulse a second, and from 3 s on ten."""
    t = np.arange(20) / 2
    return Series(t, np.where(t < 3, np.floor(t), 10 * (t - 3) + 3), "pulses", "meter")
