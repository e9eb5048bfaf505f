"""What stands beside the dials of a thermal detector: noise, the error fan, the smallest target, the people of a screening."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import kind_of
from lantern.core.readings.heat import materials, optics
from lantern.core.readings.heat.charts import drift_noticed
from lantern.core.readings.heat.noise import false_per_day, noise_of, quiet_readings
from lantern.core.readings.heat.reading import correction_for
from lantern.core.readings.heat.regions import used_pixels
from lantern.core.readings.region import ReadingDetector, ReadingRegion
from lantern.core.readings.skin.kind import visitors
from lantern.core.readings.skin.screening import Visitor
from lantern.core.readings.skin.statistics import positive_predictive, roc, shares
from lantern.core.readings.subject import Subject
from lantern.core.rule import RiseBy
from lantern.core.scoring.marks import Mark
from lantern.core.signals import RecordedAs, Series
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.evidence import Held
from lantern.tune.judging import held_value, subject

WAYS_TO_RISE: tuple[RiseBy, ...] = ("window", "points", "slope")


# ---- noise -----------------------------------------------------------------------------------------------------------


def readings_of(held: Held) -> Subject:
    """The thermal pages ask this of kinds that watch readings only."""
    if not isinstance(held.subject, Subject):
        raise Refused([Fault("kind", "this detector watches no reading", "a kind that does")])
    return held.subject


def noise_figures(held: Sequence[Held]) -> dict[str, Any]:
    """The sensor's noise on these takes, and the false tests a day that it alone would raise, by each way to take a rise."""
    subjects = [readings_of(each) for each in held]
    found = [
        noise_of(series, each.marks) for each, s in zip(held, subjects, strict=True) for series in s.readings.values()
    ]
    sigma = max((noise for noise in found if noise is not None), default=None)
    if sigma is None:
        return {"sigma_c": None, "by": {}, "drift": None}
    on = subjects[0]
    out: dict[str, float] = {}
    drift: dict[str, Any] | None = None
    for name, (series, rule) in on.decisions().items():
        interval_s = series.length_s / max(len(series) - 1, 1)
        quiet = quiet_readings(series, held[0].marks)
        if rule.learns:  # a baseline is there to see drift: how soon would one way or another see it?
            drift = drift_noticed().as_dict() | {"interval_s": interval_s}
        if rule.learns or quiet.size == 0 or not name:
            continue
        ways = WAYS_TO_RISE if rule.by_change else ("level",)
        for way in ways:
            tested = on.kind.rule(series, on.dials.model_copy(update={"rise_by": way})) if way != "level" else rule
            out[way] = max(out.get(way, 0.0), false_per_day(tested, sigma, interval_s, quiet))
    return {"sigma_c": sigma, "by": out, "drift": drift}


def _recorded(take: TakeRow) -> RecordedAs:
    """Return what the camera had set while it recorded."""
    return RecordedAs(**take.facts["recorded"])


# ---- emissivity and optics -------------------------------------------------------------------------------------------


def error_fan(held: Held, take: TakeRow, region: ReadingRegion, material: str) -> dict[str, Any]:
    """Return what the region's greatest reading becomes over a material's range, and whether the alarms still come."""
    chosen = next((m for m in materials.MATERIALS if m.name == material), None)
    if chosen is None:
        names = ", ".join(m.name for m in materials.MATERIALS)
        raise Refused([Fault("material", repr(material), f"one of {names}")])
    on = readings_of(held)
    dials = on.dials
    plain = dials.model_copy(update={"emissivity": None, "reflected_c": None, "against": "alone", "load_percent": None})
    bare = region.model_copy(update={"emissivity": None, "reflected_c": None})
    as_recorded = correction_for(_recorded(take), bare, plain)
    reading = on.readings[region.name]
    peak_c = float(correction_for(_recorded(take), region, dials).undo(np.array([reading.x.max()]))[0])

    def judge(e: float) -> tuple[int, int]:
        card = on.with_region(region.name, emissivity=e).card(held.marks)
        return card.misses, card.false_alarms

    def wanted(e: float) -> Any:
        return correction_for(_recorded(take), region.model_copy(update={"emissivity": e}), dials)

    blades = materials.fan(peak_c, as_recorded.recorded, wanted, chosen.low, chosen.high, judge)
    return {"material": chosen.as_dict(), "peak_c": round(peak_c, 2), "blades": [blade.as_dict() for blade in blades]}


def spot_of(session: Session, take: TakeRow, detector: ReadingDetector) -> dict[str, Any] | None:
    """The smallest target measured, from the camera's lens and the distance; None where either is not known.

    For a region whose target is smaller: what a target at the alarm's level would read, diluted by what it mostly sees.
    """
    ability = take.device.ability
    distance_m = detector.dials.get("distance_m") or _recorded(take).distance_m
    if take.signal != "heat" or not ability.get("pitch_um") or not ability.get("focal_mm") or not distance_m:
        return None
    size = optics.spot(float(ability["pitch_um"]), float(ability["focal_mm"]), float(distance_m))
    small = [r for r in detector.regions if r.target_mm is not None and r.target_mm < size.measuring_mm]
    readings = subject(session, detector, take).traces() if small else {}
    level_c = float(kind_of(detector.kind).read_dials(detector).threshold_c)
    return size.as_dict() | {
        "distance_m": distance_m,
        "small": [_too_small(region, size, readings.get(region.name), level_c) for region in small],
    }


def _too_small(region: ReadingRegion, size: optics.Spot, reading: Series | None, level_c: float) -> dict[str, Any]:
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


def people(session: Session, take: TakeRow, detector: ReadingDetector) -> dict[str, Any]:
    """Everybody who was measured on a take, by a detector of kind `skin`; a person is too warm in truth if a mark says so."""
    if detector.kind != "skin" or take.signal != "heat":
        raise Refused(
            [Fault("kind", f"{detector.kind} on a take of kind {take.signal}", "skin on a take of kind heat")]
        )
    dials = kind_of("skin").read_dials(detector)
    seen, refused = visitors(held_value(session, take), detector.regions, dials)
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
    """Return what a positive would be worth where one in a hundred is too warm."""
    if not warm or warm == all_of_them or hits + false_alarms == 0:
        return None
    return positive_predictive(hits / warm, 1 - false_alarms / (all_of_them - warm), 0.01)


def pixels_shown(take: TakeRow, detector: ReadingDetector) -> dict[str, list[int]]:
    """Return which pixels each region holds (flat, row-major), masks taken out, for figures of the frame that
    is shown.
    """
    if take.width is None or take.height is None:
        return {}
    masks = tuple(region for region in detector.regions if region.role == "mask")
    return {
        region.name: used_pixels(
            region, () if region.role == "mask" else masks, width=take.width, height=take.height
        ).tolist()
        for region in detector.regions
    }
