"""What became of each passage, and why: raised, dropped, or the first thing that it lacked where it came nearest to a raise."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

import numpy as np

from lantern.core.plates.approach import NAMES as NAMES_OF_WAYS
from lantern.core.plates.attachment import HELD, NAMES, UNDETERMINED
from lantern.core.plates.deciding import EQUAL, Raised, listed, sure_enough, that_way
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.plates.lists import Nearest, Rolls
from lantern.core.reasons import Reason
from lantern.core.rule import TIME_TOLERANCE_S

# From the nearest to a raise to the farthest.
ORDER = (
    "raised",
    "dropped",
    "expired",
    "not_yet",
    "runner_up",
    "unlisted",
    "listed",
    "early",
    "undetermined",
    "held",
    "other_way",
    "unsure",
    "few_reads",
    "unread",
)
Near = Callable[[int], Nearest]


def verdicts(
    history: History,
    reads: Sequence[int],
    near: Near,
    rolls: Rolls,
    day: Callable[[float], date],
    dials: PlateDials,
    first: Sequence[Raised],
    kept: Sequence[Raised],
) -> list[Reason]:
    """Return the verdict of each passage. `reads`: how many each has; `first`, `kept`: raises before and after the re-arm time."""
    raised = {each.passage: each for each in first}
    let = {each.passage for each in kept}
    rows: dict[int, list[int]] = {}
    for row, passage in enumerate(history.passage.tolist()):
        rows.setdefault(passage, []).append(row)
    sure = sure_enough(history, dials)
    out = []
    for passage, many in enumerate(reads):
        own = rows.get(passage, [])
        if passage in raised:
            out.append(_raised(history, raised[passage], near, dials, dropped=passage not in let))
        elif not own:
            out.append(Reason("unread", f"None of its {_reads(many)} counts.", {"reads": many}))
        else:
            ready = [row for row in own if sure[row]]
            out.append(
                _refused(history, ready[-1], near, rolls, day, dials) if ready else _lacking(history, own, dials)
            )
    return out


def refusal(
    history: History, row: int, nearest: Nearest, rolls: Rolls, day: Callable[[float], date], dials: PlateDials
) -> Reason:
    """Return why a passage did not raise, by what was known of it at one row of its history."""
    if sure_enough(history, dials)[row]:
        return _refused(history, row, lambda _: nearest, rolls, day, dials)
    return _lacking(history, [row], dials)


def _reads(many: int) -> str:
    return "1 read" if many == 1 else f"{many} reads"


def _raised(history: History, each: Raised, near: Near, dials: PlateDials, *, dropped: bool) -> Reason:
    figures: dict[str, Any] = {
        "read": int(history.count[each.row]),
        "t_s": each.t,
        "vote": float(history.confidence[each.row]),
    }
    if dropped:
        text = f"{each.text} raised less than {dials.rearm_s:g} s ago: one raise of a text in that time."
        return Reason("dropped", text, figures)
    said = f"{each.text}, {100 * figures['vote']:.0f} % sure after {_reads(figures['read'])}"
    nearest = near(each.row)
    if dials.when == "listed" and nearest.listed is not None:
        entry, name = nearest.listed.entry.text, nearest.listed.list
        figures |= {"distance": nearest.distance, "match": entry, "list": name}
        far = f", {nearest.distance:g} from it" if nearest.distance else ""
        return Reason("raised", f"{said}: matches {entry} on {name}{far}.", figures)
    return Reason("raised", f"{said}: {'on no list' if dials.when == 'unlisted' else 'every plate raises'}.", figures)


def _lacking(history: History, own: Sequence[int], dials: PlateDials) -> Reason:
    """No read at which all but the lists held: the first thing that was lacking where most held."""
    counted = [row for row in own if history.count[row] >= dials.min_reads]
    if not counted:
        n = int(history.count[own[-1]])
        text = f"{_reads(n)} counted, {dials.min_reads} needed."
        return Reason("few_reads", text, {"reads": n, "needed": dials.min_reads})
    sure = [row for row in counted if history.confidence[row] >= dials.min_vote - EQUAL]
    if not sure:
        best = max(counted, key=lambda row: history.confidence[row])
        vote = float(history.confidence[best])
        text = f"{history.text[best]} was never sure enough: {100 * vote:.1f} % at best, {100 * dials.min_vote:g} % needed."
        return Reason("unsure", text, {"vote": vote, "needed": dials.min_vote, "text": history.text[best]})
    row = sure[-1]
    if dials.when == "unlisted" and history.since_s[row] < dials.decide_after_s - TIME_TOLERANCE_S:
        seconds = float(history.since_s[row])
        text = f"Seen for {seconds:.1f} s, {dials.decide_after_s:g} s needed to say that it is on no list."
        return Reason("early", text, {"since_s": seconds, "needed_s": dials.decide_after_s})
    if not that_way(int(history.way[row]), dials):
        way = NAMES_OF_WAYS[int(history.way[row])]
        said = (
            f"{history.text[row]} goes {way}" if way != "unknown" else f"Which way {history.text[row]} goes is unknown"
        )
        return Reason("other_way", f"{said}: {dials.direction} is asked for.", {"way": way, "text": history.text[row]})
    kind = history.seen.kind_at(row, dials.wander)
    wander = float(history.seen.wander[row])
    figures: dict[str, Any] = {
        "vehicle": NAMES[kind],
        "wander": None if np.isnan(wander) else wander,
        "text": history.text[row],
    }
    if kind == HELD:
        moved = "" if np.isnan(wander) else f": it wanders by {wander:.3f} of the vehicle, {dials.wander:g} allowed"
        return Reason("held", f"{history.text[row]} does not go with the vehicle{moved}.", figures)
    assert kind == UNDETERMINED
    text = f"Whether {history.text[row]} goes with a vehicle is undetermined: too few reads, or the vehicle stands."
    return Reason("undetermined", text, figures)


def _refused(
    history: History, row: int, near: Near, rolls: Rolls, day: Callable[[float], date], dials: PlateDials
) -> Reason:
    """All held but what the lists say."""
    text, nearest = history.text[row], near(row)
    figures: dict[str, Any] = {"text": text, "distance": None, "match": None, "list": None}
    if nearest.listed is not None:
        entry, name = nearest.listed.entry.text, nearest.listed.list
        figures |= {"distance": nearest.distance, "match": entry, "list": name}
        if dials.when == "unlisted":
            return Reason("listed", f"{text} is on {name}, as {entry}.", figures)
        if nearest.distance <= dials.tolerance + EQUAL and not listed(nearest, dials):
            said = f"{entry} is {nearest.distance:g} away, and the next entry only {nearest.ahead:g} farther; {dials.runner_up:g} asked."
            return Reason("runner_up", f"{text} could be two entries: {said}", figures)
    on = day(float(history.t_s[row]))
    for each in rolls.listed:
        if each.key == text and not each.entry.holds(on):
            over = each.entry.until is not None and each.entry.until < on
            said = f"ended on {each.entry.until}" if over else f"begins on {each.entry.since}"
            figures |= {"match": each.entry.text, "list": each.list, "distance": 0.0}
            return Reason(
                "expired" if over else "not_yet", f"The entry of {each.entry.text} on {each.list} {said}.", figures
            )
    if nearest.listed is not None:
        said = (
            f"the nearest entry, {nearest.listed.entry.text}, is {nearest.distance:g} away, {dials.tolerance:g} allowed"
        )
        return Reason("unlisted", f"{text} is on no list; {said}.", figures)
    return Reason("unlisted", f"{text} is on no list.", figures)
