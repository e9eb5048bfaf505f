"""What a head does by itself: rounds of stops, to and fro, sweeps, chains, ways that were driven; and what of it is done when."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator

from lantern.core.faults import FaultList, Refused
from lantern.core.modelled import Strict
from lantern.core.ptz.head import Head, shortest
from lantern.core.ptz.pointing import Direction, slew_s
from lantern.core.watch import Aim

PRESET = "preset "  # with its number: something to do, like a round's name
ENDLESS_S = 86_400.0 * 7
SWEPT_DEG = 1.0  # a sweep is worked out in such steps
NIGHT = (20, 6)  # o'clock
LEAST_SHARE = 0.01  # of its greatest speed
LEARNS_S = 5.0  # so long analytics take to learn a picture; common practice, no source
NOT_MEASURED: Mapping[int, float] = {}
Way = Literal["round", "to_and_fro", "sweep", "chain", "driven"]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Moment = tuple[float, float, float, float]  # s, pan, tilt in degrees of the site, zoom


class Stop(Strict):
    """A preset, how long it stays there, and the share of its greatest speed at which it goes there."""

    preset: int = Field(ge=1, le=999)
    stay_s: float = Field(default=10.0, gt=0, le=86_400)
    speed: float = Field(default=1.0, ge=LEAST_SHARE, le=1)


class Sweep(Strict):
    """Steadily from one direction of the site clockwise to another, and back, at a tilt."""

    pan_from_deg: float = Field(ge=-360, le=360)
    pan_to_deg: float = Field(ge=-360, le=360)
    tilt_deg: float = Field(ge=-90, le=90)
    zoom: float = Field(default=1.0, ge=1, le=1000)
    speed_deg_s: float = Field(default=5.0, ge=0.1, le=500)

    @property
    def width_deg(self) -> float:
        return (self.pan_to_deg - self.pan_from_deg) % 360 or 360.0


class Round(Strict):
    """`stops`: of a round, or to and fro between them; `rounds`: of a chain, one after another; `driven`: as somebody drove it."""

    name: Name
    way: Way = "round"
    stops: tuple[Stop, ...] = Field(default=(), max_length=100)
    sweep: Sweep | None = None
    rounds: tuple[Name, ...] = Field(default=(), max_length=20)
    driven: tuple[Moment, ...] = Field(default=(), max_length=20_000)

    @model_validator(mode="after")
    def _of_its_way(self) -> Self:
        has = {
            "round": bool(self.stops),
            "to_and_fro": len(self.stops) > 1,
            "sweep": self.sweep is not None,
            "chain": bool(self.rounds),
            "driven": len(self.driven) > 1,
        }
        if not has[self.way]:
            needs = {"round": "a stop", "to_and_fro": "two stops", "sweep": "a sweep", "chain": "a round"}
            raise ValueError(f"round {self.name}: needs {needs.get(self.way, 'two moments that were driven')} at least")
        if any(b[0] <= a[0] for a, b in zip(self.driven, self.driven[1:], strict=False)):
            raise ValueError(f"round {self.name}: times of what was driven do not rise")
        if self.name.startswith(PRESET):
            raise ValueError(f"round {self.name}: a name that does not begin with {PRESET.strip()!r}")
        return self


class Hours(Strict):
    """While a timetable of the site is on, it does this."""

    timetable: Name
    do: Name


class MadeUp(Strict):
    """A day that is made up: so many calls an hour in the mean, by night (20 to 6 o'clock) and by day, by chance from a seed."""

    night_per_hour: float = Field(default=4.0, ge=0, le=500)
    day_per_hour: float = Field(default=0.5, ge=0, le=500)
    seed: int = Field(default=1, ge=0, le=999_999)

    @property
    def per_hour(self) -> list[float]:
        return [self.night_per_hour if hour >= NIGHT[0] or hour < NIGHT[1] else self.day_per_hour for hour in range(24)]


class Sheet(Strict):
    """All that a head does when nobody moves it. `idle`: once nothing has held for `idle_after_s`; `release_s`: so long it is held after
    the last movement by hand; `call_most_s`: a call lasts so long at most; `ranks`: of roles that may move it by hand, the greater wins.
    """

    rounds: tuple[Round, ...] = Field(default=(), max_length=50)
    hours: tuple[Hours, ...] = Field(default=(), max_length=50)
    idle: Name | None = None
    idle_after_s: float = Field(default=60.0, ge=0, le=86_400)
    release_s: float = Field(default=20.0, ge=0, le=86_400)
    call_most_s: float | None = Field(default=None, gt=0, le=86_400)
    ranks: Mapping[str, int] = Field(default={"operator": 5, "engineer": 6, "lead": 7})
    made_up: MadeUp = MadeUp()
    wishes: Mapping[str, float] = Field(default={}, description="a place of the plan, and how many s it may go unseen")

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        names = [each.name for each in self.rounds]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two rounds are called {twice!r}")
        if any(not wish > 0 for wish in self.wishes.values()):
            raise ValueError("wishes: more than 0 s for each place")
        return self

    def round(self, name: str) -> Round | None:
        return next((each for each in self.rounds if each.name == name), None)


class Step(NamedTuple):
    """Look there for `stay_s`, `go_s` after the step before. `settled`: it rests there, so that analytics run. `share` of its greatest
    speed: it goes there so fast.
    """

    aim: Aim
    stay_s: float
    go_s: float
    settled: bool
    name: str
    share: float = 1.0


def steps_of(sheet: Sheet, do: str, looks: Mapping[int, Aim], head: Head) -> tuple[Step, ...]:
    """Return what it does, one step after another and then from the first again. `looks`: where its presets look on the site.

    Raises `Refused` for something that is not there, a preset that is not, and a chain that leads back to itself.
    """
    faults = FaultList()
    plain = list(_plain(sheet, do, looks, head, faults, ()))
    faults.refuse_if_any()
    out = []
    for at, (aim, stay_s, share, settled, name) in enumerate(plain):
        before = plain[at - 1][0]
        go_s = (
            slew_s(head.at_share(share), Direction(*before[:2]), Direction(*aim[:2]))
            if settled and len(plain) > 1
            else 0.0
        )
        out.append(Step(aim, stay_s, go_s, settled, name, share))
    return tuple(out)


def begun(step: Step) -> Step:
    """Return how a round is taken up at a step: to where a sweep or a driven way goes on it turns as fast as it can."""
    return step if step.settled else step._replace(share=1.0)


def taken_up_s(head: Head, looks: Aim, step: Step) -> float:
    """Return how long it takes from where it looks to a step that a round is taken up at."""
    return slew_s(head.at_share(begun(step).share), Direction(*looks[:2]), Direction(*step.aim[:2]))


def _plain(
    sheet: Sheet, do: str, looks: Mapping[int, Aim], head: Head, faults: FaultList, within: tuple[str, ...]
) -> Iterator[tuple[Aim, float, float, bool, str]]:
    """Aim, stay, share of the greatest speed, whether it rests there, and its name."""
    if do.startswith(PRESET):
        number = int(do.removeprefix(PRESET)) if do.removeprefix(PRESET).isdigit() else 0
        yield from _stops([Stop(preset=max(number, 1), stay_s=86_400)] if number else [], looks, faults, do)
        return
    found = sheet.round(do)
    if found is None:
        faults.add(
            do, "there is no such round", f"one of {', '.join(each.name for each in sheet.rounds) or 'none yet'}"
        )
    elif do in within:
        faults.add(do, f"leads back to itself: {' > '.join([*within, do])}", "a chain that ends")
    elif found.way == "chain":
        for name in found.rounds:
            yield from _plain(sheet, name, looks, head, faults, (*within, do))
    elif found.way == "driven":
        yield from _driven(found, head)
    elif found.sweep is not None and found.way == "sweep":
        yield from _swept(found.sweep, head, do)
    else:
        back = found.stops[-2:0:-1] if found.way == "to_and_fro" else ()
        yield from _stops([*found.stops, *back], looks, faults, do)


def _stops(
    stops: Sequence[Stop], looks: Mapping[int, Aim], faults: FaultList, where: str
) -> Iterator[tuple[Aim, float, float, bool, str]]:
    if not stops:
        faults.add(where, "is no preset", f"{PRESET.strip()} and its number")
    for stop in stops:
        if stop.preset not in looks:
            faults.add(where, f"there is no preset {stop.preset}", f"one of {', '.join(map(str, looks)) or 'none yet'}")
            continue
        yield looks[stop.preset], stop.stay_s, stop.speed, True, f"{PRESET}{stop.preset}"


def _driven(found: Round, head: Head) -> Iterator[tuple[Aim, float, float, bool, str]]:
    """As fast as it was driven, so that it turns on between two moments, and does not jump."""
    pace_deg_s = 0.0
    for one, other in zip(found.driven, found.driven[1:], strict=False):
        yield Aim(*one[1:]), other[0] - one[0], _share(pace_deg_s, head), False, found.name
        way_deg = max(abs(shortest(one[1], other[1])), abs(other[2] - one[2]))
        pace_deg_s = way_deg / (other[0] - one[0])


def _share(pace_deg_s: float, head: Head) -> float:
    """Return the share of its greatest speed; all of it where it does not turn there, or begins."""
    return min(max(pace_deg_s / head.speed_deg_s, LEAST_SHARE), 1.0) if pace_deg_s > 0 else 1.0


def _swept(sweep: Sweep, head: Head, name: str) -> Iterator[tuple[Aim, float, float, bool, str]]:
    count = max(round(sweep.width_deg / SWEPT_DEG), 1)
    there = np.linspace(0, sweep.width_deg, count + 1)
    for off in (*there[:-1].tolist(), *there[:0:-1].tolist()):
        aim = Aim((sweep.pan_from_deg + off) % 360, sweep.tilt_deg, sweep.zoom)
        yield aim, sweep.width_deg / count / sweep.speed_deg_s, _share(sweep.speed_deg_s, head), False, name


def cycle_s(steps: Sequence[Step]) -> float:
    """Return how long it takes from a step until the same again (H13)."""
    return sum(each.stay_s + each.go_s for each in steps)


def findings(
    sheet: Sheet, looks: Mapping[int, Aim], head: Head, sharp_after_s: Mapping[int, float] = NOT_MEASURED
) -> list[str]:
    """Return what is wrong with it, or looks so. `sharp_after_s`: by preset, how long its picture takes to become sharp once it rests."""
    out = []
    for each in sheet.rounds:
        try:
            steps_of(sheet, each.name, looks, head)
        except Refused as refused:
            out += [f"{fault.where}: {fault.what}" for fault in refused.faults]
        for stop in each.stops:
            blurred_s = sharp_after_s.get(stop.preset, 0.0)
            if stop.stay_s < LEARNS_S + blurred_s:
                blurred = f", once it is sharp after {blurred_s:g} s" if blurred_s else ""
                out.append(
                    f"{each.name}: {stop.stay_s:g} s at preset {stop.preset} is shorter than analytics take to learn a picture, "
                    f"{LEARNS_S:g} s{blurred}."
                )
    done = {*(held.do for held in sheet.hours), *([sheet.idle] if sheet.idle else [])}
    for do in sorted(done):
        if sheet.round(do) is None:
            try:
                steps_of(sheet, do, looks, head)
            except Refused as refused:
                out += [f"{fault.where}: {fault.what}" for fault in refused.faults]
    return out
