"""Badges on the plan: it raises where more of them are within an area than may be, for long enough. No picture is needed."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Self

from lantern.core.badges.fixes import Fixes, crowd, inside

from lantern.core.axis import Axis
from lantern.core.decide import State, run, step
from lantern.core.device_kind import DeviceKind
from lantern.core.dials import DialInfo, Dials, dial, read_dials
from lantern.core.events import Detector, Event, Shape, in_order
from lantern.core.family import Family
from lantern.core.kind import Kind
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.signals import Series
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watch import Sample, Standing, Turn, Watch


class CrowdDials(Dials):
    """More than `badges` for `stay_s` raise."""

    badges: float = dial(1.0, unit="badges", low=0, high=500, step=1, meaning="So many may be within the area")
    stay_s: float = dial(2.0, unit="s", low=0, high=600, step=1, meaning="So long there must be more")

    def rule(self) -> Rule:
        return Rule("above", self.badges, sustain_s=self.stay_s, gap_s=60.0)


@dataclass(frozen=True, kw_only=True)
class CrowdKind(Kind):
    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon",)


@dataclass(frozen=True)
class Crowded(Raising):
    none_exact = "none: every value runs over all moments"

    detector: Detector
    kind: Kind
    dials: CrowdDials
    fixes: Fixes

    @property
    def length_s(self) -> float:
        return float(self.fixes.t_s[-1])

    def with_dials(self, **changes: Any) -> Self:
        return replace(self, dials=read_dials(self.kind.dials, self.dials.model_dump() | changes))

    def traces(self) -> Mapping[str, Series]:
        return {region.name: crowd(self.fixes, region) for region in self.detector.regions}

    def events(self) -> list[Event]:
        out = []
        for name, series in self.traces().items():
            for each in run(series, self.dials.rule()):
                cleared = None if each.cleared is None else float(series.t_s[each.cleared])
                peak = float(series.x[each.raised : each.cleared].max())
                at = float(series.t_s[each.raised])
                out.append(Event(self.detector.name, name, at, cleared, each.cleared_by, each.repeat, peak))
        return in_order(out)

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
        return Reason("too_few", "There were never more than may be, for long enough.", {})

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return (0.0, 5.0) if info.name == "badges" else 20.0


class CrowdWatch(Watch):
    """A sample is where all badges are at one moment."""

    def __init__(self, detector: Detector, kind: Kind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.rule = kind.read_dials(detector).rule()
        self.states: dict[str, State] = {}
        self.counts: dict[str, int] = {}

    def step(self, sample: Sample, interval_s: float) -> Iterator[Turn]:
        for region in self.detector.regions:
            count = inside(sample.value, region)
            self.counts[region.name] = count
            after, changes = step(self.states.get(region.name, State()), sample.t, float(count), self.rule, 0.0)
            self.states[region.name] = after
            if changes:
                yield Turn(region.name, tuple(changes), after, float(count), {"device_t": sample.t})

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        return False

    def inherit(self, held: Watch) -> None:
        assert isinstance(held, CrowdWatch)
        self.states, self.counts = held.states, held.counts

    def shift(self, seconds: float) -> None:
        self.states = {}

    def standing(self, *, trouble: str = "") -> Standing:
        told = {name: "raised" if self.states[name].raised else "clear" for name in self.counts}
        states = {name: ("unknown", trouble) if trouble else (state, "") for name, state in told.items()}
        return Standing(readings=dict(self.counts), unit="badges", states=states, level=self.rule.level)


CROWD = CrowdKind(
    name="crowd",
    says="more are in one place than may be",
    dials=CrowdDials,
    groups=(("Crowd", ("badges", "stay_s")),),
    signals=("fixes",),
    matters=lambda dial, dials: True,
    yardstick=RAISES,
    unit=lambda dials: "badges",
    pair=lambda dials: ("stay_s", "badges"),
    axis=Axis(lane="badges"),
)
FAMILY = Family(
    name="badges",
    kinds=(CROWD,),
    devices=(DeviceKind("locator", "locator of badges", ("fixes",), "sends"),),
    judge=lambda detector, kind, fixes: Crowded(detector, kind, kind.read_dials(detector), fixes),
    watch=CrowdWatch,
)
