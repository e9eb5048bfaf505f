"""The kind `heat`: readings to events, with the figures that explain them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from lantern.core.decide import Raise, run
from lantern.core.events import Event, in_order
from lantern.core.exact.chains import Swept
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.materials import caution
from lantern.core.readings.heat.radiation import MODELS, Correction
from lantern.core.readings.heat.reading import correction_for, readings
from lantern.core.readings.heat.reductions import Reduction, Wanted, reduce_frames
from lantern.core.readings.heat.regions import used_pixels
from lantern.core.readings.heat.severity import severity
from lantern.core.readings.region import ReadingRegion
from lantern.core.rule import Rule, default_gap_s
from lantern.core.signals import Floats, Frames, RecordedAs, Series

Readings = Mapping[str, Series]

PLAYS_A_PART: dict[str, Callable[[HeatDials], bool]] = {
    "threshold_c": lambda d: not d.by_difference,
    "delta_c": lambda d: d.by_difference,
    "window_s": lambda d: d.by_change,
    "rise_by": lambda d: d.by_change,
    "percentile": lambda d: d.statistic == "percentile",
    "extent": lambda d: d.statistic == "extent",
    "extent_unit": lambda d: d.statistic == "extent",
    "baseline_s": lambda d: d.learns,
    "spread_k": lambda d: d.learns,
    "load_percent": lambda d: d.against == "neighbours",
    "load_exponent": lambda d: d.load_percent is not None,
    "shutter_step_c": lambda d: d.shutter_s > 0,
}


def matters(dial: str, dials: HeatDials) -> bool:
    """Return which dials play a part under the others."""
    test = PLAYS_A_PART.get(dial)
    return True if test is None else test(dials)


def exact(dials: HeatDials) -> dict[str, Swept]:
    """The dials that sweep exactly. None where the detector learns: what it learns depends on what it raises."""
    if dials.learns:
        return {}
    return {
        "delta_c" if dials.by_difference else "threshold_c": "level",
        "sustain_s": "sustain_s",
        "hysteresis_c": "hysteresis",
        "clear_s": "clear_s",
        "rearm_s": "rearm_s",
    }


def alternatives(dials: HeatDials) -> list[tuple[str, dict[str, Any]]]:
    """Other ways to look at the same regions, for advice: the words, and the dials to change."""
    if dials.against != "alone":
        return [(name, {"statistic": name}) for name in ("max", "mean")]
    level = "above" if dials.condition in ("above", "rise") else "below"
    change = "rise" if level == "above" else "fall"
    return [
        (f"hottest pixel {level}" if level == "above" else "coldest pixel below", _level("max", "min", level)),
        (f"mean {level}", {"statistic": "mean", "condition": level}),
        (f"percentile 95 {level}", {"statistic": "percentile", "percentile": 95.0, "condition": level}),
        (f"percentile 99 {level}", {"statistic": "percentile", "percentile": 99.0, "condition": level}),
        (f"9 pixels {level}", {"statistic": "extent", "extent": 9.0, "extent_unit": "px", "condition": level}),
        (f"25 pixels {level}", {"statistic": "extent", "extent": 25.0, "extent_unit": "px", "condition": level}),
        (f"{change} of the mean in 60 s", {"statistic": "mean", "condition": change, "window_s": 60.0}),
    ]


def _level(hot: str, cold: str, level: str) -> dict[str, Any]:
    return {"statistic": hot if level == "above" else cold, "condition": level}


def rule_for(series: Series, dials: HeatDials) -> Rule:
    return dials.rule(default_gap_s(series.t_s))


def decide(detector: str, readings_c: Readings, dials: HeatDials) -> list[Event]:
    """Events of all regions, in order. `peak` is the most extreme reading from the raise up to the clear."""
    events: list[Event] = []
    for region, series in readings_c.items():
        rule = rule_for(series, dials)
        events.extend(_event(detector, region, series, raised, rule, dials) for raised in run(series, rule))
    return in_order(events)


def _event(
    detector: str,
    region: str,
    series: Series,
    raised: Raise,
    rule: Rule,
    dials: HeatDials,
) -> Event:
    stop = len(series) if raised.cleared is None else raised.cleared + 1
    stretch = series.x[raised.raised : stop]
    peak = float(stretch.max() if rule.sense in ("above", "rise") else stretch.min())
    return Event(
        detector=detector,
        region=region,
        raised_s=float(series.t_s[raised.raised]),
        cleared_s=None if raised.cleared is None else float(series.t_s[raised.cleared]),
        cleared_by=raised.cleared_by,
        repeat=raised.repeat,
        peak=peak,
        why=why(dials, rule, float(series.x[raised.raised])),
    )


def why(dials: HeatDials, rule: Rule, reading: float) -> dict[str, Any]:
    """Return what made it raise: the reading at the raise against the dials."""
    out: dict[str, Any] = {"statistic": dials.statistic, "condition": dials.condition}
    out["difference_c" if dials.against == "neighbours" else "reading_c"] = round(reading, 3)
    if dials.by_difference:
        out["delta_c"] = dials.delta_c
    else:
        out["threshold_c"] = dials.threshold_c
    if dials.by_change:
        out |= {"window_s": dials.window_s, "rise_by": dials.rise_by}
    if dials.against != "alone":
        out["against"] = dials.against
    if dials.learns:
        out |= {"baseline_s": dials.baseline_s, "spread_k": dials.spread_k}
    if dials.against == "neighbours":
        out["severity"] = severity(reading)
        if dials.load_percent is not None:
            out |= {"load_percent": dials.load_percent, "load_exponent": dials.load_exponent}
    if dials.statistic == "extent":
        out |= {"extent": dials.extent, "extent_unit": dials.extent_unit}
    if dials.statistic == "percentile":
        out["percentile"] = dials.percentile
    out["sustain_s"] = rule.sustain_s
    return out


def evaluate(frames: Frames, detector: str, regions: Sequence[ReadingRegion], dials: HeatDials) -> list[Event]:
    """Frames to events. With `extent` the peak is the greatest number of pixels (or percent) beyond the threshold."""
    events = explain(decide(detector, readings(frames, regions, dials), dials), frames, regions, dials)
    return _with_counts(events, frames, regions, dials) if dials.statistic == "extent" and events else events


def explain(events: Sequence[Event], frames: Frames, regions: Sequence[ReadingRegion], dials: HeatDials) -> list[Event]:
    """Return what is known from the frames alone: the correction that was applied, and a peak that is a bound and no
    value.
    """
    corrections = {region.name: correction_for(frames.recorded, region, dials) for region in regions}
    out = []
    for event in events:
        correction = corrections[event.region]
        if correction.changes:
            air = "" if correction.wanted.transmittance != 1 else ", transmittance 1"
            applied = correction.wanted.as_dict() | {"model": MODELS[correction.model] + air}
            event = replace(event, why=event.why | applied)
        out.append(_at_least(event, frames, correction, dials))
    return out


def cautions(recorded: RecordedAs, regions: Sequence[ReadingRegion], dials: HeatDials) -> list[str]:
    """Return what a reader must know of each watched region's emissivity before trusting its temperature."""
    absolute = not dials.by_difference
    out = []
    for region in regions:
        if region.role == "mask":
            continue
        found = caution(correction_for(recorded, region, dials).wanted.emissivity)
        if found is not None and (absolute or found[0] == "warning"):
            out.append(f"{region.name}: {found[1]}")
    return out


def _at_least(event: Event, frames: Frames, correction: Correction, dials: HeatDials) -> Event:
    """A peak at the top of what the take can hold is no value but a bound, and says so."""
    if frames.dtype != "uint16" or dials.against != "alone":
        return event
    top = float(correction.apply(frames.celsius(np.array([np.iinfo(np.uint16).max], np.uint16)))[0])
    if event.peak < top - 1e-6:
        return event
    return replace(
        event, why=event.why | {"saturated": f"the peak is at least {top:.2f} °C, the most this take can hold"}
    )


def _with_counts(
    events: list[Event], frames: Frames, regions: Sequence[ReadingRegion], dials: HeatDials
) -> list[Event]:
    masks = tuple(region for region in regions if region.role == "mask")
    counts: dict[str, Floats] = {}
    for region in regions:
        if region.role != "watch":
            continue
        index = used_pixels(region, masks, width=frames.width, height=frames.height)
        # the threshold is taken back to what the take holds, rather than every pixel forward
        level_c = float(correction_for(frames.recorded, region, dials).undo(np.array([dials.threshold_c]))[0])
        level = round((level_c - frames.offset_c) / frames.scale, 6)
        count = Reduction(f"count_{dials.condition}", level=level)
        [[beyond]] = reduce_frames(frames, [Wanted(region, index, frames.width, (count,), masks)])
        counts[region.name] = beyond * 100 / index.size if dials.extent_unit == "percent" else beyond
    out = []
    for event in events:
        first = int(np.searchsorted(frames.t_s, event.raised_s))
        stop = len(frames) if event.cleared_s is None else int(np.searchsorted(frames.t_s, event.cleared_s)) + 1
        out.append(replace(event, peak=float(counts[event.region][first:stop].max())))
    return out
