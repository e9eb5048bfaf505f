"""Who moves a PTZ when: by hand over calls over the timetable over idling; what is taken from whom, and what comes too late."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict
from lantern.core.rule import TIME_TOLERANCE_S

By = Literal["manual", "call", "timetable", "idle", "none"]
Name = str
RANK_OF_ALL = 11  # of a call, less its priority


class Entry(Strict):
    """What the timetable has it do, from one time up to another."""

    from_s: float
    to_s: float
    do: Name = Field(min_length=1, max_length=120)

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.to_s <= self.from_s:
            raise ValueError(f"to_s {self.to_s:g} is not after from_s {self.from_s:g}")
        return self


class Call(Strict):
    """Something that asks for it: at a time, for so long."""

    at_s: float
    for_s: float = Field(gt=0)
    do: Name = Field(min_length=1, max_length=120)
    rank: int


class Manual(Strict):
    """Somebody moves it by hand, from one time up to another."""

    from_s: float
    to_s: float
    who: Name = Field(min_length=1, max_length=120)
    rank: int

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.to_s < self.from_s:
            raise ValueError(f"to_s {self.to_s:g} is before from_s {self.from_s:g}")
        return self


class Plan(Strict):
    """Times in s. By hand it is held for `release_s` longer than it is moved; it idles once nothing has held for `idle_after_s`."""

    from_s: float
    to_s: float
    release_s: float = Field(ge=0)
    idle_after_s: float = Field(ge=0)
    idle: Name | None = None
    timetable: tuple[Entry, ...] = ()
    calls: tuple[Call, ...] = ()
    manual: tuple[Manual, ...] = ()

    @model_validator(mode="after")
    def _forward(self) -> Self:
        if self.to_s <= self.from_s:
            raise ValueError(f"to_s {self.to_s:g} is not after from_s {self.from_s:g}")
        rows = sorted(self.timetable, key=lambda each: each.from_s)
        for one, other in itertools.pairwise(rows):
            if other.from_s < one.to_s - TIME_TOLERANCE_S:
                raise ValueError(f"timetable: {one.do} and {other.do} overlap at {other.from_s:g} s")
        return self


class Stretch(NamedTuple):
    """`do`: what it does, by hand who moves it; None: it stands where it was."""

    from_s: float
    to_s: float
    by: By
    do: Name | None


class Dropped(NamedTuple):
    """A call that nothing came of."""

    dropped: Name
    at_s: float
    because: str


@dataclass(frozen=True)
class Duty:
    """What is done over the whole of a plan, and which calls within it were dropped."""

    stretches: tuple[Stretch, ...]
    dropped: tuple[Dropped, ...]

    def lines(self) -> Iterator[dict[str, Any]]:
        for held in self.stretches:
            yield held._asdict()
        for lost in self.dropped:
            yield lost._asdict()


def duty(plan: Plan) -> Duty:
    """Return who moves it when. What lies before the plan begins counts like the rest; only what is returned is cut."""
    manual = _by_hand(plan)
    calls, dropped = _calls(plan, manual)
    edges = sorted(
        {plan.from_s, plan.to_s}
        | {edge for each in (*manual, *calls) for edge in each[:2]}
        | {edge for each in plan.timetable for edge in (each.from_s, each.to_s)}
    )
    held = list(_layered(edges, manual, calls, plan))
    return Duty(
        tuple(_joined(_cut(_idled(held, plan), plan))),
        tuple(each for each in dropped if plan.from_s <= each.at_s < plan.to_s),
    )


def _by_hand(plan: Plan) -> list[Stretch]:
    """By hand, with the release: of those that overlap the greater rank holds, of equals that one which held already."""
    holds = [(each.from_s, each.to_s + plan.release_s, each) for each in plan.manual]
    edges = sorted({edge for start, end, _ in holds for edge in (start, end)})
    out = []
    for start, end in itertools.pairwise(edges):
        on = [
            (each.rank, -each.from_s, -number, each)
            for number, (a, b, each) in enumerate(holds)
            if a <= start and b >= end
        ]
        if on:
            out.append(Stretch(start, end, "manual", max(on, key=lambda each: each[:3])[3].who))
    return out


def _calls(plan: Plan, manual: Sequence[Stretch]) -> tuple[list[Stretch], list[Dropped]]:
    """What runs of each call, and which were dropped: in order of time, of equals as in the plan."""
    out: list[Stretch] = []
    dropped: list[Dropped] = []
    running: tuple[Call, float] | None = None  # with when it ends

    def end(at_s: float) -> None:
        nonlocal running
        if running is not None:
            call, until = running
            stop = min(until, at_s)
            if stop > call.at_s:
                out.append(Stretch(call.at_s, stop, "call", call.do))
            running = None

    for call in sorted(plan.calls, key=lambda each: each.at_s):
        if running is not None and running[1] <= call.at_s + TIME_TOLERANCE_S:
            end(running[1])
        holder = next((each.do for each in manual if each.from_s <= call.at_s + TIME_TOLERANCE_S < each.to_s), None)
        if holder is not None:
            dropped.append(Dropped(call.do, call.at_s, f"{holder} holds it by hand"))
            continue
        if running is not None:
            if call.rank <= running[0].rank:
                word = "is of the same rank" if call.rank == running[0].rank else "is of a greater rank"
                dropped.append(Dropped(call.do, call.at_s, f"{running[0].do} runs, and {word}"))
                continue
            end(call.at_s)
        taken = min((each.from_s for each in manual if each.from_s > call.at_s), default=float("inf"))
        running = (call, min(call.at_s + call.for_s, taken))  # one that a hold interrupts is over
    end(float("inf"))
    return out, dropped


def _layered(
    edges: Sequence[float], manual: Sequence[Stretch], calls: Sequence[Stretch], plan: Plan
) -> Iterator[Stretch]:
    rows = [Stretch(each.from_s, each.to_s, "timetable", each.do) for each in plan.timetable]
    for start, end in itertools.pairwise(edges):
        found = next(
            (each for layer in (manual, calls, rows) for each in layer if each.from_s <= start and each.to_s >= end),
            None,
        )
        yield Stretch(start, end, "none", None) if found is None else found._replace(from_s=start, to_s=end)


def _idled(held: Sequence[Stretch], plan: Plan) -> Iterator[Stretch]:
    """Stretches in which nothing holds, in two: until it has been so for long enough, and from then on. `held`: in order of time."""
    since = plan.from_s
    for each in held:
        if each.by != "none" or plan.idle is None:
            since = max(since, each.to_s)
            yield each
            continue
        idles = since + plan.idle_after_s
        if each.from_s < idles:
            yield each._replace(to_s=min(idles, each.to_s))
        if each.to_s > idles:
            yield Stretch(max(idles, each.from_s), each.to_s, "idle", plan.idle)


def _cut(stretches: Iterator[Stretch], plan: Plan) -> Iterator[Stretch]:
    for each in stretches:
        start, end = max(each.from_s, plan.from_s), min(each.to_s, plan.to_s)
        if end > start:
            yield each._replace(from_s=start, to_s=end)


def _joined(stretches: Iterator[Stretch]) -> Iterator[Stretch]:
    held: Stretch | None = None
    for each in stretches:
        if held is not None and held[2:] == each[2:]:
            held = held._replace(to_s=each.to_s)
            continue
        if held is not None:
            yield held
        held = each
    if held is not None:
        yield held
