"""What places really get of a head: for how long of a day each is in view, at how many px/m, and how long it goes unseen."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from lantern.core.optics.coverage import Wall, hiding
from lantern.core.ptz.days import Day
from lantern.core.ptz.head import Head
from lantern.core.ptz.pictured import in_picture, pictured
from lantern.core.ptz.rounds import Round, Sheet
from lantern.core.signals import Floats

TOUCH_S = 1e-6


class Spot(NamedTuple):
    """A place of the plan that is to be seen, `up_m` above the ground."""

    name: str
    x_m: float
    y_m: float
    up_m: float = 0.9


class Got(NamedTuple):
    """`share` of the day in view, the median `px_per_m` of that (None: never), the longest time unseen, from when until when."""

    name: str
    share: float
    px_per_m: float | None
    longest_s: float
    from_s: float
    to_s: float
    times: int  # how often it came into view


def px_per_m(
    spots: Sequence[Spot], aims: Floats, head: Head, frame_px: tuple[int, int], walls: Sequence[Wall]
) -> Floats:
    """Return (m, n): for each of m looks and n spots how many px/m it is shown at; 0: it is not in the picture, or hidden."""
    out = np.zeros((len(aims), len(spots)))
    high = pictured(head, aims[:, 2])
    wide = high * frame_px[0] / frame_px[1]
    eye = np.array([head.x_m, head.y_m, head.height_m])
    for at, spot in enumerate(spots):
        place = np.array([spot.x_m, spot.y_m, spot.up_m])
        if hiding(walls, eye, place) is not None:
            continue
        inside, away = in_picture(head, aims, np.broadcast_to(place, (len(aims), 3)), wide, high)
        with np.errstate(divide="ignore"):
            out[:, at] = np.where(inside, frame_px[1] / 2 / high / np.maximum(away, 1e-6), 0.0)
    return out


def got(day: Day, spots: Sequence[Spot], shown: Floats) -> list[Got]:
    """Return what each spot gets. `shown` as of `px_per_m`. While it turns from one look to the next nothing counts as seen."""
    return [_got(day, spot, shown[day.look, at] if day.look.size else np.zeros(0)) for at, spot in enumerate(spots)]


def _got(day: Day, spot: Spot, shown: Floats) -> Got:
    seen = shown > 0
    began, ended = day.began_s[seen], day.ended_s[seen]
    length = day.to_s - day.from_s
    if not began.size:
        return Got(spot.name, 0.0, None, length, day.from_s, day.to_s, 0)
    lasts = ended - began
    unseen_from = np.concatenate(([day.from_s], ended))
    unseen_to = np.concatenate((began, [day.to_s]))
    gaps = unseen_to - unseen_from
    worst = int(np.argmax(gaps))
    order = np.argsort(shown[seen])
    half = np.searchsorted(np.cumsum(lasts[order]), lasts.sum() / 2)
    median = float(shown[seen][order][min(int(half), order.size - 1)])
    return Got(
        spot.name,
        float(lasts.sum() / length),
        median,
        max(float(gaps[worst]), 0.0),
        float(unseen_from[worst]),
        float(unseen_to[worst]),
        int((gaps[:-1] > TOUCH_S).sum()),
    )


def who_had_it(day: Day, from_s: float, to_s: float) -> dict[str, float]:
    """Return for how many seconds of a gap each sort of holder had the head."""
    out: dict[str, float] = {}
    for each in day.stretches:
        held = min(each.to_s, to_s) - max(each.from_s, from_s)
        if held > 0:
            out[each.by] = out.get(each.by, 0.0) + held
    return out


# ---- its numbers -----------------------------------------------------------------------------------------------------


class Dial(NamedTuple):
    """A number of the duty, in s: its values, and how a sheet is changed by it."""

    title: str
    values: tuple[float, ...]
    change: Callable[[Sheet, float], Sheet]
    now: Callable[[Sheet], float | None]


def _stays(sheet: Sheet, stay_s: float) -> Sheet:
    """Every stop of every round stays so long."""

    def shorter(each: Round) -> Round:
        return each.model_copy(
            update={"stops": tuple(stop.model_copy(update={"stay_s": stay_s}) for stop in each.stops)}
        )

    return sheet.model_copy(update={"rounds": tuple(shorter(each) for each in sheet.rounds)})


def _stay(sheet: Sheet) -> float | None:
    """The stay of all stops, where it is the same; else the longest."""
    return max((stop.stay_s for each in sheet.rounds for stop in each.stops), default=None)


def _set(key: str) -> Callable[[Sheet, float], Sheet]:
    return lambda sheet, value: sheet.model_copy(update={key: value})


DIALS: Mapping[str, Dial] = {
    "stay_s": Dial("every stop, s", (3, 5, 8, 10, 15, 20, 30, 45, 60, 90, 120, 180), _stays, _stay),
    "call_most_s": Dial(
        "a call at most, s", (5, 10, 15, 20, 30, 45, 60, 90, 120, 180, 300, 600), _set("call_most_s"), lambda sheet: sheet.call_most_s
    ),
    "release_s": Dial(
        "held after a hand, s", (0, 5, 10, 20, 30, 45, 60, 90, 120, 180, 300, 600), _set("release_s"),
        lambda sheet: sheet.release_s,
    ),
    "idle_after_s": Dial(
        "idle after, s", (0, 5, 10, 20, 30, 45, 60, 90, 120, 180, 300, 600), _set("idle_after_s"),
        lambda sheet: sheet.idle_after_s,
    ),
}  # fmt: skip


class Cure(NamedTuple):
    """The least change of one number that meets a wish: by how many times it changes."""

    dial: str
    value: float
    longest_s: float
    times: float


def cures(strips: Mapping[str, Sequence[tuple[float, float]]], sheet: Sheet, wish_s: float) -> list[Cure]:
    """Return for each dial the value nearest to what it is that keeps the longest gap within a wish; the least change first."""
    out = []
    for name, strip in strips.items():
        now = DIALS[name].now(sheet)
        good = [(value, gap) for value, gap in strip if gap <= wish_s]
        if not good:
            continue
        if now is None:
            value, gap = max(good)  # no cap at all: the longest that does
            out.append(Cure(name, value, gap, math.inf))
            continue
        value, gap = min(good, key=lambda each: abs(math.log((each[0] + 1) / (now + 1))))
        times = (max(value, now) + 1) / (min(value, now) + 1)
        out.append(Cure(name, value, gap, times))
    return sorted(out, key=lambda each: each.times)
