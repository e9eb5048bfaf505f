"""What a scene's bench shows beside the dials: verdicts, classes, presence and dwell, room before the line, one object's life, counts by hand."""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.counted import HandCount, intervals_of
from lantern.core.faults import Fault, Refused
from lantern.core.linking.arming import Armed, Arming
from lantern.core.objects.counting import stereo
from lantern.core.objects.counting.alignment import is_reversed, offset_s
from lantern.core.objects.counting.audit import audit, flawless_for, observers_differ, passages_for
from lantern.core.objects.counting.occupancy import FORETELLING, foretold, running
from lantern.core.objects.counting.search import Counted
from lantern.core.objects.dials import CountDials, CrossingDials
from lantern.core.objects.placement import least_fps, room
from lantern.core.objects.region import ObjectDetector
from lantern.core.objects.scene import class_lines, dwell, life, presence
from lantern.core.objects.shapes import watched_regions
from lantern.core.objects.subject import TrackSubject
from lantern.core.objects.verdicts.sighted import ORDER, WORDS
from lantern.core.rehearsal import heard
from lantern.core.scoring.marks import judge
from lantern.core.tracks import usual_classes
from lantern.db.numbers import Id
from lantern.links.tables import hours_of
from lantern.takes.tables import HandCountRow, TakeRow, hand_counts_of, marks_of
from lantern.tune.judging import held_value, subject

VERDICTS = [{"code": code, "words": WORDS[code]} for code in ORDER]
WISHED_ERROR = 0.02  # of the caught share, for the number of passages that would show it; common practice, no source
VISITORS = 1000  # after whom a page says how far occupancy is off
OBSERVERS_AGREE = 0.01  # of their counts, as far as two people may be apart; common practice, no source
PEOPLE_SPEED_M_S = 1.4  # a brisk walk; common practice, no source


class CountsAsked(BaseModel):
    """The counts are held against counts by hand: each so many seconds, and whose."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    every_s: float = Field(default=60.0, ge=10, le=3600)
    who: Id | None = None


def scene_of(session: Session, detector: ObjectDetector, take: TakeRow) -> TrackSubject:
    held = subject(session, detector, take)
    if not isinstance(held, TrackSubject):
        raise Refused([Fault("kind", f"{detector.kind} watches no objects", "crossing, zone, count or path")])
    return held


def objects_shown(session: Session, detector: ObjectDetector, take: TakeRow, links: Sequence[Armed]) -> list[int]:
    """Return for each object of the take its verdict, an index into `VERDICTS`. What raised while every link slept says
    so.
    """
    held = scene_of(session, detector, take)
    end = take.start + timedelta(seconds=held.length_s)
    arming = Arming(links, hours_of(session, take.device.site_id, detector), take.start, end)
    asleep = set()
    for event in held.events():
        _, reason = arming.answer(heard(event), take.start + timedelta(seconds=event.raised_s))
        if reason.code == "outside_timetable":
            asleep.add(event.object)
    rightly, falsely = _by_marks(session, held, take)
    codes = []
    for verdict, name in zip(held.verdicts(), held.tracks.ids, strict=True):
        code = verdict.code
        if code == "raised":
            code = "outside_hours" if name in asleep else "raised_false" if name in falsely - rightly else code
        codes.append(code)
    return [ORDER.index(code) for code in codes]


def _by_marks(session: Session, held: TrackSubject, take: TakeRow) -> tuple[set[Any], set[Any]]:
    """Objects that raised where a mark allows it, and those that raised where none does: none, if nobody has marked anything."""
    events = held.events()
    own = held.own([row.as_mark() for row in marks_of(session, take.id)])
    if not own:
        return set(), set()
    verdicts = judge([event.raised_s for event in events], own).verdicts
    judged = list(zip(events, verdicts, strict=True))
    rightly = {event.object for event, verdict in judged if verdict != "false"}
    return rightly, {event.object for event, verdict in judged if verdict == "false"}


def beside(session: Session, detector: ObjectDetector, take: TakeRow) -> dict[str, Any]:
    """Classes, room, presence and dwell: what changes with the dials or the regions, and is not needed at once."""
    held = scene_of(session, detector, take)
    own = held.own([row.as_mark() for row in marks_of(session, take.id)])
    maps = {"presence": presence(held.left, held.dials.anchor), "dwell": dwell(held.left, held.dials.anchor)}
    sides = []
    if isinstance(held.dials, CrossingDials | CountDials):
        for region in watched_regions(detector.regions):
            sides += [each.as_dict() for each in room(held.left, region, held.dials)]
    return {
        "classes": [line.as_dict() for line in class_lines(held, own)],
        "room": sides,
        "least_fps": _pace(sides, held),
        "maps": {
            name: {"seconds": np.round(seconds, 1).tolist(), "most_s": float(seconds.max())}
            for name, seconds in maps.items()
        },
    }


def _pace(sides: list[dict[str, Any]], held: TrackSubject) -> dict[str, float] | None:
    """The frame rate that the fastest need, for boxes of one frame to overlap those of the next."""
    fps = held.tracks.fps
    if not sides or fps is None:
        return None
    width = float(np.median(held.left.box[:, 2]))
    return {"has": round(fps, 2), "needs": round(least_fps(sides[0]["speed_px_s"], width), 2)}


def life_of(session: Session, detector: ObjectDetector, take: TakeRow, name: str) -> dict[str, Any]:
    held = scene_of(session, detector, take)
    index = next((i for i, known in enumerate(held.tracks.ids) if str(known) == name), None)
    if index is None:
        raise Refused([Fault("object", f"the take has no object {name}", "the number of one that it has")])
    return life(held, index)


def packed_tracks(session: Session, take: TakeRow) -> bytes:
    """Return the tracks as the page unpacks them: 4 bytes length of a JSON header, the header, then arrays as it says,
    little-endian, one after the other.
    """
    tracks = held_value(session, take)
    header = {
        "ids": [str(name) for name in tracks.ids],
        "classes": list(tracks.classes),
        "usual": [tracks.class_name(label) for label in usual_classes(tracks).tolist()],
        "spans": tracks.spans.tolist(),
        "fps": tracks.fps,
        "samples": len(tracks),
        "arrays": [["t_s", "f4", 1], ["box", "f4", 4], ["label", "i1", 1], ["confidence", "f4", 1]],
    }
    head = json.dumps(header, separators=(",", ":")).encode()
    head += b" " * (-(len(head) + 4) % 4)  # arrays begin on a whole word
    label = np.zeros(-(-len(tracks) // 4) * 4, dtype="<i1")
    label[: len(tracks)] = tracks.label
    parts = [tracks.t_s.astype("<f4"), tracks.box.astype("<f4"), label, tracks.confidence.astype("<f4")]
    return struct.pack("<I", len(head)) + head + b"".join(part.tobytes() for part in parts)


# ---- counts by hand --------------------------------------------------------------------------------------------------


def by_hand(row: HandCountRow, length_s: float, every_s: float) -> list[HandCount]:
    if row.intervals:
        return [HandCount(start, end, into, out) for start, end, into, out in row.intervals]
    return intervals_of([(t, way) for t, way in row.passages], length_s, every_s)


def counted(session: Session, detector: ObjectDetector, take: TakeRow) -> Counted | None:
    """The take with what was counted on it: a tally where there is one, for it has the time of each passage."""
    rows = hand_counts_of(session, take.id)
    if not rows:
        return None
    row = next((r for r in rows if r.passages), rows[0])
    intervals = tuple(by_hand(row, take.length_s, take.length_s)) if row.intervals else ()
    passages = tuple((float(t), str(way)) for t, way in row.passages)
    return Counted(scene_of(session, detector, take), passages, intervals)


def counts_shown(
    session: Session, detector: ObjectDetector, take: TakeRow, *, every_s: float, who: int | None
) -> dict[str, Any]:
    """Counts against one person's, an interval at a time; how far two people differ; occupancy and how it drifts."""
    held = scene_of(session, detector, take)
    if not isinstance(held.dials, CountDials):
        raise Refused([Fault("kind", f"{detector.kind} counts nothing", "count")])
    rows = hand_counts_of(session, take.id)
    chosen = next((row for row in rows if row.id == who), rows[0] if rows else None)
    passages = [event for event in held.events() if event.direction is not None]
    plain = by_hand(chosen, take.length_s, every_s) if chosen else intervals_of([], take.length_s, every_s)
    tally = [(float(t), str(way)) for t, way in chosen.passages] if chosen else []
    found = audit(passages, plain, tally)
    last = running(passages, held.dials)[-1] if passages else None
    out: dict[str, Any] = {
        "audit": found,
        "who": chosen.id if chosen else None,
        "observers": [{"id": row.id, "who": row.who, "what": "tally" if row.passages else "file"} for row in rows],
        "differ": _differ(rows, take.length_s, every_s),
        "inside": last.inside if last else held.dials.start_inside,
        "clamped": last.clamped if last else 0,
        "height": _height(take),
        "cautions": [],
    }
    if chosen:
        out |= _sureness(found)
        out["cautions"] = _observers_apart(out["differ"]) + _out_of_step(
            chosen, [(e.raised_s, str(e.direction)) for e in passages], found, plain
        )
    return out


def _observers_apart(differ: float | None) -> list[str]:
    if differ is None or differ <= OBSERVERS_AGREE:
        return []
    return [
        f"Two people differ by {100 * differ:.1f} %: more than the {100 * OBSERVERS_AGREE:g} % that good counting allows. "
        "Let a third look at where they differ"
    ]


def _out_of_step(
    row: HandCountRow, passages: list[tuple[float, str]], found: dict[str, Any], plain: list[HandCount]
) -> list[str]:
    """Return what makes the counts look worse than the detector is."""
    out = []
    shift_s = offset_s(passages, [(float(t), str(way)) for t, way in row.passages])
    if shift_s is not None:
        out.append(
            f"The clocks run {abs(shift_s):.1f} s apart: the device is {'late' if shift_s > 0 else 'early'} by that much "
            "against the counts by hand. Bring both to one time before you judge"
        )
    if is_reversed([(line["in"], line["out"]) for line in found["intervals"]], plain):
        out.append("In and out are the wrong way round: clearly more is caught if they change places. Swap the line")
    return out


def _differ(rows: list[HandCountRow], length_s: float, every_s: float) -> float | None:
    tallies = [row for row in rows if row.passages][:2]
    if len(tallies) < 2:
        return None
    one, other = (by_hand(row, length_s, every_s) for row in tallies)
    return observers_differ(one, other)


def _sureness(found: dict[str, Any]) -> dict[str, Any]:
    """Passages that the wished precision needs, and the drift of occupancy that the caught shares foretell."""
    ways = [found["in"], found["out"]]
    total, caught = sum(w["by_hand"] for w in ways), sum(w["caught"] for w in ways)
    if total == 0:
        return {"needs": None, "drift": None, "foretelling": FORETELLING}
    share = caught / total
    told = foretold(VISITORS, *((w["caught"], w["by_hand"]) for w in ways))
    needs = passages_for(share, WISHED_ERROR) if share < 1 else flawless_for(1 - WISHED_ERROR)
    return {
        "needs": {"passages": needs, "has": total, "enough": total >= needs, "error": WISHED_ERROR},
        "drift": told and {"visitors": VISITORS, "mean": told[0], "low": told[1], "high": told[2]},
        "foretelling": FORETELLING,
    }


def _height(take: TakeRow) -> dict[str, float] | None:
    """Return how sure a stereo counter is of heights, where the device says how it is built."""
    ability = take.device.ability
    needed = {"mount_m", "f_px", "baseline_mm", "disparity_px"}
    if not needed <= set(ability):
        return None
    z_m = float(ability["mount_m"]) - stereo.SHOULDER_M
    baseline_m = float(ability["baseline_mm"]) / 1000
    error_m = stereo.depth_error_m(z_m, float(ability["disparity_px"]), float(ability["f_px"]), baseline_m)
    headway_s, frames = stereo.headway(0.8, PEOPLE_SPEED_M_S, 1 / take.interval_s)
    return {
        "at_m": stereo.SHOULDER_M,
        "error_m": round(error_m, 4),
        "too_coarse": error_m > stereo.LARGEST_ERROR_M,
        "headway_s": round(headway_s, 2),
        "headway_frames": round(frames, 1),
    }
