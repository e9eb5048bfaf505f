"""Echoes of a sounder: it raises where one from within a region is strong for long enough."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Self

from lantern.core.echoes.sweeps import Sweeps, reading, strongest

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

MANY_DB = 60.0


class EchoDials(Dials):
    """An echo of `strength_db` for `sustain_s` raises."""

    strength_db: float = dial(20.0, unit="dB", low=1, high=120, step=1, meaning="An echo so strong counts")
    sustain_s: float = dial(1.0, unit="s", low=0, high=60, step=0.5, meaning="So long it must be heard")

    def rule(self) -> Rule:
        return Rule("above", self.strength_db, sustain_s=self.sustain_s, gap_s=60.0)


@dataclass(frozen=True, kw_only=True)
class EchoKind(Kind):
    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box")


@dataclass(frozen=True)
class Sounded(Raising):
    """A detector on a take of sweeps."""

    none_exact = "none: every value runs over all sweeps"

    detector: Detector
    kind: Kind
    dials: EchoDials
    sweeps: Sweeps

    @property
    def length_s(self) -> float:
        return float(self.sweeps.t_s[-1])

    def with_dials(self, **changes: Any) -> Self:
        return replace(self, dials=read_dials(self.kind.dials, self.dials.model_dump() | changes))

    def traces(self) -> Mapping[str, Series]:
        return {region.name: reading(self.sweeps, region) for region in self.detector.regions}

    def line(self) -> dict[str, Any]:
        return {"dial": "strength_db", "level": self.dials.strength_db, "clears": None}

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
        return Reason("too_weak", "No echo from there was strong for long enough.", {})

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return (0.0, MANY_DB) if info.name == "strength_db" else 10.0


class EchoWatch(Watch):
    """A sample is the echoes of one sweep."""

    def __init__(self, detector: Detector, kind: Kind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.rule = kind.read_dials(detector).rule()
        self.states: dict[str, State] = {}
        self.heard: dict[str, float] = {}

    def step(self, sample: Sample, interval_s: float) -> Iterator[Turn]:
        for region in self.detector.regions:
            x = strongest(sample.value, region)
            self.heard[region.name] = x
            after, changes = step(self.states.get(region.name, State()), sample.t, x, self.rule, 0.0)
            self.states[region.name] = after
            if changes:
                yield Turn(region.name, tuple(changes), after, x, {"device_t": sample.t})

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        for name, fields in remembered.items():
            self.states[name] = State(**fields | {"window": (), "learnt": ()})
        return any(state.raised for state in self.states.values())

    def inherit(self, held: Watch) -> None:
        assert isinstance(held, EchoWatch)
        self.states, self.heard = held.states, held.heard

    def shift(self, seconds: float) -> None:
        self.states = {}

    def standing(self, *, trouble: str = "") -> Standing:
        told = {name: "raised" if self.states[name].raised else "clear" for name in self.heard}
        states = {name: ("unknown", trouble) if trouble else (state, "") for name, state in told.items()}
        return Standing(readings=dict(self.heard), unit="dB", states=states, level=self.rule.level)


SOUNDER = DeviceKind("sounder", "sounder", ("echoes",), "sends")
ECHO = EchoKind(
    name="echo",
    says="something stands where nothing should",
    dials=EchoDials,
    groups=(("Echo", ("strength_db", "sustain_s")),),
    signals=("echoes",),
    matters=lambda dial, dials: True,
    yardstick=RAISES,
    unit=lambda dials: "dB",
    pair=lambda dials: ("sustain_s", "strength_db"),
    axis=Axis(lane="loudest"),
)
FAMILY = Family(
    name="echoes",
    kinds=(ECHO,),
    devices=(SOUNDER,),
    judge=lambda detector, kind, sweeps: Sounded(detector, kind, kind.read_dials(detector), sweeps),
    watch=EchoWatch,
)


def as_dicts(sweeps: Sweeps) -> list[list[dict[str, float]]]:
    return [[asdict(echo) for echo in each] for each in sweeps.echoes]
