"""The kind `skin`: frames to one corrected temperature over time, and that to events.

The reading falls back to the room's temperature when nobody stands there, so each person raises for themselves. Refused
frames are left out, and the decision waits; it neither clears nor counts them as lost.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from lantern.core.decide import run
from lantern.core.events import Event, in_order
from lantern.core.exact.chains import Swept
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.readings.heat.radiation import Correction, Seen, seen_as_recorded
from lantern.core.readings.heat.reductions import Reduction, Wanted, reduce_frames
from lantern.core.readings.heat.regions import used_pixels
from lantern.core.readings.heat.shutter import Pause, without
from lantern.core.readings.region import ReadingRegion
from lantern.core.readings.skin.dials import SkinDials
from lantern.core.readings.skin.screening import Look, Screening, Visitor
from lantern.core.rule import Rule, default_gap_s
from lantern.core.signals import Frames, RecordedAs, Series

NOTICE = "A screening of skin temperature, never a diagnosis: whoever is asked aside is measured again by other means."
STANDARD_FACE_PX = 240 * 180
ADAPTIVE_ONLY = ("spread_k", "least_margin_c", "lowest_c", "highest_c", "population")


def unit(dials: SkinDials) -> str:
    """Return the unit of the reading: of the corrected temperature, or of its excess over the adaptive threshold."""
    return "K" if dials.adaptive else "°C"


def matters(dial: str, dials: SkinDials) -> bool:
    return dials.adaptive or dial not in ADAPTIVE_ONLY


def exact(dials: SkinDials) -> dict[str, Swept]:
    times: dict[str, Swept] = {
        "sustain_s": "sustain_s",
        "hysteresis_c": "hysteresis",
        "clear_s": "clear_s",
        "rearm_s": "rearm_s",
    }
    # the adaptive threshold itself decides whom the population leaves out, so nothing of it sweeps exactly
    return times if dials.adaptive else {"threshold_c": "level", **times}


def alternatives(dials: SkinDials) -> list[tuple[str, dict[str, Any]]]:
    """Other numbers of hottest pixels, with a fixed threshold, whose level can be swept."""
    return [(f"{k} hottest pixels", {"hottest_px": k, "threshold": "fixed"}) for k in (1, 4, 9, 16, 25)]


def reading_key(dials: SkinDials) -> tuple[object, ...]:
    fixed = () if dials.adaptive else ("threshold_c",)
    after = {"sustain_s", "hysteresis_c", "clear_s", "rearm_s", "gap_s", *fixed}
    return tuple(value for name, value in dials.model_dump().items() if name not in after)


def face_and_reference(regions: Sequence[ReadingRegion]) -> tuple[ReadingRegion, ReadingRegion]:
    """The one watched box and the one reference; anything else is refused."""
    faults = FaultList()
    faces = [region for region in regions if region.role == "watch"]
    references = [region for region in regions if region.role == "reference"]
    if len(faces) != 1 or faces[0].shape != "box":
        faults.add("regions", f"{len(faces)} watched", "one watched box, in which one face at a time stands")
    if len(references) != 1:
        faults.add("regions", f"{len(references)} of role reference", "one region of role reference, on the source")
    faults.refuse_if_any()
    return faces[0], references[0]


def wanted(frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials) -> list[Wanted]:
    """Return what a screening needs of the frames: of the face box, and of the reference source."""
    scale = frames.scale, frames.offset_c
    return list(_wanted((frames.width, frames.height), scale, frames.recorded, tuple(regions), dials))


@lru_cache(maxsize=16)  # live, it is asked for with every frame
def _wanted(
    frame_px: tuple[int, int],
    scale: tuple[float, float],
    recorded: RecordedAs,
    regions: tuple[ReadingRegion, ...],
    dials: SkinDials,
) -> tuple[Wanted, ...]:
    face, reference = face_and_reference(regions)
    width, height = frame_px
    scale_k, offset_c = scale
    size = {"width": width, "height": height}
    masks = tuple(region for region in regions if region.role == "mask")
    box, source = (used_pixels(region, masks, **size) for region in (face, reference))
    skin = correction_for(recorded, face, dials)
    level = (float(skin.undo(np.array([dials.face_c]))[0]) - offset_c) / scale_k
    level = round(level, 6)
    k = int(dials.hottest_px)
    if k > box.size:
        raise Refused([Fault("dials.hottest_px", f"{k} of a box of {box.size} pixels", "fewer, or a larger box")])
    columns = len(np.unique(box % width))
    whole = columns * len(np.unique(box // width)) == box.size
    kept = [Reduction("hottest", k=k), Reduction("count_above", level=level)]
    if whole:  # a masked box has holes, which would part one face in two
        kept.append(Reduction("second_blob", level=level, k=columns))
    return (
        Wanted(face, box, width, tuple(kept), masks),
        Wanted(reference, source, width, (Reduction("mean"),), masks),
    )


def _looks(frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials) -> list[Look]:
    """Return what each frame shows, vectorised over the take."""
    face, reference = face_and_reference(regions)
    skin = correction_for(frames.recorded, face, dials)
    found = reduce_frames(frames, wanted(frames, regions, dials))
    hottest, count, *second = found[0]
    face_c = skin.apply(frames.celsius(hottest))
    reference_c = correction_for(frames.recorded, reference, dials).apply(frames.celsius(found[1][0]))
    seconds = second[0] if second else np.zeros(len(frames))
    return [
        Look(*values)
        for values in zip(face_c.tolist(), count.tolist(), seconds.tolist(), reference_c.tolist(), strict=True)
    ]


def correction_for(recorded: RecordedAs, region: ReadingRegion, dials: SkinDials) -> Correction:
    before = seen_as_recorded(recorded)
    emissivity = next(v for v in (region.emissivity, dials.emissivity, before.emissivity) if v is not None)
    reflected = next(v for v in (region.reflected_c, dials.reflected_c, before.reflected_c) if v is not None)
    return Correction(before, Seen(emissivity, reflected))


def readings(frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials) -> dict[str, Series]:
    """The face box's corrected temperature in °C (adaptive: its excess over the threshold, K), without refused frames.

    Beside each sample stand the corrected temperature, the threshold in force, and whether that was clipped.
    """
    return _screened(frames, regions, dials)[0]


def visitors(
    frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials
) -> tuple[list[Visitor], dict[str, int]]:
    """Everybody who was measured, in order, and how many frames were refused for what."""
    return _screened(frames, regions, dials)[1:]


def _screened(
    frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials
) -> tuple[dict[str, Series], list[Visitor], dict[str, int]]:
    looks = _looks(frames, regions, dials)
    people: list[Visitor] = []
    screening = Screening(dials, people.append)
    done = [screening.take(t, look) for t, look in zip(frames.t_s.tolist(), looks, strict=True)]
    screening.end()
    refused: dict[str, int] = {}
    for each in done:
        if each.refused:
            refused[each.refused] = refused.get(each.refused, 0) + 1
    beside = {
        "corrected_c": np.array([each.corrected_c for each in done]),
        "threshold_c": np.array([each.threshold_c for each in done]),
        "clipped": np.array([float(each.clipped) for each in done]),
    }
    x = np.array([_reading(each.corrected_c, each.threshold_c, dials) for each in done])
    name = face_and_reference(regions)[0].name
    series = Series(frames.t_s, x, unit(dials), name, beside=beside)
    left_out = np.array([bool(each.refused) for each in done])
    return {name: without(series, left_out) if left_out.any() else series}, people, refused


def _reading(corrected_c: float, threshold_c: float, dials: SkinDials) -> float:
    return round(corrected_c - threshold_c if dials.adaptive else corrected_c, 9)


def readings_of_series(
    columns: Mapping[str, Series], regions: Sequence[ReadingRegion], dials: SkinDials
) -> dict[str, Series]:
    what = "a series holds no face and no reference source"
    raise Refused([Fault("take: kind", what, "a take of kind heat: pictures")])


def rule_for(series: Series, dials: SkinDials) -> Rule:
    return dials.rule(default_gap_s(series.t_s))


def decide(detector: str, found: Mapping[str, Series], dials: SkinDials) -> list[Event]:
    events: list[Event] = []
    for region, series in found.items():
        for raised in run(series, rule_for(series, dials)):
            stop = len(series) if raised.cleared is None else raised.cleared + 1
            corrected = series.beside.get("corrected_c", series.x)
            events.append(
                Event(
                    detector=detector,
                    region=region,
                    raised_s=float(series.t_s[raised.raised]),
                    cleared_s=None if raised.cleared is None else float(series.t_s[raised.cleared]),
                    cleared_by=raised.cleared_by,
                    repeat=raised.repeat,
                    peak=float(corrected[raised.raised : stop].max()),
                    why=_why(series, raised.raised, dials),
                )
            )
    return in_order(events)


def _why(series: Series, at: int, dials: SkinDials) -> dict[str, Any]:
    out: dict[str, Any] = {
        "corrected_c": round(float(series.beside["corrected_c"][at]), 3),
        "threshold": dials.threshold,
        "threshold_c": round(float(series.beside["threshold_c"][at]), 3),
        "sustain_s": dials.sustain_s,
        "reference_c": dials.reference_c,
        "note": NOTICE,
    }
    if series.beside["clipped"][at]:
        out["clipped"] = "the population's threshold lies beyond the bounds and was cut to them"
    return out


def evaluate(frames: Frames, detector: str, regions: Sequence[ReadingRegion], dials: SkinDials) -> list[Event]:
    return decide(detector, readings(frames, regions, dials), dials)


def explain(events: Sequence[Event], frames: Frames, regions: Sequence[ReadingRegion], dials: SkinDials) -> list[Event]:
    return list(events)


def cautions(recorded: RecordedAs, regions: Sequence[ReadingRegion], dials: SkinDials) -> list[str]:
    """Return what keeps the standard's figures from being met."""
    out = []
    if dials.face_px < STANDARD_FACE_PX:
        what = f"a face may cover {dials.face_px:g} px; the standard asks for a face plane of 240 x 180 px"
        out.append(f"{what} (IEC 80601-2-59:2017, from memory)")
    return out


class Reader:
    """Live: one frame at a time through the same screening. What it learnt is learnt anew after a restart."""

    def __init__(self, regions: Sequence[ReadingRegion], dials: SkinDials) -> None:
        self.regions, self.dials = regions, dials
        self.screening = Screening(dials)
        self.pause = Pause()
        self.name = face_and_reference(regions)[0].name

    def read(self, frames: Frames, t: float) -> dict[str, tuple[float, float]]:
        [look] = _looks(frames, self.regions, self.dials)
        got = self.screening.take(t, look)
        if got.refused:
            self.pause.pass_over(t)
            return {}
        return {self.name: (_reading(got.corrected_c, got.threshold_c, self.dials), self.pause.keep(t))}
