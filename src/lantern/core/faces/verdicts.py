"""What became of a look, in words with numbers."""

from __future__ import annotations

from lantern.core.faces.decision import FaceDecision
from lantern.core.faces.dials import MASK, MASKS
from lantern.core.reasons import Reason

ORDER = ("raised", "held_off", "too_few", "dropped", "listed", "below", "no_candidate")  # the nearest to a raise first


def verdict(decision: FaceDecision, look: int) -> Reason:
    """Return why a look raised, or why it did not: of several lists by the one in which it came nearest."""
    if decision.dials.when in MASKS:
        return _of_mask(decision, look)
    if decision.dials.when == "unlisted":
        return _of_none(decision, look)
    said = [_on_list(decision, place, look) for place in range(len(decision.lists))]
    if not said:
        return Reason("below", "There is no list to be on.", {})
    nearest = min(said, key=lambda each: ORDER.index(each.code))
    if nearest.code != "raised":
        return nearest
    every = [each.text for each in said if each.code == "raised"]  # lists raise together
    return Reason("raised", " ".join(every), nearest.figures)


def _on_list(decision: FaceDecision, place: int, look: int) -> Reason:
    held, best, dials = decision.lists[place], decision.bests[place], decision.dials
    row = int(best.row[look])
    if row < 0:
        return Reason("no_candidate", f"None of {held.name} is among its candidates.", {"list": held.name})
    score, threshold = float(best.score[look]), decision.thresholds[place]
    name = decision.looks.candidate.at(row)
    figures = {"list": held.name, "candidate": name, "score": score, "threshold": threshold}
    fate = decision.fates[place].get(look)
    if fate is None:
        text = f"Nearest on {held.name} is {name} with {score:g}; the threshold is {threshold:g}, {threshold - score:.4g} more."
        return Reason("below", text, figures)
    matched = f"{name} of {held.name} with {score:g} (threshold {threshold:g})"
    if fate == "raised":
        return Reason("raised", f"{matched}: it raised.", figures)
    if fate == "held_off":
        again = f", or {dials.reannounce_s:g} s since it raised" if dials.reannounce_s else ""
        text = f"{matched}: held off until not seen for {decision.dials_of(place).holdoff_s:g} s{again}."
        return Reason("held_off", text, figures)
    text = f"{matched}: fewer than {dials.min_looks} such looks within {dials.looks_within_s:g} s."
    return Reason("too_few", text, figures)


def _of_none(decision: FaceDecision, look: int) -> Reason:
    for place, (held, best) in enumerate(zip(decision.lists, decision.bests, strict=True)):
        threshold = decision.thresholds[place]
        if best.score[look] >= threshold:
            name = decision.looks.candidate.at(int(best.row[look]))
            text = f"It is {name} of {held.name} with {best.score[look]:g} (threshold {threshold:g})."
            return Reason("listed", text, {"list": held.name, "candidate": name, "score": float(best.score[look])})
    return _by_rearm(decision, look, "It is on no list")


def _of_mask(decision: FaceDecision, look: int) -> Reason:
    said = decision.looks.group_of(look).get(MASK, "")
    if said != MASKS[decision.dials.when]:
        return Reason("below", f"The device says of its mask: {said or 'nothing'}.", {MASK: said})
    return _by_rearm(decision, look, f"The device says of its mask: {said}")


def _by_rearm(decision: FaceDecision, look: int, said: str) -> Reason:
    if any(each.look == look for each in decision.raises):
        return Reason("raised", f"{said}: it raised.", {})
    return Reason("dropped", f"{said}, less than {decision.dials.rearm_s:g} s after the last that raised.", {})
