"""Frames to one reading a region in °C: reduced, corrected, without the shutter's frames, held against its neighbours."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import cast

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.readings.heat.atmosphere import DEFAULT_HUMIDITY_PERCENT, transmittance
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.radiation import Correction, Seen, seen_as_recorded
from lantern.core.readings.heat.reductions import Reduction, Wanted, reduce_frames
from lantern.core.readings.heat.regions import rank_of_extent, rank_of_percentile, used_pixels
from lantern.core.readings.heat.severity import at_full_load
from lantern.core.readings.heat.shutter import Pause, ShutterWatch, picture_levels, steps, suppressed, without
from lantern.core.readings.region import ReadingRegion
from lantern.core.signals import Floats, Frames, RecordedAs, Series

NEVER_C = 1e30  # beyond any threshold: stands for pixels that a region does not have


def reading_key(dials: HeatDials) -> tuple[object, ...]:
    """The reading changes with these and no other dial."""
    extent = (dials.condition, dials.extent, dials.extent_unit) if dials.statistic == "extent" else ()
    percentile = (dials.percentile,) if dials.statistic == "percentile" else ()
    against = (dials.condition, dials.load_percent, dials.load_exponent) if dials.against == "neighbours" else ()
    air = (dials.model, dials.distance_m, dials.air_c, dials.humidity_percent, dials.transmittance)
    shutter = (dials.shutter_s, dials.shutter_step_c) if dials.shutter_s > 0 else ()
    return (dials.statistic, dials.emissivity, dials.reflected_c, extent, percentile, against, air, shutter)


def unit(dials: HeatDials) -> str:
    """Return the unit of the reading: of a level, or of a difference to the neighbours."""
    return "K" if dials.against == "neighbours" else "°C"


def watched_regions(regions: Sequence[ReadingRegion]) -> list[ReadingRegion]:
    found = [region for region in regions if region.role == "watch"]
    if not found:
        raise Refused([Fault("regions", "none of them is watched", "at least one region whose role is watch")])
    return found


def correction_for(recorded: RecordedAs, region: ReadingRegion, dials: HeatDials) -> Correction:
    """Return the correction from the take's own setting to the region's: its own values, else the dials', else as
    recorded.
    """
    before = seen_as_recorded(recorded, _transmittance_recorded(recorded, dials))
    emissivity = next(v for v in (region.emissivity, dials.emissivity, before.emissivity) if v is not None)
    reflected = next(v for v in (region.reflected_c, dials.reflected_c, before.reflected_c) if v is not None)
    air = before.air_c if dials.air_c is None else dials.air_c
    return Correction(before, Seen(emissivity, reflected, _transmittance_wanted(recorded, dials), air), dials.model)


def _transmittance_recorded(recorded: RecordedAs, dials: HeatDials) -> float:
    """Return the share that passed as the camera had it, if the take says the distance and the air; 1 else, and where
    nothing of the air is changed.

    With the same air before and after, it falls out of the equation, whatever formula the camera used.
    """
    changed = (dials.transmittance, dials.distance_m, dials.air_c, dials.humidity_percent) != (None,) * 4
    if not changed or recorded.distance_m is None or recorded.air_c is None or dials.model == "band_3_5":
        return 1.0
    humidity = DEFAULT_HUMIDITY_PERCENT if recorded.humidity_percent is None else recorded.humidity_percent
    return transmittance(recorded.distance_m, recorded.air_c, humidity, dials.model)


def _transmittance_wanted(recorded: RecordedAs, dials: HeatDials) -> float:
    if dials.transmittance is not None:
        return dials.transmittance
    if (dials.distance_m, dials.air_c, dials.humidity_percent) == (None,) * 3:
        return 1.0
    distance = recorded.distance_m if dials.distance_m is None else dials.distance_m
    air = recorded.air_c if dials.air_c is None else dials.air_c
    missing = [name for name, value in (("distance_m", distance), ("air_c", air)) if value is None]
    if missing:
        what = "is neither set nor in the take, so the air's transmittance is not known"
        raise Refused([Fault(f"dials.{name}", what, "distance and air temperature together") for name in missing])
    recorded_humidity = DEFAULT_HUMIDITY_PERCENT if recorded.humidity_percent is None else recorded.humidity_percent
    humidity = recorded_humidity if dials.humidity_percent is None else dials.humidity_percent
    return transmittance(cast(float, distance), cast(float, air), humidity, dials.model)


def reduction_of(dials: HeatDials, pixels: int) -> Reduction | None:
    """Return how the dials look at a region of so many pixels; None: more pixels are asked for than there are."""
    if dials.statistic == "percentile":
        return Reduction("coldest", k=rank_of_percentile(dials.percentile, pixels))
    if dials.statistic != "extent":
        return Reduction(dials.statistic)
    k = rank_of_extent(dials.extent, dials.extent_unit, pixels)
    if k > pixels:
        return None
    return Reduction("hottest" if dials.condition == "above" else "coldest", k=k)


def readings(frames: Frames, regions: Sequence[ReadingRegion], dials: HeatDials) -> dict[str, Series]:
    """One reading a watched region in °C (against neighbours: K), corrected for emissivity and air.

    Extremes and ranks commute with the correction, which rises with the pixel's value; for the mean each pixel is
    corrected before it is averaged. A region with fewer pixels than `extent` asks for is never beyond the threshold.
    """
    watched = watched_regions(regions)
    values = _reduced(frames, regions, dials)
    if dials.against == "neighbours":
        values = _against_neighbours(values, watched, dials)
    out = {r.name: Series(frames.t_s, values[r.name], unit(dials), r.name) for r in watched}
    if dials.shutter_s > 0:
        picture = picture_levels(frames.width, frames.height)
        levels_c = np.stack([frames.celsius(raw) for raw in reduce_frames(frames, [picture])[0]])
        shut = suppressed(frames.t_s, steps(levels_c, dials.shutter_step_c), dials.shutter_s)
        if shut.any():
            out = {name: without(series, shut) for name, series in out.items()}
    return out


def wanted(frames: Frames, regions: Sequence[ReadingRegion], dials: HeatDials) -> list[Wanted]:
    """Return what the readings need of the frames."""
    shutter = [picture_levels(frames.width, frames.height)] if dials.shutter_s > 0 else []
    return [*_wanted((frames.width, frames.height), frames.recorded, tuple(regions), dials)[0], *shutter]


@lru_cache(maxsize=64)  # live, it is asked for with every frame
def _wanted(
    size: tuple[int, int], recorded: RecordedAs, regions: tuple[ReadingRegion, ...], dials: HeatDials
) -> tuple[tuple[Wanted, ...], tuple[str, ...]]:
    """Return what is to be reduced for each region, and the regions that have fewer pixels than are asked for."""
    masks = tuple(region for region in regions if region.role == "mask")
    out: list[Wanted] = []
    too_small: list[str] = []
    for region in regions:
        if region.role == "mask" or (region.role == "reference" and dials.against != "neighbours"):
            continue
        index = used_pixels(region, masks, width=size[0], height=size[1])
        reduction = reduction_of(dials, index.size)
        if reduction is None:
            too_small.append(region.name)
            continue
        correction = correction_for(recorded, region, dials)
        if reduction.what == "mean" and correction.changes:
            reduction = replace(reduction, corrected=correction)
        out.append(Wanted(region, index, size[0], (reduction,), masks))
    return tuple(out), tuple(too_small)


def _reduced(frames: Frames, regions: Sequence[ReadingRegion], dials: HeatDials) -> dict[str, Floats]:
    wanted, too_small = _wanted((frames.width, frames.height), frames.recorded, tuple(regions), dials)
    never = np.full(len(frames), -NEVER_C if dials.condition == "above" else NEVER_C)
    out = dict.fromkeys(too_small, never)
    for each, (raw,) in zip(wanted, reduce_frames(frames, wanted) if wanted else [], strict=True):
        if each.reductions[0].corrected is None:
            raw = correction_for(frames.recorded, each.region, dials).apply(frames.celsius(raw))
        out[each.region.name] = raw
    return out


def _against_neighbours(
    values: Mapping[str, Floats], watched: Sequence[ReadingRegion], dials: HeatDials
) -> dict[str, Floats]:
    """Return by how much each is beyond the coolest (`below`: the warmest) of its like, brought to full load.

    The like are the reference regions if there are any, else the other watched ones. Not their mean: of two hot joints
    each would hide the other.
    """
    references = [name for name in values if name not in {region.name for region in watched}]
    out = {}
    for region in watched:
        others = references or [name for name in values if name != region.name]
        if not others:
            raise Refused(
                [Fault("regions", f"{region.name} has no neighbour", "another region, or one of role reference")]
            )
        stack = np.stack([values[name] for name in others])
        beyond = values[region.name] - stack.min(axis=0)
        if dials.condition == "below":
            beyond = stack.max(axis=0) - values[region.name]
        if dials.load_percent is not None:
            beyond = at_full_load(beyond, dials.load_percent, dials.load_exponent)
        out[region.name] = np.round(beyond, 9)
    return out


def readings_of_series(
    columns: Mapping[str, Series], regions: Sequence[ReadingRegion], dials: HeatDials
) -> dict[str, Series]:
    """A recorded column stands for the region of its name; one column alone stands for one region whatever its name."""
    watched = watched_regions(regions)
    if len(columns) == 1 and len(regions) == 1:
        return {regions[0].name: next(iter(columns.values()))}
    have = ", ".join(columns) or "none"
    needed = [r for r in regions if r.role == "watch" or (r.role == "reference" and dials.against == "neighbours")]
    missing = [region.name for region in needed if region.name not in columns]
    if missing:
        raise Refused(
            [Fault(f"region {name}", "the series has no column of that name", f"one of: {have}") for name in missing]
        )
    if dials.against != "neighbours":
        return {region.name: columns[region.name] for region in watched}
    values = _against_neighbours({r.name: columns[r.name].x for r in needed}, watched, dials)
    return {r.name: replace(columns[r.name], x=values[r.name], unit="K") for r in watched}


class Reader:
    """Live: one frame at a time, the same readings. Remembers what the shutter needs."""

    def __init__(self, regions: Sequence[ReadingRegion], dials: HeatDials) -> None:
        self.regions, self.dials = regions, dials
        self.shutter = ShutterWatch(dials.shutter_step_c, dials.shutter_s) if dials.shutter_s > 0 else None
        self.unshuttered = dials.model_copy(update={"shutter_s": 0.0})
        self.pause = Pause()

    def read(self, frames: Frames, t: float) -> dict[str, tuple[float, float]]:
        """One frame, taken at t by the device's clock, to (reading, `paused_s`) a watched region; nothing while the shutter is closed."""
        if self.shutter is not None:
            [levels] = reduce_frames(frames, [picture_levels(frames.width, frames.height)])
            if self.shutter.shut(t, np.array([float(frames.celsius(raw)[0]) for raw in levels])):
                self.pause.pass_over(t)
                return {}
        values = readings(frames, self.regions, self.unshuttered)
        paused_s = self.pause.keep(t)
        return {name: (float(series.x[0]), paused_s) for name, series in values.items()}
