"""Who comes when: for how long each raise holds its candidate off, and how many looks that swallows."""

from __future__ import annotations

from collections import defaultdict
from typing import NamedTuple

from lantern.core.faces.deciding import Seen
from lantern.core.faces.decision import FaceDecision
from lantern.core.faces.dials import FaceDials


class Pause(NamedTuple):
    """From a raise until the candidate may raise again; `looks`: those that were held off meanwhile."""

    candidate: str
    from_s: float
    to_s: float
    looks: int


def pauses(decision: FaceDecision, place: int) -> list[Pause]:
    """Return the hold-offs of one list, in order of time."""
    dials = decision.dials_of(place)
    own: dict[int, list[float]] = defaultdict(list)
    looks = decision.looks
    row = decision.bests[place].row
    for look in decision.qualifying(place).tolist():
        own[int(looks.candidate.code[row[look]])].append(float(looks.t_s[look]))
    out = []
    for code, times in own.items():
        seen, swallowed = Seen(), 0
        for t in times:
            before = (seen.raised_s, _end(seen, dials))
            fate = seen.take(t, dials)
            if fate == "raised":
                if before[0] is not None:
                    out.append(Pause(looks.candidate.words[code], before[0], before[1], swallowed))
                swallowed = 0
            elif seen.held:
                swallowed += 1
        if seen.raised_s is not None:
            out.append(Pause(looks.candidate.words[code], seen.raised_s, _end(seen, dials), swallowed))
    return sorted(out, key=lambda each: (each.from_s, each.candidate))


def _end(seen: Seen, dials: FaceDials) -> float:
    """Return when the hold-off ends, if nobody is seen any more."""
    if seen.raised_s is None or seen.last_s is None:
        return 0.0
    by_sight = seen.last_s + dials.holdoff_s
    again_s = dials.reannounce_s
    return min(by_sight, seen.raised_s + again_s) if again_s > 0 else by_sight
