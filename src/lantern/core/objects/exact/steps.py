"""Exact sweeps over tracks: for each thing that may raise, at which values of the dial its raise moves or goes.

A *raiser* is one coming to the other side of a line, or one stay in a zone; it carries steps (value, time of its raise from
that value on, or none). Samples fall away from it one by one as the dial grows, and never come back, so all raisers of a take
are laid out once and swept together, with a tally that follows single raises. Only where an object has several raisers does
the re-arm time tie them; for the others a step that stays in one stretch between marks changes no count, and is left out.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lantern.core.objects.dials import CountDials, CrossingDials, ZoneDials
from lantern.core.objects.exact.raisers import Raisers, Steps
from lantern.core.objects.kinds import direction_of
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.shapes import beside_line, inside
from lantern.core.objects.stays import Stay, stays
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, stretch_of
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Bools, Indices


@dataclass(frozen=True)
class _Stretches:
    """Times between two borders of marks count alike, but for those inside an `expect` mark, whose delay counts too."""

    borders: Floats
    inside: Bools  # (borders + 1,)

    def telling(self, t_s: Floats) -> Bools:
        """(n,): does the count or the delay change from the time before to this one?"""
        at = np.searchsorted(self.borders, t_s)
        fresh = np.concatenate(([True], at[1:] != at[:-1])) if at.size else np.zeros(0, dtype=np.bool_)
        return np.asarray(fresh | self.inside[at])


def _stretches(marks: Sequence[Mark], slack: Slack) -> _Stretches:
    spans = [
        (m.from_s - slack.early_s, m.end_s + slack.late_s) if m.label == "expect" else (m.start_s, m.end_s)
        for m in marks
        if m.label != "quiet"
    ]
    borders = np.unique([edge for a, b in spans for edge in (a - 2 * TIME_TOLERANCE_S, a, b, b + 2 * TIME_TOLERANCE_S)])
    middles = np.concatenate(([-np.inf], (borders[:-1] + borders[1:]) / 2, [np.inf])) if borders.size else np.zeros(1)
    expect = [
        (m.from_s - slack.early_s - 2 * TIME_TOLERANCE_S, m.end_s + slack.late_s + 2 * TIME_TOLERANCE_S)
        for m in marks
        if m.label == "expect"
    ]
    within = np.array([any(a <= middle <= b for a, b in expect) for middle in middles.tolist()], dtype=np.bool_)
    return _Stretches(borders, within)


# ---- a band around a line --------------------------------------------------------------------------------------------


class _Meeting(NamedTuple):
    """Two neighbouring runs on either side, while the band is from `low` to `high`: positions first to middle, middle to stop."""

    first: int
    middle: int
    stop: int
    low: float
    high: float


def band_steps(
    tracks: Tracks,
    region: ObjectRegion,
    dials: CrossingDials | CountDials,
    marks: Sequence[Mark],
    low: float,
    slack: Slack = Slack(),
) -> Raisers:
    """Return the steps of the band: as it grows from `low`, samples near the line drop out, and runs on one side
    vanish, so that their neighbours become one.
    """
    starts, where = stretch_of(tracks, dials.gap_s), beside_line(tracks, dials, region)
    s, touched = where.s, where.touched
    away = np.abs(s)
    sure = where.lively[away[where.lively] > low]
    side, stretch = s[sure] > 0, starts[sure]
    flips = np.flatnonzero((side[1:] != side[:-1]) & (stretch[1:] == stretch[:-1])) + 1
    lively = np.unique(stretch[flips])
    first, stop = np.searchsorted(stretch, lively), np.searchsorted(stretch, lively, side="right")
    flip_first, flip_stop = np.searchsorted(flips, first), np.searchsorted(flips, stop)
    raising: dict[int, list[tuple[Indices, float, float]]] = {}
    for i, start in enumerate(lively.tolist()):
        still_wanted()
        index = sure[first[i] : stop[i]]
        d, cut = away[index], touched[index].astype(np.intp)
        for met in _meetings(d, flips[flip_first[i] : flip_stop[i]] - first[i], low):
            positive = bool(s[index[met.middle]] > 0)
            if direction_of("a_to_b" if positive else "b_to_a", dials) is None:
                continue
            begins = _cut_from(d, cut, met)
            if begins < met.high:
                entry = index[met.middle : met.stop]
                raising.setdefault(int(tracks.object[start]), []).append((entry, begins, met.high))
    spans = _stretches(marks, slack)
    out = Raisers(dials)
    for object_, entries in raising.items():
        lone = _lone_from([ends for _, _, ends in entries])
        out.of_object[object_] = [
            _moves(away[entry], tracks.t_s[entry], begins, ends, spans, lone) for entry, begins, ends in entries
        ]
    return out


def _meetings(d: Floats, flips: Indices, low: float) -> Iterator[_Meeting]:
    """Runs die in the order of their greatest distance; the neighbours of a dead one, on one side both, go on as one."""
    edges = [0, *flips.tolist(), d.size]
    n = len(edges) - 1
    first, stop = edges[:-1], edges[1:]
    most = [float(d[first[r] : stop[r]].max()) for r in range(n)]
    before, after = list(range(-1, n - 1)), [*range(1, n), -1]
    met = dict.fromkeys(range(1, n), low)  # by the right one of the two: since which band
    alive = [True] * n
    queue = [(most[r], r) for r in range(n)]
    heapq.heapify(queue)

    def part(right: int, at: float) -> Iterator[_Meeting]:
        if right > 0 and before[right] >= 0 and met[right] < at:
            yield _Meeting(first[before[right]], first[right], stop[right], met[right], at)

    while queue:
        at, r = heapq.heappop(queue)
        if not alive[r] or at < most[r]:
            continue
        left, right = before[r], after[r]
        yield from part(r, at)
        if right >= 0:
            yield from part(right, at)
        alive[r] = False
        if left >= 0 and right >= 0:  # they are on one side: the left one takes the right one in
            follower = after[right]
            if follower >= 0:
                yield from part(follower, at)
                met[follower] = at
                before[follower] = left
            stop[left], after[left] = stop[right], follower
            most[left] = max(most[left], most[right])
            alive[right] = False
            heapq.heappush(queue, (most[left], left))
        elif left >= 0:
            after[left] = -1
        elif right >= 0:
            before[right] = -1


def _cut_from(d: Floats, cut: Indices, met: _Meeting) -> float:
    """Return from which band on the way between the last sure sample before and the first one after cuts the line; inf:
    never.

    The wider the band, the longer that way: once it cuts, it goes on to.
    """
    left, right = d[met.first : met.middle], d[met.middle : met.stop]

    def cuts_at(band: float) -> bool:
        p = met.middle - 1 - int((left[::-1] > band).argmax())
        q = met.middle + int((right > band).argmax())
        return bool(cut[q] > cut[p])

    if cuts_at(met.low):
        return met.low
    changes = np.unique(np.concatenate((left, right)))
    changes = changes[(changes >= met.low) & (changes < met.high)]
    if changes.size == 0 or not cuts_at(float(changes[-1])):
        return math.inf
    low, high = 0, changes.size - 1
    while low < high:
        middle = (low + high) // 2
        if cuts_at(float(changes[middle])):
            high = middle
        else:
            low = middle + 1
    return float(changes[low])


def _lone_from(ends: Sequence[float]) -> float:
    """Return from which value on at most one of an object's raisers is left, so that the re-arm time ties it
    to none.
    """
    return sorted(ends)[-2] if len(ends) > 1 else -math.inf


def _moves(d: Floats, t_s: Floats, begins: float, ends: float, spans: _Stretches, lone: float) -> Steps:
    """The raise of one coming: at the first sample further away than the band."""
    reached = np.maximum.accumulate(d)
    records = np.flatnonzero(np.concatenate(([True], reached[1:] > reached[:-1])) & (d > begins))
    start = int((d > begins).argmax())
    records = records[records >= start]
    values = np.concatenate(([begins], d[records][:-1]))
    keep = values < ends
    values, times = values[keep], t_s[records][keep]
    telling = spans.telling(times) | (values <= lone)
    telling[:1] = True
    values, times = values[telling], times[telling]
    return [*zip(values.tolist(), times.tolist(), strict=True), (ends, None)]


# ---- a dwell time ----------------------------------------------------------------------------------------------------


def dwell_steps(
    tracks: Tracks, region: ObjectRegion, dials: ZoneDials, marks: Sequence[Mark], slack: Slack = Slack()
) -> Raisers:
    """The longer the dwell time, the later a stay raises, sample by sample; beyond its whole length, not at all."""
    within, starts = inside(tracks, dials, region), stretch_of(tracks, dials.gap_s)
    out = Raisers(dials)
    of_object: dict[int, list[Stay]] = {}
    for stay in stays(tracks, within, starts, dials):
        of_object.setdefault(int(tracks.object[stay.first]), []).append(stay)
    spans = _stretches(marks, slack)
    telling = spans.telling(tracks.t_s)
    for object_, its in of_object.items():
        still_wanted()
        lone = _lone_from([float(tracks.t_s[s.last] - tracks.t_s[s.first]) + TIME_TOLERANCE_S for s in its])
        out.of_object[object_] = [_later(tracks.t_s, within, stay, telling, spans, lone) for stay in its]
    return out


def _later(all_t_s: Floats, within: Bools, stay: Stay, telling: Bools, spans: _Stretches, lone: float) -> Steps:
    """The raise of one stay: at its first sample inside that is so long after the first, once it counts as come in."""
    at = slice(stay.come, stay.last + 1)
    t_s, here = all_t_s[at], telling[at]
    if not within[at].all():
        t_s = t_s[within[at]]
        here = spans.telling(t_s)  # where a bridged pause lies between, the step is from the sample before it
    stayed = t_s - all_t_s[stay.first]
    values = np.concatenate(([-1.0], stayed[:-1] + TIME_TOLERANCE_S))
    here = here | (values <= lone)
    here[0] = True
    return [*zip(values[here].tolist(), t_s[here].tolist(), strict=True), (float(stayed[-1]) + TIME_TOLERANCE_S, None)]
