"""The least move of a radar by which everything that should raise does: looked for place by place, the nearest first."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lantern.core.promise.moves import rings, turns
from lantern.core.promise.plan import Occluder
from lantern.core.promise.radar import Radar
from lantern.core.radar.moving import frame_of, moved_regions, seen_from
from lantern.core.radar.returns import Returns
from lantern.core.radar.subject import RadarSubject
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts
from lantern.core.tuning.wanted import still_wanted

AROUND_S = 30.0  # before a mark, what is looked at too: somebody who raises in it may have come for so long


@dataclass(frozen=True)
class Least:
    """`mount`: the nearest by which nothing is missed, with what it gives; None: none within reach of the search. `by_turning`: the least
    number that any turn misses, `turned` such a turn.
    """

    mount: Radar | None
    counts: Counts | None
    turned: Radar
    by_turning: int


def from_there(subject: RadarSubject, old: Radar, new: Radar, occluders: Sequence[Occluder] = ()) -> RadarSubject:
    """Return the detector held against its take as a moved unit would have had it."""
    moved = seen_from(subject.returns, old, new, occluders)
    return replace(subject, detector=moved_regions(subject.detector, old, new), returns=moved.returns)


def least_move(
    subject: RadarSubject,
    marks: Sequence[Mark],
    old: Radar,
    occluders: Sequence[Occluder] = (),
    tell: Callable[[float], None] = lambda done: None,
) -> Least:
    """Return the least move that catches all of a take's marks: as little of the way as possible, then as few false alarms."""
    wanted = [mark for mark in marks if mark.label == "expect"]
    short = replace(subject, returns=_near(subject.returns, wanted))
    turned, missed = _best_turn(short, wanted, old, occluders)
    if not missed:
        return Least(turned, from_there(subject, old, turned, occluders).result(marks), turned, 0)
    whole = list(rings(old.x_m, old.y_m))
    for number, ring in enumerate(whole):
        tell(number / len(whole))
        found = list(_catching(short, wanted, old, occluders, ring))
        if found:
            results = [(from_there(subject, old, each, occluders).result(marks), each) for each in found]
            counts, mount = min(results, key=lambda each: (each[0].misses, each[0].false_alarms))
            if not counts.misses:
                return Least(mount, counts, turned, missed)
    return Least(None, None, turned, missed)


def _near(returns: Returns, marks: Sequence[Mark]) -> Returns:
    there = np.zeros(len(returns), dtype=np.bool_)
    for mark in marks:
        there |= (returns.t_s >= mark.from_s - AROUND_S) & (returns.t_s <= mark.end_s)
    return returns.picked(there)


def _misses(short: RadarSubject, marks: Sequence[Mark], old: Radar, new: Radar, occluders: Sequence[Occluder]) -> int:
    still_wanted()
    return from_there(short, old, new, occluders).result(marks).misses


def _middle(short: RadarSubject, old: Radar) -> tuple[float, float]:
    x, y = frame_of(old).onto_plan(*short.returns.places)
    return (float(np.median(x)), float(np.median(y))) if x.size else (old.x_m, old.y_m + 1.0)


def _best_turn(
    short: RadarSubject, marks: Sequence[Mark], old: Radar, occluders: Sequence[Occluder]
) -> tuple[Radar, int]:
    tried = [
        old.model_copy(update={"azimuth_deg": azimuth})
        for azimuth in dict.fromkeys(turns(old.azimuth_deg, old.x_m, old.y_m, _middle(short, old)))
    ]
    missed = [_misses(short, marks, old, each, occluders) for each in tried]
    at = missed.index(min(missed))  # the first: the least turned from what it was for
    return tried[at], missed[at]


def _catching(
    short: RadarSubject,
    marks: Sequence[Mark],
    old: Radar,
    occluders: Sequence[Occluder],
    ring: Sequence[tuple[float, float]],
) -> Iterator[Radar]:
    """Yield of each place of a ring the first aim by which nothing is missed."""
    middle = _middle(short, old)
    for x, y in ring:
        placed = old.model_copy(update={"x_m": x, "y_m": y})
        if _misses_all_round(short, marks, old, placed, occluders):
            continue
        for azimuth in turns(old.azimuth_deg, x, y, middle):
            turned = placed.model_copy(update={"azimuth_deg": azimuth})
            if not _misses(short, marks, old, turned, occluders):
                yield turned
                break


def _misses_all_round(
    short: RadarSubject, marks: Sequence[Mark], old: Radar, placed: Radar, occluders: Sequence[Occluder]
) -> bool:
    """Return whether some would be missed even if it saw all round: then no turn there helps. One that would raise sooner than its mark
    begins is not missed by this, for a narrower sector may make it later.
    """
    still_wanted()
    round_about = placed.model_copy(update={"sector_deg": 360.0})
    there = from_there(_everywhere(short), old, round_about, occluders)
    return there.result(marks, Slack(early_s=AROUND_S)).misses > 0


def _everywhere(short: RadarSubject) -> RadarSubject:
    """The same without its sectors, which turn with the unit; polygons stay."""
    kept = tuple(each for each in short.detector.regions if each.shape == "polygon")
    return replace(short, detector=short.detector.model_copy(update={"regions": kept}))
