"""Where should the line lie? Every offset and angle over all takes with hand counts, and the middle of the widest flat optimum.

Each line replays the takes; its error is the mean over both directions of what was missed and counted twice or wrongly,
passage by passage. Lines that leave no room to the picture's edge are out. The pick is checked by leaving one take out.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely

from lantern.core.counted import HandCount
from lantern.core.events import Event
from lantern.core.faults import Fault, Refused
from lantern.core.objects.counting.alignment import MATCH_S
from lantern.core.objects.placement import room
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.shapes import watched_regions
from lantern.core.objects.subject import TrackSubject
from lantern.core.scoring.marks import Mark, Slack, judge

OFFSETS, ANGLES = 33, 13
MOST_TURN_DEG = 30.0
LEAST_TAKES, LEAST_PASSAGES = 3, 100
PROPOSING = 30  # passages, below which no line is proposed; common practice, no source
LEAST_LEFT = 0.3  # of its length, where the picture's edge cuts a line off
Passage = tuple[float, str]
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class Counted:
    """A take with what was counted by hand on it: passages with their times, or else intervals."""

    subject: TrackSubject
    passages: tuple[Passage, ...] = ()
    intervals: tuple[HandCount, ...] = ()

    @property
    def total(self) -> int:
        return len(self.passages) or sum(each.into + each.out for each in self.intervals)

    def errors(self, events: Sequence[Event]) -> dict[str, tuple[int, int]]:
        """Return for each direction (what is wrong, how many truly passed)."""
        out = {}
        for way in ("in", "out"):
            raised = [event.raised_s for event in events if event.direction == way]
            if self.passages:
                marks = [Mark(t - MATCH_S, t + MATCH_S, "expect") for t, w in self.passages if w == way]
                judged = judge(raised, marks, Slack())
                wrong = len(judged.missed) + len(raised) - judged.verdicts.count("hit")
                out[way] = (wrong, len(marks))
            else:
                wrong = true = 0
                for each in self.intervals:
                    by_hand = each.into if way == "in" else each.out
                    counted = sum(each.start_s <= t < each.end_s for t in raised)
                    wrong, true = wrong + abs(counted - by_hand), true + by_hand
                out[way] = (wrong, true)
        return out


@dataclass(frozen=True)
class LineMap:
    """`error` (angles, offsets): share that is wrong, NaN where the edge rule forbids the line. `pick`: row, column; None: no line
    leaves room enough, or `few`.
    """

    offsets_px: tuple[float, ...]
    angles_deg: tuple[float, ...]
    error: Any
    now: float
    pick: tuple[int, int] | None
    points: tuple[tuple[float, float], ...]
    validation: str
    passages: int
    takes: int

    @property
    def few(self) -> bool:
        """Return whether it rests on so few passages that no line is proposed."""
        return self.passages < PROPOSING

    @property
    def caution(self) -> str:
        """Few takes or few passages make a good line of one crowd, and no rule. Least numbers: common practice, no source."""
        if self.takes >= LEAST_TAKES and self.passages >= LEAST_PASSAGES:
            return ""
        have = f"{self.takes} {'take' if self.takes == 1 else 'takes'} with {self.passages} passages"
        return f"{have}: at least {LEAST_TAKES} takes and {LEAST_PASSAGES} passages make the choice sure"

    def as_dict(self) -> dict[str, Any]:
        shown = [[None if np.isnan(v) else round(float(v), 4) for v in row] for row in self.error]
        return {
            "offsets_px": [round(v, 1) for v in self.offsets_px],
            "angles_deg": [round(v, 1) for v in self.angles_deg],
            "error": shown,
            "now": round(self.now, 4),
            "pick": None if self.pick is None else list(self.pick),
            "points": [list(p) for p in self.points],
            "validation": self.validation,
            "passages": self.passages,
            "few": PROPOSING if self.few else None,
            "caution": self.caution,
        }


def search(takes: Sequence[Counted], *, progress: Progress = lambda done, total: None) -> LineMap:
    """`takes`: the same counting detector on each; its first line is moved."""
    if not takes or not any(take.total for take in takes):
        raise Refused([Fault("hand counts", "there are none", "a tally of the take, or a file start_s,end_s,in,out")])
    first = takes[0].subject
    line = watched_regions(first.detector.regions)[0]
    frame = first.tracks.frame_px
    if frame is None:
        raise Refused([Fault("take", "the size of its picture is not known", "width and height in take.json")])
    offsets = _offsets(line, frame)
    angles = np.linspace(-MOST_TURN_DEG, MOST_TURN_DEG, ANGLES)
    errors = np.full((len(takes), ANGLES, offsets.size), np.nan)
    for row, angle in enumerate(angles.tolist()):
        progress(row, ANGLES)
        for column, offset in enumerate(offsets.tolist()):
            moved = moved_line(line, offset, angle, frame)
            if moved is None or not all(_roomy(take.subject, moved) for take in takes):
                continue
            for i, take in enumerate(takes):
                errors[i, row, column] = error_of(take, moved)
    progress(ANGLES, ANGLES)
    weights = np.array([take.total for take in takes], dtype=np.float64)
    whole = np.average(errors, axis=0, weights=weights)
    pick = flattest(whole, 1 / weights.sum()) if weights.sum() >= PROPOSING else None
    now = float(np.average([error_of(take, line) for take in takes], weights=weights))
    points = () if pick is None else _points(line, offsets[pick[1]], angles[pick[0]], frame)
    return LineMap(
        tuple(offsets.tolist()),
        tuple(angles.tolist()),
        whole,
        now,
        pick,
        points,
        _left_out(errors, weights, takes),
        int(weights.sum()),
        len(takes),
    )


def _points(line: ObjectRegion, offset: float, angle: float, frame: tuple[int, int]) -> tuple[tuple[float, float], ...]:
    moved = moved_line(line, offset, angle, frame)
    return () if moved is None else moved.points


def error_of(take: Counted, line: ObjectRegion) -> float:
    """Mean over the directions of the share that is wrong; a direction that nobody took does not count."""
    regions = tuple(line if r.name == line.name else r for r in take.subject.detector.regions)
    detector = take.subject.detector.model_copy(update={"regions": regions})
    found = take.errors(replace(take.subject, detector=detector).events())
    shares = [wrong / true for wrong, true in found.values() if true]
    return float(np.mean(shares)) if shares else 0.0


def moved_line(line: ObjectRegion, offset_px: float, angle_deg: float, frame: tuple[int, int]) -> ObjectRegion | None:
    """Turned about its middle, then moved along its normal towards B; cut off at the picture's edges. None: not in the picture."""
    (x0, y0), (x1, y1) = line.points
    length = math.dist((x0, y0), (x1, y1))
    along = np.array([x1 - x0, y1 - y0]) / length
    middle = np.array([x0 + x1, y0 + y1]) / 2 + np.array([-along[1], along[0]]) * offset_px
    turn = math.radians(angle_deg)
    way = np.array(
        [along[0] * math.cos(turn) - along[1] * math.sin(turn), along[0] * math.sin(turn) + along[1] * math.cos(turn)]
    )
    ends = [middle - way * length / 2, middle + way * length / 2]
    inside = shapely.intersection(shapely.LineString(ends), shapely.box(0, 0, *frame))
    if inside.length < LEAST_LEFT * length:
        return None
    corners = sorted(
        shapely.get_coordinates(inside).tolist(), key=lambda at: float((at - ends[0]) @ (ends[1] - ends[0]))
    )
    points = tuple((round(x, 1), round(y, 1)) for x, y in corners)
    return line.model_copy(update={"points": points})


def _offsets(line: ObjectRegion, frame: tuple[int, int]) -> Any:
    """Return offsets as far as the line's middle stays in the picture, either way; no move at all is among them."""
    (x0, y0), (x1, y1) = line.points
    length = math.dist((x0, y0), (x1, y1))
    normal = ((y0 - y1) / length, (x1 - x0) / length)
    middle = ((x0 + x1) / 2, (y0 + y1) / 2)
    ends = []
    for sign in (-1, 1):
        reach = [
            ((size if sign * n > 0 else 0) - m) / (sign * n)
            for m, n, size in zip(middle, normal, frame, strict=True)
            if abs(n) > 1e-6
        ]
        ends.append(sign * max(min(reach), 0.0))
    return np.unique(np.append(np.linspace(ends[0], ends[1], OFFSETS), 0.0))


def _roomy(subject: TrackSubject, line: ObjectRegion) -> bool:
    return all(side.enough for side in room(subject.left, line, subject.dials))


def flattest(error: Any, tolerance: float) -> tuple[int, int] | None:
    """(row, column): the middle of the widest run, along a row, of what is as good as the best (within the tolerance)."""
    if np.isnan(error).all():
        return None
    good = error <= np.nanmin(error) + tolerance + 1e-12
    best: tuple[int, int, int] | None = None
    for row in range(good.shape[0]):
        padded = np.concatenate(([False], good[row], [False])).astype(int)
        starts, stops = np.flatnonzero(np.diff(padded) == 1), np.flatnonzero(np.diff(padded) == -1)
        for start, stop in zip(starts.tolist(), stops.tolist(), strict=True):
            if best is None or stop - start > best[0]:
                best = (stop - start, row, (start + stop - 1) // 2)
    return None if best is None else best[1:]


def _left_out(errors: Any, weights: Any, takes: Sequence[Counted]) -> str:
    """Pick on all takes but one, and see how the pick does on that one."""
    if len(takes) < 2:
        return "one take only: the pick is not validated; count another take by hand"
    found = []
    for out in range(len(takes)):
        rest = [i for i in range(len(takes)) if i != out]
        picked = flattest(np.average(errors[rest], axis=0, weights=weights[rest]), 1 / weights[rest].sum())
        if picked is not None:
            found.append(float(errors[out][picked]))
    known = [v for v in found if not math.isnan(v)]
    if not known:
        return "no line keeps the edge rule on the takes that are left"
    return f"picked without it, each take is wrong by {', '.join(f'{100 * v:.1f} %' for v in known)}"
