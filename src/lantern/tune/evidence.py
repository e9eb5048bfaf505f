"""The evidence beside the dials: strips over one take or all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.core.dials import DialInfo, describe
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark, exposure_s
from lantern.core.scoring.nuisance import of_one
from lantern.core.tunable import Tunable
from lantern.core.tuning.rows import Row
from lantern.core.tuning.strips import Evidence, shown_range, stretches_of, strip_of, together
from lantern.core.tuning.wanted import still_wanted
from lantern.core.tuning.wishes import Wishes
from lantern.core.units import Scale
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.judging import subject


@dataclass(frozen=True)
class Held:
    """What is tuned on one take, with the marks there that speak of it."""

    subject: Tunable
    marks: list[Mark]

    @property
    def exposure_h(self) -> float:
        return exposure_s(self.subject.length_s, self.marks) / 3600

    def of_note(self, note: str) -> Held:
        """Return the same with the false alarms of one note alone."""
        return replace(self, marks=of_one(self.marks, note, self.subject.length_s))


def hold(session: Session, detector: Detector, takes: Sequence[TakeRow]) -> list[Held]:
    held = [(subject(session, detector, take), take) for take in takes]
    return [Held(s, s.own([row.as_mark() for row in marks_of(session, take.id)])) for s, take in held]


def strips(held: Sequence[Held], names: Sequence[str] | None, wishes: Wishes | None, scale: Scale) -> dict[str, Any]:
    """The evidence strip of every numeric dial that plays a part and has a value (or of those named), over all of `held`."""
    first = held[0].subject
    marks = [mark for each in held for mark in each.marks]
    by = Evidence(
        first.yardstick,
        exposure_h=sum(each.exposure_h for each in held),
        lacking=first.yardstick.lacking(marks),
        few=first.yardstick.few(marks),
        wishes=None if wishes is None or wishes.plain else wishes,
        basis=first.yardstick.basis(marks),
    )
    out: dict[str, Any] = {}
    for info in describe(first.model):
        wanted = info.numeric and first.matters(info.name)
        if wanted and (names is None or info.name in names) and getattr(first.dials, info.name) is not None:
            known = [n for n in (each.subject.noise(info.name, each.marks) for each in held) if n is not None]
            out[info.name] = _strip(held, info, replace(by, noise=max(known, default=None)), scale)
    return out


def _strip(held: Sequence[Held], info: DialInfo, by: Evidence, scale: Scale) -> dict[str, Any]:
    value, step = float(getattr(held[0].subject.dials, info.name)), info.step or 1.0
    low, high = shown(held, info, value)
    swept = [_rows(each, info, low, high, value) for each in held]
    if all(row.start == row.stop for rows in swept for row in rows):  # values that a take refuses are left out of all
        common = set.intersection(*({row.value for row in rows} for rows in swept))
        swept = [[row for row in rows if row.value in common] for rows in swept]
    along = together([stretches_of(rows, by.yardstick) for rows in swept], by.yardstick)
    quantity = scale.of(info.unit, difference=info.difference)
    return strip_of(along, low=low, high=high, value=value, step=step, shown=quantity, by=by).as_dict()


def _rows(held: Held, info: DialInfo, low: float, high: float, value: float) -> list[Row]:
    on = held.subject
    if info.name in on.exact_dials():
        return on.rows_exact(info.name, held.marks, low, high, whole=True)
    rows: list[Row] = []
    values = values_shown(info, low, high, value, on.strip_values)
    on.prepare(info.name, values)
    for at in values:
        still_wanted()
        try:
            rows += on.rows_at(info.name, held.marks, [at])
        except Refused:  # the other dials or the physics forbid it: no evidence there
            continue
    return rows


def values_shown(info: DialInfo, low: float, high: float, value: float, count: int) -> list[float]:
    """Values on the dial's own steps over the shown range, its present value among them."""
    assert info.low is not None
    assert info.high is not None
    step = info.step or 1.0
    first = low + step if info.low_excluded and low <= info.low else low
    on_step = {round(round(v / step) * step, 6) for v in np.linspace(first, high, count)}
    return sorted(
        {v for v in on_step | {value} if info.low <= v <= info.high and (v > info.low or not info.low_excluded)}
    )


def shown(held: Sequence[Held], info: DialInfo, value: float) -> tuple[float, float]:
    """The part of the dial's range that its strip shows: what the kind finds worth showing on any of the takes, and the value."""
    assert info.low is not None
    assert info.high is not None
    step = info.step or 1.0
    wanted = [each.subject.shown(info) for each in held]
    ends = [each for each in wanted if isinstance(each, tuple)]
    if ends:
        low, high = min(*(a for a, _ in ends), value - step), max(*(b for _, b in ends), value + step)
        return max(_rounded(low, step, down=True), info.low), min(_rounded(high, step, down=False), info.high)
    if info.unit == "%" and info.high == 100:
        return 0.0, 100.0
    reach = max(info.reach, *(each for each in wanted if not isinstance(each, tuple)))
    return shown_range(value=value, default=info.default, low=info.low, high=info.high, step=step, reach=reach)


def _rounded(at: float, step: float, *, down: bool) -> float:
    """Return a value rounded to whole units, or to the dial's steps where these are finer."""
    unit = 1.0 if step >= 0.1 else step
    return float((np.floor if down else np.ceil)(at / unit) * unit)
