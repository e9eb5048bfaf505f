"""What stands beside the dials: evidence strips over one take or all, noise, cautions, the error fan, the smallest target."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.core.dials import DialInfo, describe
from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.heat import materials, optics
from lantern.core.heat.noise import false_per_day, noise_of, quiet_readings
from lantern.core.heat.reading import correction_for
from lantern.core.heat.regions import used_pixels
from lantern.core.kinds import kind_of
from lantern.core.rule import RiseBy
from lantern.core.signals import Series
from lantern.core.skin.kind import visitors
from lantern.core.skin.screening import Visitor
from lantern.core.skin.statistics import positive_predictive, roc, shares
from lantern.core.subject import Subject
from lantern.core.tuning.scoring import Mark, exposure_s
from lantern.core.tuning.strips import Evidence, shown_range, strip_of, together
from lantern.core.tuning.sweep import ALL, Row, sweep_exact, sweep_values
from lantern.core.tuning.wishes import Wishes
from lantern.core.units import Scale
from lantern.takes.store import frames_of_take
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.judging import REDUCTIONS, subject

STRIP_VALUES = 24
IN_UNITS_OF_NOISE = ("threshold_c", "delta_c", "hysteresis_c")
WAYS_TO_RISE: tuple[RiseBy, ...] = ("window", "points", "slope")


@dataclass(frozen=True)
class Held:
    """A detector on one take, with the marks there that speak of it."""

    subject: Subject
    marks: list[Mark]

    @property
    def exposure_h(self) -> float:
        return exposure_s(self.subject.length_s, self.marks) / 3600


def hold(session: Session, detector: Detector, takes: Sequence[TakeRow]) -> list[Held]:
    held = [(subject(session, detector, take), take) for take in takes]
    return [Held(s, s.own([row.as_mark() for row in marks_of(session, take.id)])) for s, take in held]


def strips(held: Sequence[Held], names: Sequence[str] | None, wishes: Wishes | None, scale: Scale) -> dict[str, Any]:
    """The evidence strip of every numeric dial that plays a part and has a value (or of those named), over all of `held`."""
    first = held[0].subject
    by = Evidence(
        expected=sum(m.label == "expect" for each in held for m in each.marks),
        exposure_h=sum(each.exposure_h for each in held),
        wishes=wishes,
    )
    noise = noise_on(held)
    out: dict[str, Any] = {}
    for info in describe(first.kind.dials):
        wanted = info.numeric and first.kind.matters(info.name, first.dials)
        if wanted and (names is None or info.name in names) and getattr(first.dials, info.name) is not None:
            its = Evidence(by.expected, by.exposure_h, wishes, noise if info.name in IN_UNITS_OF_NOISE else None)
            out[info.name] = _strip(held, info, its, scale)
    return out


def noise_on(held: Sequence[Held]) -> float | None:
    """The greatest noise of any reading, in its unit."""
    found = [noise_of(series, each.marks) for each in held for series in each.subject.readings.values()]
    known = [noise for noise in found if noise is not None]
    return max(known, default=None)


def _strip(held: Sequence[Held], info: DialInfo, by: Evidence, scale: Scale) -> dict[str, Any]:
    value, step = float(getattr(held[0].subject.dials, info.name)), info.step or 1.0
    low, high = shown(held, info, value)
    swept = [_rows(each, info, low, high, value) for each in held]
    if all(row.start == row.stop for rows in swept for row in rows):  # values that a take refuses are left out of all
        common = set.intersection(*({row.value for row in rows} for rows in swept))
        swept = [[row for row in rows if row.value in common] for rows in swept]
    rows = together(swept)
    quantity = scale.of(info.unit, difference=info.difference)
    return strip_of(rows, low=low, high=high, value=value, step=step, shown=quantity, by=by).as_dict()


def _rows(held: Held, info: DialInfo, low: float, high: float, value: float) -> list[Row]:
    on = held.subject
    exact = on.kind.exact(on.dials)
    if info.name in exact:
        return sweep_exact(on.decisions(), held.marks, exact[info.name], low=low, high=high, apart=ALL)
    rows: list[Row] = []
    for at in values_shown(info, low, high, value):
        try:
            rows += sweep_values(lambda v: on.with_dials(**{info.name: v}).decisions(), held.marks, [at])
        except Refused:  # the other dials or the physics forbid it: no evidence there
            continue
    return rows


def values_shown(info: DialInfo, low: float, high: float, value: float, count: int = STRIP_VALUES) -> list[float]:
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
    """The part of the dial's range that its strip shows."""
    assert info.low is not None
    assert info.high is not None
    step = info.step or 1.0
    if info.unit == "°C" and not info.difference:  # around the readings, and the value wherever it stands
        readings = [series.x for each in held for series in each.subject.readings.values()]
        least, most = min(float(x.min()) for x in readings), max(float(x.max()) for x in readings)
        span = max(most - least, 2.0)
        low, high = min(least - 0.04 * span, value - step), max(most + 0.08 * span, value + step)
        return max(float(np.floor(low)), info.low), min(float(np.ceil(high)), info.high)
    if info.name in ("emissivity", "transmittance"):
        return min(0.3, value), 1.0
    if info.unit == "%" and info.high == 100:
        return 0.0, 100.0
    reach = max(_longest(each.subject, info) for each in held)
    return shown_range(value=value, default=info.default, low=info.low, high=info.high, step=step, reach=reach)


def _longest(on: Subject, info: DialInfo) -> float:
    """How far a time dial must be shown: the longest that any event lasts now."""
    if info.name not in ("sustain_s", "clear_s"):
        return 0.0
    lengths = [e.cleared_s - e.raised_s for e in on.events() if e.cleared_s is not None]
    longest: float = max(lengths, default=10.0) + on.dials.sustain_s
    return min(1.3 * longest, 600.0)


# ---- noise -----------------------------------------------------------------------------------------------------------


def noise_figures(held: Sequence[Held]) -> dict[str, Any]:
    """The sensor's noise on these takes, and the false tests a day that it alone would raise, by each way to take a rise."""
    sigma = noise_on(held)
    if sigma is None:
        return {"sigma_c": None, "by": {}}
    on = held[0].subject
    out: dict[str, float] = {}
    for name, (series, rule) in on.decisions().items():
        interval_s = series.length_s / max(len(series) - 1, 1)
        quiet = quiet_readings(series, held[0].marks)
        if rule.learns or quiet.size == 0 or not name:
            continue
        ways = WAYS_TO_RISE if rule.by_change else ("level",)
        for way in ways:
            tested = on.kind.rule(series, on.dials.model_copy(update={"rise_by": way})) if way != "level" else rule
            out[way] = max(out.get(way, 0.0), false_per_day(tested, sigma, interval_s, quiet))
    return {"sigma_c": sigma, "by": out}


# ---- emissivity and optics -------------------------------------------------------------------------------------------


def error_fan(held: Held, take: TakeRow, region: Region, material: str) -> dict[str, Any]:
    """What the region's greatest reading becomes over a material's range, and whether the alarms still come."""
    chosen = next((m for m in materials.MATERIALS if m.name == material), None)
    if chosen is None:
        names = ", ".join(m.name for m in materials.MATERIALS)
        raise Refused([Fault("material", repr(material), f"one of {names}")])
    on, dials = held.subject, held.subject.dials
    plain = dials.model_copy(update={"emissivity": None, "reflected_c": None, "against": "alone", "load_percent": None})
    bare = region.model_copy(update={"emissivity": None, "reflected_c": None})
    as_recorded = correction_for(take.recorded_as, bare, plain)
    reading = on.readings[region.name]
    peak_c = float(correction_for(take.recorded_as, region, dials).undo(np.array([reading.x.max()]))[0])

    def judge(e: float) -> tuple[int, int]:
        card = on.with_region(region.name, emissivity=e).score(held.marks)
        return card.misses, card.false_alarms

    def wanted(e: float) -> Any:
        return correction_for(take.recorded_as, region.model_copy(update={"emissivity": e}), dials)

    blades = materials.fan(peak_c, as_recorded.recorded, wanted, chosen.low, chosen.high, judge)
    return {"material": chosen.as_dict(), "peak_c": round(peak_c, 2), "blades": [blade.as_dict() for blade in blades]}


def spot_of(session: Session, take: TakeRow, detector: Detector) -> dict[str, Any] | None:
    """The smallest target measured, from the camera's lens and the distance; None where either is not known.

    For a region whose target is smaller: what a target at the alarm's level would read, diluted by what it mostly sees.
    """
    ability = take.device.ability
    distance_m = detector.dials.get("distance_m") or take.recorded_as.distance_m
    if take.kind != "heat" or not ability.get("pitch_um") or not ability.get("focal_mm") or not distance_m:
        return None
    size = optics.spot(float(ability["pitch_um"]), float(ability["focal_mm"]), float(distance_m))
    small = [r for r in detector.regions if r.target_mm is not None and r.target_mm < size.measuring_mm]
    readings = subject(session, detector, take).readings if small else {}
    level_c = float(kind_of(detector.kind).read_dials(detector).threshold_c)
    return size.as_dict() | {
        "distance_m": distance_m,
        "small": [_too_small(region, size, readings.get(region.name), level_c) for region in small],
    }


def _too_small(region: Region, size: optics.Spot, reading: Series | None, level_c: float) -> dict[str, Any]:
    assert region.target_mm is not None
    fill = (region.target_mm / size.measuring_mm) ** 2
    around_c = float(np.median(reading.x)) if reading is not None else 20.0
    return {
        "region": region.name,
        "target_mm": region.target_mm,
        "farthest_m": round(optics.farthest_m(region.target_mm, size.ifov_mrad), 2),
        "target_c": level_c,
        "around_c": round(around_c, 2),
        "reads_c": round(optics.diluted_c(level_c, around_c, fill), 2),
    }


def people(session: Session, take: TakeRow, detector: Detector) -> dict[str, Any]:
    """Everybody who was measured on a take, by a detector of kind `skin`; a person is too warm in truth if a mark says so."""
    if detector.kind != "skin" or take.kind != "heat":
        raise Refused([Fault("kind", f"{detector.kind} on a take of kind {take.kind}", "skin on a take of kind heat")])
    dials = kind_of("skin").read_dials(detector)
    frames = frames_of_take(session, take)
    seen, refused = visitors(frames, detector.regions, dials, reduce=REDUCTIONS.reducer(session, take.id))
    marks = [row.as_mark() for row in marks_of(session, take.id) if row.as_mark().concerns(detector.name)]
    ignored = [v for v in seen if any(m.label == "ignore" and _overlap(v, m) for m in marks)]
    judged = [v for v in seen if v not in ignored]
    truth = [any(m.label == "expect" and _overlap(v, m) for m in marks) for v in judged]
    hits = sum(v.beyond and t for v, t in zip(judged, truth, strict=True))
    false_alarms = sum(v.beyond and not t for v, t in zip(judged, truth, strict=True))
    curve = roc([v.temperature_c for v in judged], truth)
    return {
        "people": [
            {
                "start_s": v.start_s,
                "end_s": v.end_s,
                "c": round(v.temperature_c, 3),
                "threshold_c": round(v.threshold_c, 3),
                "beyond": v.beyond,
                "warm": t,
            }
            for v, t in zip(judged, truth, strict=True)
        ],
        "refused": refused,
        "shares": shares(hits, sum(truth) - hits, false_alarms, len(judged) - sum(truth) - false_alarms),
        "roc": curve.as_dict() if curve else None,
        "predictive_at_1_percent": _predictive(hits, sum(truth), false_alarms, len(judged)),
    }


def _overlap(visitor: Visitor, mark: Mark) -> bool:
    return visitor.start_s <= mark.end_s and mark.start_s <= visitor.end_s


def _predictive(hits: int, warm: int, false_alarms: int, all_of_them: int) -> float | None:
    """What a positive would be worth where one in a hundred is too warm."""
    if not warm or warm == all_of_them or hits + false_alarms == 0:
        return None
    return positive_predictive(hits / warm, 1 - false_alarms / (all_of_them - warm), 0.01)


def pixels_shown(take: TakeRow, detector: Detector) -> dict[str, list[int]]:
    """Which pixels each region holds (flat, row-major), masks taken out, for figures of the frame that is shown."""
    if take.width is None or take.height is None:
        return {}
    masks = tuple(region for region in detector.regions if region.role == "mask")
    return {
        region.name: used_pixels(
            region, () if region.role == "mask" else masks, width=take.width, height=take.height
        ).tolist()
        for region in detector.regions
    }
